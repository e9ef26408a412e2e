import { placeOf, ticksOf } from "@/charts/axis";
import { day } from "@/charts/format";
import type { ForkPoint, Result, Row } from "@/stations/campaigns/types";
import { inHundred, points } from "@/stations/campaigns/words";

const AXIS = 226;

interface Props {
  row: Row;
  result: Result | null;
  fork: ForkPoint | null;
  /** Where the arms end. */
  middles: { written: number; held: number };
  left: number;
  width: number;
}

interface End {
  share: number;
  low: number;
  high: number;
}

/** Where the arms lead: what the fork could prove, or what came of it. */
export function Ends({ row, result, fork, middles, left, width }: Props) {
  const hoped = expected(row, fork);
  const written: End | null = result ? result.written : (hoped?.written ?? null);
  const held: End | null = result ? result.held : (hoped?.held ?? null);
  if (!written && !held) return null;
  const ends = [written, held].filter((end) => end !== null);
  const low = Math.min(...ends.map((end) => end.low));
  const high = Math.max(...ends.map((end) => end.high));
  const room = Math.max(0.02, (high - low) * 0.25);
  const axis = { low: Math.max(0, low - room), high: Math.min(1, high + room), log: false };
  const from = left + 60;
  const to = width - 176;
  const x = (share: number) => from + placeOf(share, axis) * (to - from);
  const told = result?.returned;
  const rows: [End | null, number, string, string][] = [
    [written, Math.min(middles.written, 96), middles.written.toFixed(0), "var(--color-ink)"],
    [
      held,
      Math.max(Math.min(middles.held, 190), 128),
      middles.held.toFixed(0),
      "var(--color-quiet)",
    ],
  ];
  const [first, second] = rows;
  const gap = told?.difference ?? fork?.effect ?? null;
  return (
    <g>
      {rows.map(
        ([end, y, middle, colour], n) =>
          end && (
            <g key={n} opacity={result && !result.final ? 0.75 : 1}>
              <path
                d={`M${left + 2} ${middle}C${left + 30} ${middle} ${left + 30} ${y} ${left + 60} ${y}H${x(end.low)}`}
                stroke={colour}
                strokeWidth={1}
                strokeDasharray="2 3"
                fill="none"
              />
              {(result ?? n === 1) && (
                <path d={`M${x(end.low)} ${y}H${x(end.high)}`} stroke={colour} strokeWidth={3} />
              )}
              <circle
                cx={x(end.share)}
                cy={y}
                r={7}
                fill={result ? colour : "var(--color-card)"}
                stroke={colour}
                strokeWidth={result ? 0 : 2}
              />
              <text
                x={Math.max(x(end.high), x(end.share) + 7) + 8}
                y={y + 4}
                fontSize={11}
                fontWeight={600}
              >
                {inHundred(end.share)}%
              </text>
            </g>
          ),
      )}
      {written && held && first && second && gap !== null && (
        <g>
          <path
            d={`M${x(written.share)} ${first[1] + 10}V${(first[1] + second[1]) / 2}H${x(held.share)}V${second[1] - 10}`}
            fill="none"
            stroke="var(--color-ink)"
          />
          <text
            x={Math.max(x(written.share), x(held.share)) + 10}
            y={(first[1] + second[1]) / 2 + 6}
            fontSize={result ? 20 : 16}
            fontWeight={600}
          >
            {result ? `${points(gap)} points` : `${points(gap)} or more is found`}
            {result && !result.final && (
              <tspan fontSize={12} fontWeight={400} style={{ fill: "var(--color-quiet)" }}>
                {" "}
                so far
              </tspan>
            )}
          </text>
        </g>
      )}
      <path d={`M${from} ${AXIS}H${to}`} stroke="var(--color-quiet)" />
      {ticksOf(axis).map((share) => (
        <g key={share}>
          <path d={`M${x(share)} ${AXIS}v4`} stroke="var(--color-quiet)" />
          <text
            x={x(share)}
            y={AXIS + 16}
            fontSize={11}
            textAnchor="middle"
            style={{ fill: "var(--color-quiet)" }}
          >
            {inHundred(share, 0)}%
          </text>
        </g>
      ))}
      <text
        x={to}
        y={AXIS + 31}
        fontSize={11}
        textAnchor="end"
        style={{ fill: "var(--color-quiet)" }}
      >
        {result
          ? `came back within ${result.days} days of ${day(row.send_on)}`
          : "unasked one horizon earlier, and what is found"}
      </text>
    </g>
  );
}

/** What the arms would have to come to for the rise to be found. */
function expected(row: Row, fork: ForkPoint | null): { written: End; held: End } | null {
  if (row.base_rate === null || row.base_low === null || row.base_high === null) return null;
  if (fork?.effect === null || fork?.effect === undefined) return null;
  const share = Math.min(1, row.base_rate + fork.effect);
  return {
    written: { share, low: share, high: share },
    held: { share: row.base_rate, low: row.base_low, high: row.base_high },
  };
}
