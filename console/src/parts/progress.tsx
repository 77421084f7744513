// How far something is: a bar, and the same in words.
import { percent, sizeText } from "../formats/size";

export function Progress({
  bytes,
  total,
  name,
}: {
  bytes: number;
  total: number | null;
  name: string;
}) {
  if (total === null) return <span>{sizeText(bytes)}</span>;
  const done = percent(bytes, total);
  return (
    <span class="progress">
      <progress max={100} value={done} aria-label={name} />
      <span>
        {sizeText(bytes)} of {sizeText(total)}
      </span>
    </span>
  );
}

/** A small curve of rates; the numbers are beside it. */
export function Sparkline({ values }: { values: readonly number[] }) {
  const most = Math.max(1, ...values);
  const width = 96;
  const height = 20;
  const step = width / Math.max(1, values.length - 1);
  const points = values
    .map(
      (value, i) =>
        `${(i * step).toFixed(1)},${(height - 1 - (value / most) * (height - 2)).toFixed(1)}`,
    )
    .join(" ");
  return (
    <svg
      class="sparkline"
      width={width}
      height={height}
      viewBox={`0 0 ${width} ${height}`}
      aria-hidden="true"
    >
      <polyline points={points} />
    </svg>
  );
}
