// Times in the viewer's time zone, which is named beside them. The clock is an argument.

const options = (more: Intl.DateTimeFormatOptions) =>
  new Intl.DateTimeFormat("en-GB", { hourCycle: "h23", ...more });
const clock = options({ hour: "2-digit", minute: "2-digit", second: "2-digit" });
const dayAndClock = options({
  day: "numeric",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
});
const dateAndClock = options({
  year: "numeric",
  month: "short",
  day: "numeric",
  hour: "2-digit",
  minute: "2-digit",
});
const full = options({
  weekday: "short",
  year: "numeric",
  month: "short",
  day: "numeric",
  hour: "2-digit",
  minute: "2-digit",
  second: "2-digit",
  timeZoneName: "short",
});
const day = options({ year: "numeric", month: "numeric", day: "numeric" });

/** The name of the viewer's time zone: "CET", "UTC" or "Europe/Vienna". */
export function zoneName(now: Date): string {
  const part = full.formatToParts(now).find((one) => one.type === "timeZoneName");
  return part?.value ?? Intl.DateTimeFormat().resolvedOptions().timeZone;
}

/** As short as it can be without doubt: today only the clock, this year without the year. */
export function timeText(iso: string, now: Date): string {
  const at = new Date(iso);
  if (Number.isNaN(at.getTime())) return "";
  if (day.format(at) === day.format(now)) return clock.format(at);
  if (at.getFullYear() === now.getFullYear()) return dayAndClock.format(at);
  return dateAndClock.format(at);
}

/** With date, weekday and time zone. */
export function fullTime(iso: string): string {
  const at = new Date(iso);
  return Number.isNaN(at.getTime()) ? "" : full.format(at);
}

/** Seconds since then; never below zero, as two clocks are never quite the same. */
export function secondsSince(iso: string, now: Date): number {
  return Math.max(0, (now.getTime() - new Date(iso).getTime()) / 1000);
}

/** The value of a datetime-local field, as RFC 3339 in UTC; empty: none. */
export function fromLocalField(text: string): string {
  const at = new Date(text);
  return text === "" || Number.isNaN(at.getTime()) ? "" : at.toISOString();
}

/** The reverse: "2026-11-29T22:00" in the viewer's time zone. */
export function toLocalField(iso: string): string {
  const at = new Date(iso);
  if (iso === "" || Number.isNaN(at.getTime())) return "";
  const minutes = at.getTime() - at.getTimezoneOffset() * 60_000;
  return new Date(minutes).toISOString().slice(0, 16);
}
