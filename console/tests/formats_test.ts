import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { ageText, durationText, percent, rateText, sizeText } from "../src/formats/size";
import { fromLocalField, secondsSince, timeText, toLocalField } from "../src/formats/time";
import { count, moodOf } from "../src/formats/words";

declare const SOURCE: string;

test("sizes, rates and durations are worded as the server does", () => {
  const lines = readFileSync(`${SOURCE}/tests/base/size_texts.txt`, "utf8").split("\n");
  const kinds = { size: sizeText, rate: rateText, duration: durationText };
  let tried = 0;
  for (const line of lines) {
    const [kind, value, text] = line.split("|");
    if (kind !== "size" && kind !== "rate" && kind !== "duration") continue;
    assert.equal(kinds[kind](Number(value)), text, line);
    ++tried;
  }
  assert.ok(tried > 25);
});

test("an age is told in whole seconds", () => {
  assert.equal(ageText(-1), "0 s");
  assert.equal(ageText(4.9), "4 s");
  assert.equal(ageText(61.9), "1 min 01 s");
});

test("a part of nothing is nothing, and never more than all", () => {
  assert.equal(percent(1, 0), 0);
  assert.equal(percent(999, 1000), 99);
  assert.equal(percent(7, 5), 100);
});

test("a time is as short as it can be without doubt", () => {
  const now = new Date("2026-11-29T12:00:00Z");
  assert.equal(timeText("2026-11-29T09:08:07.123Z", now), "09:08:07");
  assert.match(timeText("2026-11-27T09:08:07Z", now), /^27 Nov(,| at)? 09:08$/);
  assert.match(timeText("2025-11-27T09:08:07Z", now), /2025/);
  assert.equal(timeText("", now), "");
  assert.equal(secondsSince("2026-11-29T12:00:05Z", now), 0);
});

test("a field for times gives them back", () => {
  const iso = "2026-11-29T22:00:00.000Z";
  assert.equal(fromLocalField(toLocalField(iso)), iso);
  assert.equal(fromLocalField(""), "");
  assert.equal(toLocalField("nonsense"), "");
});

test("words", () => {
  assert.equal(count(1, "batch", "batches"), "1 batch");
  assert.equal(count(12345, "image"), "12,345 images");
  assert.equal(moodOf("something new"), "plain");
  assert.equal(moodOf("stop"), "bad");
});
