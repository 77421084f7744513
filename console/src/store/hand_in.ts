// Files on their way to the server: sent in pieces, with their checksum computed on the way.
// Sending goes on while other pages are shown, and after a broken connection.
import { signal } from "@preact/signals";
import { asRefusal, call, type Refusal } from "../api/call";
import type { FactFields, ImageAdded, Upload, UploadDescription } from "../api/operations";
import { Digest } from "./digest";
import { link } from "./stream";

export type Stage =
  | { at: "chosen" }
  | { at: "sending"; rate: number }
  | { at: "interrupted"; why: string }
  | { at: "comparing"; looked: number; rate: number }
  | { at: "added"; added: Added; sha256: string }
  | { at: "refused"; refusal: Refusal };

/** The shown part of the result. */
export type Added = Pick<ImageAdded, "result" | "image" | "offer" | "note" | "not_done">;

export interface HandedIn {
  readonly id: number;
  readonly file: File;
  readonly name: string;
  readonly sent: number;
  readonly stage: Stage;
}

/** The description of a file before it is sent. */
export interface Wanted {
  readonly name: string;
  readonly maker: string; // a checksum or a list
  readonly source: string;
  readonly facts: FactFields;
  readonly hold: boolean;
  readonly despiteFindings: boolean;
}

export const files = signal<readonly HandedIn[]>([]);

const piece = 8 << 20;
let last = 0;
const stops = new Map<number, { stopped: boolean }>();

function change(id: number, more: Partial<HandedIn>): void {
  files.value = files.peek().map((one) => (one.id === id ? { ...one, ...more } : one));
}

export function choose(chosen: Iterable<File>): void {
  const added = [...chosen].map((file) => ({
    id: ++last,
    file,
    name: file.name,
    sent: 0,
    stage: { at: "chosen" } as const,
  }));
  files.value = [...files.peek(), ...added];
}

export function forget(id: number): void {
  const stop = stops.get(id);
  if (stop) stop.stopped = true;
  files.value = files.peek().filter((one) => one.id !== id);
}

const pause = (milliseconds: number) => new Promise((done) => setTimeout(done, milliseconds));

/** Whether to try again automatically. */
function passes(refusal: Refusal): boolean {
  return refusal.isUnreachable || refusal.problem.status === 401 || refusal.problem.status === 503;
}

function described(wanted: Wanted): UploadDescription {
  const maker = wanted.maker.trim();
  const isList = /\s/.test(maker);
  return {
    source: wanted.source,
    hold: wanted.hold,
    despite_findings: wanted.despiteFindings,
    facts: { ...wanted.facts },
    ...(maker === "" ? {} : isList ? { list: wanted.maker } : { expect: [maker] }),
  };
}

/** The same file may have been on its way when the page was closed: then it resumes. The
 * checksum at the end proves that it is the same. */
async function opened(file: File, wanted: Wanted): Promise<Upload> {
  const { uploads } = await call("GET /v1/uploads", {});
  const known = uploads.find(
    (one) => one.state === "receiving" && one.name === wanted.name && one.size === file.size,
  );
  const description = described(wanted);
  return known
    ? call("PATCH /v1/uploads/{number}", { number: known.number }, description)
    : call("POST /v1/uploads", {}, { name: wanted.name, size: file.size, description });
}

async function send(one: HandedIn, wanted: Wanted, stop: { stopped: boolean }): Promise<void> {
  const { id, file } = one;
  let upload = await opened(file, wanted);
  const { number } = upload;
  const digest = new Digest();
  try {
    await digest.begin();
    let digested = 0;
    const digestTo = async (end: number) => {
      while (digested < end) {
        const bytes = await file.slice(digested, Math.min(digested + piece, end)).arrayBuffer();
        digested += bytes.byteLength;
        await digest.add(bytes);
      }
    };
    let rate = 0;
    while (upload.bytes < file.size) {
      if (stop.stopped) {
        await call("DELETE /v1/uploads/{number}", { number });
        return;
      }
      change(id, { sent: upload.bytes, stage: { at: "sending", rate } });
      const from = upload.bytes;
      const end = Math.min(from + piece, file.size);
      const began = performance.now();
      const computed = digestTo(end);
      try {
        upload = await call(
          "PUT /v1/uploads/{number}",
          { number, offset: from },
          file.slice(from, end),
        );
        rate = ((upload.bytes - from) * 1000) / Math.max(1, performance.now() - began);
      } catch (failure) {
        const refusal = asRefusal(failure);
        if (!passes(refusal)) throw refusal;
        upload = await whenBack(id, number, refusal, stop);
      }
      await computed;
    }
    change(id, { sent: file.size, stage: { at: "comparing", looked: 0, rate: 0 } });
    await digestTo(file.size);
    const sha256 = await digest.end();
    const added = await filed(id, number, sha256, stop);
    change(id, { stage: { at: "added", added, sha256 } });
  } finally {
    digest.close();
  }
}

/** Asks for the filing. It may take a minute, in which the link may break: then the state
 * of the upload gives the result. */
async function filed(
  id: number,
  number: number,
  sha256: string,
  stop: { stopped: boolean },
): Promise<Added> {
  while (true) {
    try {
      const work = call("POST /v1/uploads/{number}/filing", { number }, { sha256 });
      return await showingTheLook(id, number, work);
    } catch (failure) {
      const refusal = asRefusal(failure);
      if (!passes(refusal)) throw refusal;
      let upload = await whenBack(id, number, refusal, stop);
      while (upload.state === "filing") upload = await whenBack(id, number, refusal, stop);
      change(id, { stage: { at: "comparing", looked: 0, rate: 0 } });
    }
  }
}

/** Asks twice a second how far the look inside is, until the filing is answered. */
async function showingTheLook<T>(id: number, number: number, work: Promise<T>): Promise<T> {
  let over = false;
  const began = performance.now();
  const follow = async () => {
    while (true) {
      await pause(500);
      if (over) return;
      const upload = await call("GET /v1/uploads/{number}", { number }).catch(() => null);
      if (over || !upload) return;
      const looked = upload.looked_bytes;
      const rate = (looked * 1000) / (performance.now() - began);
      change(id, { stage: { at: "comparing", looked, rate } });
    }
  };
  void follow();
  try {
    return await work;
  } finally {
    over = true;
  }
}

/** Waits until the server answers, and asks how much has arrived. A lost link is shown only
 * if the server does not answer this either. */
async function whenBack(
  id: number,
  number: number,
  refusal: Refusal,
  stop: { stopped: boolean },
): Promise<Upload> {
  while (!stop.stopped) {
    await pause(link.peek().state === "open" ? 500 : 2000);
    try {
      return await call("GET /v1/uploads/{number}", { number });
    } catch (failure) {
      const again = asRefusal(failure);
      if (!passes(again)) throw again;
      change(id, { stage: { at: "interrupted", why: again.sentence } });
    }
  }
  throw refusal;
}

export async function sendFile(id: number, wanted: Wanted): Promise<void> {
  const one = files.peek().find((known) => known.id === id);
  if (!one) return;
  const stop = { stopped: false };
  stops.set(id, stop);
  change(id, { name: wanted.name, stage: { at: "sending", rate: 0 } });
  try {
    await send(one, wanted, stop);
  } catch (failure) {
    const refusal = asRefusal(failure);
    // After a restart the server has nothing of it: from the beginning, as its refusal says.
    if (refusal.problem.status === 404 && !stop.stopped) return sendFile(id, wanted);
    change(id, { stage: { at: "refused", refusal } });
  }
  stops.delete(id);
}

/** Leaving the page loses nothing, unless something is on its way. */
export function isSending(): boolean {
  return files.peek().some((one) => ["sending", "interrupted", "comparing"].includes(one.stage.at));
}

addEventListener("beforeunload", (event) => {
  if (isSending()) event.preventDefault();
});
