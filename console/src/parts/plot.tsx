// A plot over time by uPlot: named with its last values, its numbers in a table under it.
import { useEffect, useRef } from "preact/hooks";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { timeText } from "../formats/time";
import { Table } from "./table";

export interface Curve {
  readonly name: string;
  readonly values: readonly number[];
}

const strokes = ["--plot-1", "--plot-2", "--plot-3"];
const dashes: readonly number[][] = [[], [6, 4], [2, 3]];

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

export function Plot({
  title,
  times,
  curves,
  text,
  now,
}: {
  title: string;
  /** RFC 3339 */
  times: readonly string[];
  curves: readonly Curve[];
  text: (value: number) => string;
  now: Date;
}) {
  const place = useRef<HTMLDivElement>(null);
  const seconds = times.map((one) => new Date(one).getTime() / 1000);
  const data: uPlot.AlignedData = [seconds, ...curves.map((one) => [...one.values])];
  const names = curves.map((one) => one.name).join("|");
  const chart = useRef<uPlot>(undefined);
  // biome-ignore lint/correctness/useExhaustiveDependencies: made anew for other curves only; the numbers come by setData()
  useEffect(() => {
    const box = place.current;
    if (!box) return;
    const make = () => {
      chart.current?.destroy();
      const axis = {
        stroke: colour("--ink"),
        grid: { stroke: colour("--line"), width: 1 },
        ticks: { stroke: colour("--line") },
      };
      chart.current = new uPlot(
        {
          width: box.clientWidth,
          height: 180,
          legend: { show: false },
          cursor: { show: false },
          scales: { y: { range: (_, __, most) => [0, Math.max(4, most * 1.1)] } },
          axes: [
            {
              ...axis,
              space: 90,
              values: (_, all) => {
                // Seconds only where minutes would all be the same.
                const isShort = (all.at(-1) ?? 0) - (all[0] ?? 0) < 600;
                return all.map((one) =>
                  timeText(new Date(one * 1000).toISOString(), new Date()).slice(
                    0,
                    isShort ? 8 : 5,
                  ),
                );
              },
            },
            { ...axis, size: 84, values: (_, all) => all.map((one) => text(one)) },
          ],
          series: [
            {},
            ...curves.map((one, i) => ({
              label: one.name,
              stroke: colour(strokes[i % strokes.length] ?? "--ink"),
              dash: dashes[i % dashes.length] ?? [],
              width: 2,
            })),
          ],
        },
        data,
        box,
      );
    };
    make();
    const resized = new ResizeObserver(() =>
      chart.current?.setSize({ width: box.clientWidth, height: 180 }),
    );
    resized.observe(box);
    const theme = matchMedia("(prefers-color-scheme: dark)");
    theme.addEventListener("change", make);
    return () => {
      resized.disconnect();
      theme.removeEventListener("change", make);
      chart.current?.destroy();
      chart.current = undefined;
    };
  }, [names]);
  useEffect(() => chart.current?.setData(data));
  const last = curves.map((one) => `${one.name} ${text(one.values.at(-1) ?? 0)} now`).join(", ");
  const rows = times.map((at, i) => ({ at, values: curves.map((one) => one.values[i] ?? 0) }));
  return (
    <figure class="plot">
      <figcaption>
        {title}
        {curves.map((one, i) => (
          <span key={one.name} class={`curve-${i + 1}`}>
            {one.name}: {text(one.values.at(-1) ?? 0)}
          </span>
        ))}
      </figcaption>
      <div ref={place} role="img" aria-label={`${title}: ${last}`} />
      <details>
        <summary>The numbers</summary>
        <Table
          caption={title}
          columns={[
            { name: "Time", isHead: true, cell: (row) => timeText(row.at, now) },
            ...curves.map((one, i) => ({
              name: one.name,
              isNumber: true,
              cell: (row: (typeof rows)[number]) => text(row.values[i] ?? 0),
            })),
          ]}
          rows={rows.slice(-60).reverse()}
          keyOf={(row) => row.at}
        />
      </details>
    </figure>
  );
}
