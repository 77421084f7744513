// The event stream, read by fetch and not by EventSource: so its comments are seen, which prove
// that the link lives while nothing happens, and a refusal has its status.
import { Refusal, unreachable } from "./call";
import type { Change, LedgerGrown, Transfer } from "./operations";

export type ServerEvent =
  | { what: "transfer"; transfer: Transfer }
  | { what: "change"; change: Change }
  | { what: "ledger"; ledger: LedgerGrown };

function eventOf(name: string, data: string): ServerEvent | undefined {
  switch (name) {
    case "transfer":
      return { what: "transfer", transfer: JSON.parse(data) as Transfer };
    case "change":
      return { what: "change", change: JSON.parse(data) as Change };
    case "ledger":
      return { what: "ledger", ledger: JSON.parse(data) as LedgerGrown };
    default:
      return undefined; // of a newer server
  }
}

/** Takes text in any pieces, and returns the complete events (the HTML
 * standard, 9.2.6). */
export class EventReader {
  private rest = "";
  private name = "";
  private data: string[] = [];

  take(text: string): ServerEvent[] {
    const lines = (this.rest + text).split("\n");
    this.rest = lines.pop() ?? "";
    const events: ServerEvent[] = [];
    for (const line of lines) {
      if (line === "") {
        const event = this.data.length > 0 ? eventOf(this.name, this.data.join("\n")) : undefined;
        if (event) events.push(event);
        this.name = "";
        this.data = [];
      } else if (line.startsWith("event: ")) {
        this.name = line.slice(7);
      } else if (line.startsWith("data: ")) {
        this.data.push(line.slice(6));
      }
    }
    return events;
  }
}

/** Reads until the stream ends, which is a Refusal. `heard`: called for everything, comments too. */
export async function readEvents(
  heard: () => void,
  happened: (events: readonly ServerEvent[]) => void,
  signal: AbortSignal,
): Promise<never> {
  let response: Response;
  try {
    response = await fetch("/v1/events", { credentials: "same-origin", signal });
  } catch {
    throw unreachable();
  }
  if (!response.ok || !response.body) {
    const { problem } = unreachable();
    throw new Refusal({ ...problem, status: response.status });
  }
  const stream = response.body.pipeThrough(new TextDecoderStream()).getReader();
  const reader = new EventReader();
  while (true) {
    let piece: ReadableStreamReadResult<string>;
    try {
      piece = await stream.read();
    } catch {
      throw unreachable();
    }
    if (piece.done) throw unreachable();
    heard();
    const events = reader.take(piece.value);
    if (events.length > 0) happened(events);
  }
}
