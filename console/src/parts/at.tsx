// A point in time: short, with the full form on request.

import { ageText } from "../formats/size";
import { fullTime, secondsSince, timeText } from "../formats/time";

export function At({ iso, now }: { iso: string | null; now: Date }) {
  if (!iso) return <span>–</span>;
  return (
    <time dateTime={iso} title={fullTime(iso)}>
      {timeText(iso, now)}
    </time>
  );
}

export function Ago({ iso, now }: { iso: string | null; now: Date }) {
  if (!iso) return <span>never</span>;
  return (
    <time dateTime={iso} title={fullTime(iso)}>
      {ageText(Math.max(1, secondsSince(iso, now)))} ago
    </time>
  );
}
