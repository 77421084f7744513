import assert from "node:assert/strict";
import { test } from "node:test";
import { target } from "../src/api/call";
import { EventReader } from "../src/api/events";
import type { Transfer } from "../src/api/operations";
import { applyTransfer, inOrder, onlyEnded, withoutOld } from "../src/store/transfers";

test("what stands in the path is not in the query, and what is not given is nowhere", () => {
  assert.equal(
    target("GET /v1/backups/{holder}/{name}", {
      holder: "osier-sw",
      name: "a/b ?.cfg",
      revision: 2,
    }),
    "/v1/backups/osier-sw/a%2Fb%20%3F.cfg?revision=2",
  );
  assert.equal(
    target("GET /v1/images", { text: "", platform: undefined, newest: true }),
    "/v1/images?newest=true",
  );
  assert.equal(
    target("PUT /v1/images/{name}", { name: "x", expect: ["a", "b"], fact: { version: "7" } }),
    "/v1/images/x?expect=a%2Cb&fact.version=7",
  );
});

const stream =
  ': still here\n\nevent: change\nid: 31\ndata: {"sequence":31,"kind":"offer"}\n\n' +
  'event: somethingNew\ndata: {}\n\nevent: ledger\nid: 5\ndata: {"newest":5}\n\n';

test("events are the same however the stream is split", () => {
  for (let at = 0; at <= stream.length; ++at) {
    const reader = new EventReader();
    const events = [...reader.take(stream.slice(0, at)), ...reader.take(stream.slice(at))];
    assert.deepEqual(
      events.map((one) => one.what),
      ["change", "ledger"],
      `split at ${at}`,
    );
  }
  const reader = new EventReader();
  assert.equal([...stream].flatMap((letter) => reader.take(letter)).length, 2);
});

function transfer(id: number, more: Partial<Transfer> = {}): Transfer {
  return {
    id,
    direction: "fetch",
    state: "running",
    protocol: "tftp",
    peer: "192.0.2.7",
    device: "",
    account: "",
    name: "x.img",
    bytes: 0,
    total: 100,
    rate: 10,
    seconds_left: null,
    resent: 0,
    unanswered: 0,
    stalled_ms: null,
    began_at: "2026-11-29T02:00:00.000Z",
    duration_ms: 0,
    why: "",
    caution: "",
    node: "",
    job: "",
    ...more,
  };
}

test("a rate is kept once for each second, and the last two minutes of them", () => {
  let all = applyTransfer(new Map(), transfer(1, { rate: 5 }), 1000);
  all = applyTransfer(all, transfer(1, { rate: 6 }), 1250);
  assert.deepEqual(all.get(1)?.rates, [5]);
  for (let second = 2; second < 200; ++second) {
    all = applyTransfer(all, transfer(1, { rate: second }), second * 1000);
  }
  assert.equal(all.get(1)?.rates.length, 120);
  assert.equal(all.get(1)?.rates.at(-1), 199);
});

test("stalled ones come first, ended ones last, and go after half a minute", () => {
  let all = applyTransfer(new Map(), transfer(1), 0);
  all = applyTransfer(all, transfer(2, { state: "complete" }), 0);
  all = applyTransfer(all, transfer(3, { stalled_ms: 4000 }), 0);
  assert.deepEqual(
    inOrder(all).map((one) => one.transfer.id),
    [3, 1, 2],
  );
  assert.equal(withoutOld(all, 29_000), all);
  assert.deepEqual([...withoutOld(all, 31_000).keys()], [1, 3]);
  // After a lost link the server tells again of what runs.
  assert.deepEqual([...onlyEnded(all).keys()], [2]);
});
