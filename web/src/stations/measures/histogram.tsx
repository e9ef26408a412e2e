import type { Schemas } from "@/api/client";
import { placeOf, ticksOf } from "@/charts/axis";
import { count, fixed, inUnit } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { barRange, holds, rangeClause, withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import type { Thread } from "@/stations/measures/use-measures";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

const W = 380;
const H = 84;
const BOX = 20;

interface Props {
  thread: Thread;
  numbers: Schemas["Numbers"];
  found: Schemas["MeasureDetail"];
}

/** Bars to be picked, the box and the fences under them on the same axis. */
export function Histogram({ thread, numbers, found }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const { edges, bars } = found;
  if (edges.length < 2) return <p className="text-quiet">Nobody has a value.</p>;
  const axis = { low: edges[0] ?? 0, high: edges.at(-1) ?? 1, log: false };
  const x = (value: number) => placeOf(value, axis) * W;
  const most = Math.max(1, ...bars);
  const mine = found.lens;
  const share = mine ? Math.max(1, ...mine) : 1;
  const own = lens.clauses.find((clause) => clause.field === thread.field);
  const words = (value: number | null) => inUnit(value, thread.unit, study.currency);
  const f = numbers.figures;
  const fences = numbers.fences;
  const beyond = fences.below + fences.above;
  return (
    <figure>
      <PickPicture
        viewBox={`0 0 ${W} ${H + BOX + 16}`}
        className="w-full"
        label={`Histogram of ${thread.label}`}
      >
        {bars.map((bar, n) => {
          const [from = 0, to = 0] = [edges[n], edges[n + 1]];
          const range = barRange(edges, n, n);
          const pick = { range };
          const picked = holds(own, pick);
          const tried = rangeClause(thread.field, range);
          return (
            <g key={from}>
              <rect
                x={x(from) + 0.5}
                width={Math.max(1, x(to) - x(from) - 1)}
                y={0}
                height={H}
                fill="transparent"
                {...pickable({
                  label: `${words(from)} to ${words(to)}: ${count(bar)} ${unit.many}`,
                  pressed: picked,
                  onPick: (more) => lens.pick(thread.field, pick, more),
                  onTry: (resting) => lens.preview(resting ? tried : null),
                })}
                className="cursor-pointer hover:fill-paper"
              >
                <title>{`${words(from)} to ${words(to)}: ${count(bar)}`}</title>
              </rect>
              <rect
                x={x(from) + 0.5}
                width={Math.max(1, x(to) - x(from) - 1)}
                y={H - (bar / most) * (H - 4)}
                height={(bar / most) * (H - 4)}
                fill={picked ? "var(--color-teal)" : "var(--color-everyone)"}
                pointerEvents="none"
              />
              {mine && (
                <line
                  x1={x(from) + 0.5}
                  x2={x(to) - 0.5}
                  y1={H - ((mine[n] ?? 0) / share) * (H - 4)}
                  y2={H - ((mine[n] ?? 0) / share) * (H - 4)}
                  stroke="var(--color-teal)"
                  strokeWidth={2}
                  pointerEvents="none"
                />
              )}
            </g>
          );
        })}
        <line x1={0} x2={W} y1={H} y2={H} stroke="var(--color-quiet)" />
        <Box numbers={numbers} x={x} />
        {ticksOf(axis, 5).map((tick) => (
          <text
            key={tick}
            x={Math.min(W - 2, Math.max(2, x(tick)))}
            y={H + BOX + 13}
            fontSize={11}
            textAnchor={x(tick) < 8 ? "start" : x(tick) > W - 8 ? "end" : "middle"}
            fill="var(--color-quiet)"
          >
            {words(tick)}
          </text>
        ))}
      </PickPicture>
      <figcaption className="text-11 text-quiet">
        The box is the middle half, its mark the median ({words(f.median)}).{" "}
        {fences.low !== null && beyond > 0 ? (
          <>
            <button
              type="button"
              className="text-teal underline"
              onClick={() =>
                lens.set(
                  withValues(lens.clauses, `outlier:${thread.name}`, [
                    "below the lower fence",
                    "above the upper fence",
                  ]),
                )
              }
            >
              {count(beyond)} lie beyond the fences
            </button>{" "}
            of {words(fences.low)} and {words(fences.high)}, which allow for the skew (medcouple{" "}
            {fixed(fences.medcouple ?? 0)}).
          </>
        ) : (
          "No one lies beyond the fences, which allow for the skew."
        )}
        {found.below + found.above > 0 &&
          ` ${count(found.below + found.above)} lie beyond the ends of this axis.`}
      </figcaption>
    </figure>
  );
}

function Box({ numbers, x }: { numbers: Schemas["Numbers"]; x: (value: number) => number }) {
  const { figures: f, fences } = numbers;
  if (f.median === null || f.quartile_1 === null || f.quartile_3 === null) return null;
  const y = H + 5;
  const low = Math.max(fences.low ?? f.low ?? 0, f.low ?? 0);
  const high = Math.min(fences.high ?? f.high ?? 0, f.high ?? 0);
  return (
    <g stroke="var(--color-quiet)" aria-hidden>
      <line x1={x(low)} x2={x(high)} y1={y + 6} y2={y + 6} />
      {[low, high].map((value) => (
        <line key={value} x1={x(value)} x2={x(value)} y1={y + 2} y2={y + 10} />
      ))}
      <rect
        x={x(f.quartile_1)}
        width={Math.max(1.5, x(f.quartile_3) - x(f.quartile_1))}
        y={y + 1}
        height={10}
        fill="var(--color-everyone)"
      />
      <line
        x1={x(f.median)}
        x2={x(f.median)}
        y1={y - 1}
        y2={y + 13}
        stroke="var(--color-ink)"
        strokeWidth={2}
      />
    </g>
  );
}
