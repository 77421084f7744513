// Sizes, rates and durations, in the server's words (src/base/sizes.cc). tests/base/size_texts.txt
// holds the texts for both.

const units = ["KiB", "MiB", "GiB", "TiB", "PiB", "EiB"] as const;

// As fmt's "{:.1f}": toFixed() rounds a half up, fmt to the even digit.
function oneDigit(value: number): string {
  const tenths = value * 10;
  const below = Math.floor(tenths);
  if (tenths - below !== 0.5) return value.toFixed(1);
  return ((below % 2 === 0 ? below : below + 1) / 10).toFixed(1);
}

export function sizeText(bytes: number): string {
  if (bytes < 1024) return `${Math.trunc(bytes)} B`;
  let value = bytes / 1024;
  let unit = 0;
  // 1023.95 would round to 1024.0, so it goes to the next unit.
  while (value >= 1023.95 && unit + 1 < units.length) {
    value /= 1024;
    ++unit;
  }
  return `${oneDigit(value)} ${units[unit] ?? "EiB"}`;
}

export function rateText(bytesPerSecond: number): string {
  return `${sizeText(Math.trunc(bytesPerSecond))}/s`;
}

const two = (value: number) => String(value).padStart(2, "0");

export function durationText(seconds: number): string {
  if (seconds < 0.9995) return `${Math.floor(seconds * 1000 + 0.5)} ms`;
  if (seconds < 9.95) return `${oneDigit(seconds)} s`;
  const whole = Math.floor(seconds + 0.5);
  if (whole < 60) return `${whole} s`;
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${two(whole % 60)} s`;
  const hours = Math.floor(whole / 3600);
  if (hours < 48) return `${hours} h ${two(Math.floor((whole % 3600) / 60))} min`;
  const days = Math.floor(hours / 24);
  return hours < 30 * 24 && hours % 24 !== 0 ? `${days} days ${hours % 24} h` : `${days} days`;
}

/** How long something has lasted: in whole seconds, as it is updated each second. */
export function ageText(seconds: number): string {
  const whole = Math.max(0, Math.floor(seconds));
  return whole < 60 ? `${whole} s` : durationText(whole);
}

export function percent(part: number, whole: number): number {
  return whole > 0 ? Math.min(100, Math.floor((part * 100) / whole)) : 0;
}
