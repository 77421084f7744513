// The one event stream of the page: its events become signals. It is closed while the page is
// hidden, and returns by itself, with growing pauses, when the link is lost.
import { signal } from "@preact/signals";
import { asRefusal } from "../api/call";
import { readEvents, type ServerEvent } from "../api/events";
import { endedWhy, me } from "./session";
import { applyTransfer, onlyEnded, type Transfers, withoutOld } from "./transfers";

export type Link =
  | { state: "open" }
  | { state: "asking" }
  | { state: "behind"; since: Date }
  | { state: "lost"; since: Date };

export const link = signal<Link>({ state: "asking" });
export const transfers = signal<Transfers>(new Map());

/** Counts the changes of each kind: a part that shows one requests it again. */
const versions = new Map<string, ReturnType<typeof signal<number>>>();
function version(kind: string) {
  let known = versions.get(kind);
  if (!known) {
    known = signal(0);
    versions.set(kind, known);
  }
  return known;
}
/** Read in a component, it redraws that after a change of these kinds. */
export function versionOf(kinds: readonly string[]): string {
  return kinds.map((kind) => version(kind).value).join(".");
}
function changed(kind: string): void {
  const one = version(kind);
  one.value = (one.peek() ?? 0) + 1;
}

function apply(event: ServerEvent): void {
  switch (event.what) {
    case "transfer":
      transfers.value = applyTransfer(transfers.peek(), event.transfer, Date.now());
      break;
    case "change":
      changed(event.change.kind);
      break;
    case "ledger":
      changed("ledger");
      break;
    default:
      event satisfies never;
  }
}

/** The server sends something at least every five seconds. */
const silence = 15_000;
const pauses = [500, 1000, 2000, 5000, 10_000];

let ending: AbortController | undefined;
let heardAt = 0;

async function follow(signalOfEnd: AbortSignal): Promise<void> {
  let tries = 0;
  while (!signalOfEnd.aborted) {
    const round = new AbortController();
    const stop = () => round.abort();
    signalOfEnd.addEventListener("abort", stop);
    heardAt = Date.now();
    const watch = setInterval(() => {
      if (Date.now() - heardAt > 2 * silence) round.abort();
      else if (Date.now() - heardAt > silence && link.peek().state === "open") {
        link.value = { state: "behind", since: new Date(heardAt) };
      }
      transfers.value = withoutOld(transfers.peek(), Date.now());
    }, 1000);
    try {
      await readEvents(
        () => {
          heardAt = Date.now();
          if (link.peek().state === "open") return;
          if (tries > 0) {
            // Whatever was missed: everything on the page is requested again.
            transfers.value = onlyEnded(transfers.peek());
            for (const kind of versions.keys()) changed(kind);
          }
          tries = 0;
          link.value = { state: "open" };
        },
        (events) => {
          for (const one of events) apply(one);
        },
        round.signal,
      );
    } catch (failure) {
      if (signalOfEnd.aborted) break;
      if (asRefusal(failure).problem.status === 401) {
        if (me.peek()) endedWhy.value = "the log-in ended";
        break;
      }
      if (link.peek().state !== "lost") link.value = { state: "lost", since: new Date(heardAt) };
    } finally {
      clearInterval(watch);
      signalOfEnd.removeEventListener("abort", stop);
    }
    await new Promise((done) => setTimeout(done, pauses[Math.min(tries, pauses.length - 1)]));
    ++tries;
  }
}

function begin(): void {
  if (ending || document.hidden || !me.peek() || endedWhy.peek() !== "") return;
  ending = new AbortController();
  const own = ending;
  void follow(own.signal).finally(() => {
    if (ending === own) ending = undefined;
  });
}

function end(): void {
  ending?.abort();
  ending = undefined;
}

/** Values without events, such as the load of the server, are requested again by "clock". */
const clockPause = 10_000;

/** While somebody is logged in and the page is visible. */
export function startStream(): void {
  setInterval(() => {
    if (!document.hidden && link.peek().state === "open") changed("clock");
  }, clockPause);
  document.addEventListener("visibilitychange", () => {
    if (document.hidden) end();
    else {
      for (const kind of versions.keys()) changed(kind);
      begin();
    }
  });
  me.subscribe((who) => (who ? begin() : end()));
  endedWhy.subscribe((why) => {
    if (why === "") begin();
  });
}
