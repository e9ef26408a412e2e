import { placeOf, ticksOf } from "@/charts/axis";
import { day, percent } from "@/charts/format";
import { DayAxis } from "@/charts/day-axis";
import { Levels } from "@/charts/levels";
import { Picture } from "@/charts/picture";
import type { Result, Row } from "@/stations/campaigns/types";

const WIDTH = 460;
const HEIGHT = 168;
const LEFT = 36;
const RIGHT = 74;
const TOP = 10;
const FOOT = 24;

/** How fast both arms came back, day by day. */
export function Pace({ row, result }: { row: Row; result: Result }) {
  const { pace, horizon } = result;
  const most = Math.max(0.01, ...pace.flatMap((point) => [point.written, point.held ?? 0])) * 1.08;
  const high = { low: 0, high: most, log: false };
  const across = { low: 0, high: Math.max(1, horizon), log: false };
  const x = (days: number) => LEFT + placeOf(days, across) * (WIDTH - LEFT - RIGHT);
  const y = (share: number) => HEIGHT - FOOT - placeOf(share, high) * (HEIGHT - TOP - FOOT);
  const line = (share: (point: Result["pace"][number]) => number) =>
    `M${pace.map((point) => `${x(point.day).toFixed(1)} ${y(share(point)).toFixed(1)}`).join("L")}`;
  const last = pace.at(-1);
  const ends = last
    ? apart([
        ["written to", y(last.written)] as const,
        ...(last.held === null ? [] : [["held out", y(last.held)] as const]),
      ])
    : [];
  return (
    <section className="card p-3" aria-label="How fast they came">
      <h2 className="text-14">How fast they came</h2>
      <Picture
        width="100%"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        label={`Share who came back within so many days of ${day(row.send_on)}, by arm`}
      >
        <Levels
          values={ticksOf(high, 3)}
          y={y}
          from={LEFT}
          to={WIDTH - RIGHT}
          words={(share) => percent(share, 1, 0)}
        />
        <DayAxis days={ticksOf(across, 4)} x={x} y={HEIGHT - 8} />
        {last?.held !== null && (
          <path
            d={line((point) => point.held ?? 0)}
            fill="none"
            stroke="var(--color-quiet)"
            strokeWidth={1.6}
          />
        )}
        <path
          d={line((point) => point.written)}
          fill="none"
          stroke="var(--color-ink)"
          strokeWidth={1.8}
        />
        {ends.map(([words, at]) => (
          <text key={words} x={x(last?.day ?? 0) + 6} y={at + 4} fontSize={11}>
            {words}
          </text>
        ))}
      </Picture>
    </section>
  );
}

/** Names at the ends of two lines, so far apart that both can be read. */
function apart(ends: (readonly [string, number])[]): (readonly [string, number])[] {
  const [first, second] = ends;
  if (!first || !second) return ends;
  const lack = 13 - Math.abs(first[1] - second[1]);
  if (lack <= 0) return ends;
  const up = first[1] <= second[1] ? -1 : 1;
  return [
    [first[0], first[1] + (up * lack) / 2],
    [second[0], second[1] - (up * lack) / 2],
  ];
}
