import type { Schemas } from "@/api/client";
import { ticksOf } from "@/charts/axis";
import { figure } from "@/charts/format";
import { Picture } from "@/charts/picture";
import { MarkShape } from "@/marks/segment-mark";

const WIDTH = 1000;
const LEFT = 24;
const RIGHT = 90;
const STEP = 26;

/** How long until a customer of each segment is first in *left*, on average, if rates stay. */
export function Until({ page }: { page: Schemas["AheadPage"] }) {
  const told = page.rows
    .map((row, state) => ({ state, until: row.until }))
    .filter((each) => each.until !== null && state(page, each.state)?.mark !== null)
    .map(({ state, until }) => ({ state, until: until ?? 0 }))
    .sort((a, b) => a.until - b.until);
  if (told.length === 0) return null;
  const unit = page.months === 12 ? "years" : `periods of ${page.months} months`;
  const most = Math.max(...told.map((each) => each.until)) * 1.08;
  const x = (value: number) => LEFT + ((WIDTH - LEFT - RIGHT) * value) / most;
  // Marks that would lie on each other stand below one another.
  const rows: number[] = [];
  const placed = told.map((each) => {
    const row = rows.findIndex((end) => x(each.until) - end > 110);
    const at = row < 0 ? rows.length : row;
    rows[at] = x(each.until);
    return { ...each, row: at };
  });
  const foot = 10 + rows.length * STEP;
  return (
    <section className="card min-w-0 p-3" aria-label="Until left">
      <h2 className="text-14">Expected {unit} until first “left”</h2>
      <Picture
        width="100%"
        viewBox={`0 0 ${WIDTH} ${foot + 24}`}
        label={told
          .map((each) => `${state(page, each.state)?.name}: ${figure(each.until, 1)} ${unit}`)
          .join("; ")}
      >
        <line x1={LEFT} x2={WIDTH - RIGHT} y1={foot} y2={foot} stroke="var(--color-line)" />
        {ticksOf({ low: 0, high: most, log: false }, 6).map((value) => (
          <text
            key={value}
            x={x(value)}
            y={foot + 16}
            fontSize={11}
            textAnchor="middle"
            style={{ fill: "var(--color-quiet)" }}
          >
            {figure(value)}
          </text>
        ))}
        {placed.map((each) => {
          const y = 10 + (each.row + 0.4) * STEP;
          return (
            <g key={each.state}>
              <line
                x1={x(each.until)}
                x2={x(each.until)}
                y1={y}
                y2={foot}
                stroke="var(--color-line)"
              />
              <MarkShape
                mark={state(page, each.state)?.mark ?? 0}
                x={x(each.until)}
                y={y}
                size={14}
              />
              <text x={x(each.until) + 11} y={y + 4} fontSize={11}>
                {state(page, each.state)?.short} {figure(each.until, 1)}
              </text>
            </g>
          );
        })}
      </Picture>
      <p className="text-11 text-quiet">
        A mean over all who are in the segment, if rates stay as they were for ever: the log has
        seen {page.steps === 1 ? "one step" : `${page.steps} steps`} of it, the rest is carried on.
        It compares segments; it is no date for anybody.
      </p>
    </section>
  );
}

function state(page: Schemas["AheadPage"], number: number) {
  return page.states[number];
}
