// The running transfers, and those that ended a moment ago, with their rates over time.
import type { Transfer } from "../api/operations";

export interface Followed {
  readonly transfer: Transfer;
  /** Bytes per second, one for each second with a report; at most 120. */
  readonly rates: readonly number[];
  /** The time of its last report, in milliseconds. */
  readonly heard: number;
}

export type Transfers = ReadonlyMap<number, Followed>;

const mostRates = 120;
const afterglow = 30_000;

export function applyTransfer(before: Transfers, transfer: Transfer, now: number): Transfers {
  const known = before.get(transfer.id);
  const isNewSecond = !known || Math.floor(now / 1000) !== Math.floor(known.heard / 1000);
  const rates = known?.rates ?? [];
  const next = new Map(before);
  next.set(transfer.id, {
    transfer,
    rates: isNewSecond ? [...rates, transfer.rate].slice(-mostRates) : rates,
    heard: now,
  });
  return next;
}

/** Without those that ended some time ago. */
export function withoutOld(before: Transfers, now: number): Transfers {
  const kept = [...before].filter(
    ([, one]) => one.transfer.state === "running" || now - one.heard < afterglow,
  );
  return kept.length === before.size ? before : new Map(kept);
}

/** After the link was lost the server reports all running ones again. */
export function onlyEnded(before: Transfers): Transfers {
  return new Map([...before].filter(([, one]) => one.transfer.state !== "running"));
}

/** Running ones first: those that have stalled, then the newest. */
export function inOrder(all: Transfers): Followed[] {
  const rank = (one: Followed) =>
    one.transfer.state !== "running" ? 2 : one.transfer.stalled_ms !== null ? 0 : 1;
  return [...all.values()].sort((a, b) => rank(a) - rank(b) || b.transfer.id - a.transfer.id);
}
