import type { Schemas } from "@/api/client";
import { ticksOf } from "@/charts/axis";
import { count, day } from "@/charts/format";
import { Levels } from "@/charts/levels";
import { Picture } from "@/charts/picture";
import { hueOf, MarkShape } from "@/marks/segment-mark";
import { useMoney } from "@/study/context";

type Page = Schemas["AheadPage"];
type Ahead = Schemas["Ahead"];
export type Unit = "customers" | "spend";

const WIDTH = 1000;
const HEIGHT = 300;
const LEFT = 64;
const RIGHT = 150;
const TOP = 10;
const FOOT = 24;

/** One line a segment: full as seen, dashed ahead, with a band; teal: what the what-if makes. */
export function Curves({
  page,
  unit,
  way,
  wondered,
}: {
  page: Page;
  unit: Unit;
  way: { origin: number; target: number };
  wondered: Schemas["Wondered"] | null;
}) {
  const inMoney = useMoney("short");
  const segments = page.states.length - 3;
  const seen = (state: number) =>
    (unit === "customers" ? page.rows[state]?.customers : page.rows[state]?.money) ?? [];
  const coming = (state: number) =>
    (unit === "customers" ? page.rows[state]?.ahead : page.rows[state]?.money_ahead) ?? [];
  const shown = [...Array(segments).keys()];
  const left = segments + 1;
  const most = Math.max(
    1,
    ...[...shown, left].flatMap((s) => [...seen(s), ...coming(s).map((a) => a.high)]),
  );
  const past = page.dates.length - 1;
  const x = (place: number) =>
    LEFT + ((WIDTH - LEFT - RIGHT) * place) / (past + page.coming.length - 1);
  const y = (value: number) => TOP + (HEIGHT - TOP - FOOT) * (1 - value / most);
  const line = (values: number[], from: number) =>
    values.map((value, at) => `${at ? "L" : "M"}${x(from + at)} ${y(value).toFixed(1)}`).join("");
  const band = (values: Ahead[]) =>
    `M${[
      ...values.map((each, at) => `${x(past + at)} ${y(each.high).toFixed(1)}`),
      ...values.map((each, at) => `${x(past + at)} ${y(each.low).toFixed(1)}`).reverse(),
    ].join("L")}Z`;
  const hue = (state: number) => hueOf(page.states[state]?.mark ?? 0);
  const told = (value: number) => (unit === "customers" ? count(value) : inMoney(value));
  const ends = apart(
    [...shown, left].map((state) => ({ state, y: y(coming(state).at(-1)?.mean ?? 0) })),
    HEIGHT - FOOT,
  );
  const changed = wondered && unit === "customers" ? wondered.states[way.target] : undefined;
  const dates = [...page.dates, ...page.coming.slice(1)];
  return (
    <Picture
      width="100%"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      label={`${unit === "customers" ? "Customers" : "Spend"} in each segment, as seen and ahead`}
    >
      <Levels
        values={ticksOf({ low: 0, high: most, log: false }, 4)}
        y={y}
        from={LEFT}
        to={WIDTH - RIGHT}
        words={told}
      />
      <line
        x1={x(past)}
        x2={x(past)}
        y1={TOP}
        y2={HEIGHT - FOOT}
        stroke="var(--color-quiet)"
        strokeDasharray="2 3"
      />
      {shown.map((state) => {
        const lit = state === way.target || state === way.origin;
        return (
          <g key={state} opacity={lit ? 1 : 0.45}>
            <path d={band(coming(state))} fill={hue(state)} opacity={0.13} />
            <path d={line(seen(state), 0)} fill="none" stroke={hue(state)} strokeWidth={2} />
            <path
              d={line(
                coming(state).map((each) => each.mean),
                past,
              )}
              fill="none"
              stroke={hue(state)}
              strokeWidth={2}
              strokeDasharray="5 4"
            />
          </g>
        );
      })}
      <path d={band(coming(left))} fill="var(--color-quiet)" opacity={0.1} />
      <path d={line(seen(left), 0)} fill="none" stroke="var(--color-quiet)" strokeWidth={1.6} />
      <path
        d={line(
          coming(left).map((each) => each.mean),
          past,
        )}
        fill="none"
        stroke="var(--color-quiet)"
        strokeWidth={1.6}
        strokeDasharray="5 4"
      />
      {changed && (
        <path
          d={line(
            changed.map((each) => each.mean),
            past,
          )}
          fill="none"
          stroke="var(--color-teal)"
          strokeWidth={2.6}
        />
      )}
      {ends.map(({ state, y: at }) => (
        <g key={state}>
          {state !== left && (
            <MarkShape
              mark={page.states[state]?.mark ?? 0}
              x={WIDTH - RIGHT + 16}
              y={at}
              size={14}
            />
          )}
          <text x={WIDTH - RIGHT + 28} y={at + 4} fontSize={12}>
            {page.states[state]?.short}
          </text>
        </g>
      ))}
      {dates.map((date, place) => (
        <text
          key={date}
          x={x(place)}
          y={HEIGHT - 6}
          fontSize={11}
          textAnchor="middle"
          style={{ fill: "var(--color-quiet)" }}
        >
          {dates.length > 8 && place % 2 ? "" : day(date)}
        </text>
      ))}
    </Picture>
  );
}

const LEAST_APART = 17;

/** Names beside the ends of the lines, so far apart that they can be read. */
function apart(ends: { state: number; y: number }[], most: number) {
  const sorted = [...ends].sort((a, b) => a.y - b.y);
  sorted.forEach((each, at) => {
    const above = sorted[at - 1];
    if (above) each.y = Math.max(each.y, above.y + LEAST_APART);
  });
  for (let at = sorted.length - 1; at >= 0; at--) {
    const each = sorted[at];
    const below = sorted[at + 1];
    if (each) each.y = Math.min(each.y, below ? below.y - LEAST_APART : most);
  }
  return sorted;
}
