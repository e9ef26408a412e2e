import { useRef } from "react";

import type { Schemas } from "@/api/client";
import { count, day, money } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { hueOf, MarkShape } from "@/marks/segment-mark";
import type { PickedCrossing, Unit } from "@/stations/crossings/picked";
import {
  cellOf,
  rangeWords,
  chanceOf,
  stripedShare,
  verdictOf,
} from "@/stations/crossings/figures";
import { gridOf } from "@/stations/crossings/taken";
import { useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";

const WIDE = 960;
const NARROW = 560;
const HEIGHT = 350;
const TOP = 8;
const LEFT = 128;
const BLOCK = 12;
const GAP = 9;
const FOLD = 0.005;

/** So many dates stand so close that every other one is named, and what lies between the two that
 * are looked at. */
const MANY = 6;

function between(table: Schemas["StepTable"], back: string): string {
  const seasons = table.same_season ? "the same season" : "seasons differ";
  return table.overlap > 0
    ? `windows share ${table.overlap} of ${back} months; ${seasons}`
    : `windows share no month; ${seasons}`;
}

interface Props {
  page: Schemas["CrossingsPage"];
  unit: Unit;
  hidden: boolean;
  picked: PickedCrossing;
  onPick: (picked: PickedCrossing, more?: boolean) => void;
  /** Look at everybody of a state at one of the dates. */
  onState: (date: string, state: number) => void;
}

interface Block {
  state: number;
  top: number;
  size: number;
}

/** Customers flow from date to date; what stays is pale, what moves is coloured by where it was. */
export function Ribbons({ page, unit, hidden, picked, onPick, onState }: Props) {
  const { study } = useStudy();
  const holder = useRef<HTMLDivElement>(null);
  const states = page.states.length;
  const dates = page.dates.filter((date) => !date.covered);
  const columns = dates.length;
  const WIDTH = columns > 2 ? WIDE : NARROW;
  const step = (WIDTH - 2 * LEFT) / (columns - 1);
  const x = (column: number) => LEFT + column * step;
  // A change has no width of its own: ribbons stay as wide as the spend that it is a change of.
  const wide = unit === "change" ? "spend" : unit;
  const sums = dates.map((_, column) => sumsOf(page, column, wide, hidden, states));
  const most = Math.max(1, ...sums.map((column) => column.reduce((a, b) => a + b, 0)));
  const scale = (HEIGHT - TOP - GAP * states) / most;
  const blocks = sums.map((column) => stack(column, scale));
  const hue = (state: number) => {
    const mark = page.states[state]?.mark;
    return mark === null || mark === undefined ? "var(--color-quiet)" : hueOf(mark);
  };
  const words = (value: number) =>
    unit === "customers" ? `${count(value)} customers` : money(value, study.scale, study.currency);
  const told = page.steps.some((each) => each.chance.moves.length > 0);
  const many = columns > 2;
  return (
    <section className="card min-w-0 p-3" aria-label="Ribbons">
      <div className="flex items-center gap-3">
        <h2 className="flex-1 text-14">
          {page.by === "year" ? "The same season a year before and now" : `${columns} dates`},{" "}
          {unit === "customers"
            ? "customers"
            : unit === "spend"
              ? `spend before, ${study.currency}`
              : `change of spend, ${study.currency}`}
        </h2>
        <TakeAway
          name="crossings"
          grid={() => gridOf(page, study.scale)}
          picture={() => holder.current?.querySelector("svg") ?? null}
        />
      </div>
      <div ref={holder}>
        <PickPicture
          width="100%"
          viewBox={`0 0 ${WIDTH} ${HEIGHT + 44}`}
          label="Crossings between dates"
        >
          <defs>
            {[...page.states.map((_, state) => String(state)), "teal"].map((tone) => (
              <pattern
                key={tone}
                id={`stripes-${tone}`}
                width={5}
                height={5}
                patternUnits="userSpaceOnUse"
                patternTransform="rotate(45)"
              >
                <rect
                  width={2.2}
                  height={5}
                  fill={tone === "teal" ? "var(--color-teal)" : hue(Number(tone))}
                />
              </pattern>
            ))}
          </defs>
          {page.steps.map((table, number) => (
            <g key={table.to}>
              {ribbonsOf(
                table,
                wide,
                hidden,
                blocks[number] ?? [],
                blocks[number + 1] ?? [],
                scale,
                most,
              ).map((ribbon) => {
                const chosen =
                  picked.step === number &&
                  picked.origin === ribbon.origin &&
                  picked.target === ribbon.target;
                const stays = ribbon.origin === ribbon.target;
                const x1 = x(number) + BLOCK / 2;
                const x2 = x(number + 1) - BLOCK / 2;
                const pick = (more: boolean) =>
                  onPick({ step: number, origin: ribbon.origin, target: ribbon.target }, more);
                const chance = chanceOf(table, ribbon.origin, ribbon.target);
                const verdict = verdictOf(table, ribbon.origin, ribbon.target);
                const striped = ribbon.size * stripedShare(table, ribbon.origin, ribbon.target);
                // Only the step that is looked at lights; before chance is told nothing does.
                const known = table.chance.moves.length > 0;
                const dim = (many && number !== picked.step ? 0.45 : 1) * (known ? 1 : 0.55);
                const tone = chosen ? "teal" : String(ribbon.origin);
                const band = (top: number, size: number) =>
                  bandOf(x1, ribbon.y1 + top, x2, ribbon.y2 + top, size);
                const label = `${page.states[ribbon.origin]?.name} to ${page.states[ribbon.target]?.name}, ${day(table.from_to)} to ${day(table.to)}: ${words(cellOf(table, unit, hidden, ribbon.origin, ribbon.target))}${chance && !stays ? `; chance alone moves ${rangeWords(chance)} customers` : ""}`;
                return (
                  <g
                    key={`${ribbon.origin}-${ribbon.target}`}
                    {...pickable({ label, pressed: chosen, onPick: pick, reached: !stays })}
                    className="cursor-pointer hover:opacity-70"
                  >
                    <title>{label}</title>
                    <path
                      d={band(0, ribbon.size - striped)}
                      fill={chosen ? "var(--color-teal)" : hue(ribbon.origin)}
                      opacity={chosen ? 0.9 : stays ? 0.13 : 0.62 * dim}
                    />
                    {striped > 0 && (
                      <path
                        d={band(ribbon.size - striped, striped)}
                        fill={`url(#stripes-${tone})`}
                        opacity={chosen ? 0.9 : (verdict === "more" ? 0.6 : 0.3) * dim}
                      />
                    )}
                  </g>
                );
              })}
              <text
                x={(x(number) + x(number + 1)) / 2}
                y={HEIGHT + 38}
                fontSize={11}
                textAnchor="middle"
                style={{ fill: "var(--color-quiet)" }}
              >
                {columns <= MANY || number === picked.step ? between(table, page.back) : ""}
              </text>
            </g>
          ))}
          {blocks.map((column, place) => (
            <g key={dates[place]?.to}>
              {column.map((block) => {
                const label = `${page.states[block.state]?.name} on ${day(dates[place]?.to ?? "")}: ${words(sums[place]?.[block.state] ?? 0)}`;
                return (
                  <rect
                    key={block.state}
                    {...(block.size > 0 &&
                      pickable({
                        label,
                        onPick: () => onState(dates[place]?.to ?? "", block.state),
                      }))}
                    className={block.size > 0 ? "cursor-pointer hover:opacity-70" : ""}
                    x={x(place) - BLOCK / 2}
                    y={block.top}
                    width={BLOCK}
                    height={Math.max(block.size, block.size > 0 ? 1 : 0)}
                    fill={
                      page.states[block.state]?.mark === null
                        ? "var(--color-card)"
                        : hue(block.state)
                    }
                    stroke={page.states[block.state]?.mark === null ? "var(--color-quiet)" : "none"}
                  >
                    <title>{label}</title>
                  </rect>
                );
              })}
              <text x={x(place)} y={HEIGHT + 20} fontSize={12} textAnchor="middle">
                {columns > MANY && place % 2 === columns % 2 ? "" : day(dates[place]?.to ?? "")}
              </text>
            </g>
          ))}
          <Names page={page} blocks={blocks[0] ?? []} x={6} />
          <Names page={page} blocks={blocks.at(-1) ?? []} x={WIDTH - LEFT + 14} />
        </PickPicture>
      </div>
      <p className="text-11 text-quiet">
        {told
          ? "Full: more than chance would move. Striped: what chance alone moves, and who is too new to tell. Pale: stayed. Grey: new, or back again; chance has no figure for those who are new."
          : `Pale: stayed. Coloured: moved, by where they were; ${
              page.only === null ? "how much of it is chance is being told" : "of the lens alone"
            }.`}{" "}
        Moves under half a percent are in the matrix alone.
        {page.adopted && ` Placed by the groups adopted on ${day(page.adopted.home_to)}.`}
        {hidden &&
          " Border moves (both margins under 0.3) are drawn as staying: a help in reading, no measure of chance."}
      </p>
    </section>
  );
}

/** A ribbon from one place to another, as thick as its customers. */
function bandOf(x1: number, y1: number, x2: number, y2: number, size: number): string {
  const middle = (x1 + x2) / 2;
  return `M${x1} ${y1}C${middle} ${y1} ${middle} ${y2} ${x2} ${y2}V${y2 + size}C${middle} ${y2 + size} ${middle} ${y1 + size} ${x1} ${y1 + size}Z`;
}

function Names({
  page,
  blocks,
  x,
}: {
  page: Schemas["CrossingsPage"];
  blocks: Block[];
  x: number;
}) {
  let last = -99;
  return blocks.map((block) => {
    if (block.size < 1) return null;
    const state = page.states[block.state];
    const y = Math.max(block.top + block.size / 2 + 4, last + 14);
    last = y;
    return (
      <g key={block.state}>
        {state?.mark !== null && state?.mark !== undefined && (
          <MarkShape mark={state.mark} x={x + 7} y={y - 4} size={13} />
        )}
        <text x={x + (state?.mark === null ? 0 : 19)} y={y} fontSize={11}>
          {state?.short}
        </text>
      </g>
    );
  });
}

/** Size of every state at a date: out of the step after it, or into it for the last date. */
function sumsOf(
  page: Schemas["CrossingsPage"],
  column: number,
  unit: Unit,
  hidden: boolean,
  states: number,
): number[] {
  const indices = Array.from({ length: states }, (_, state) => state);
  const after = page.steps[column];
  const before = page.steps[column - 1];
  return indices.map((state) => {
    const out = after
      ? indices.reduce(
          (sum, other) => sum + Math.max(0, cellOf(after, unit, hidden, state, other)),
          0,
        )
      : 0;
    const into = before
      ? indices.reduce(
          (sum, other) => sum + Math.max(0, cellOf(before, unit, hidden, other, state)),
          0,
        )
      : 0;
    return Math.max(out, into);
  });
}

function stack(sums: number[], scale: number): Block[] {
  let top = TOP;
  return sums.map((sum, state) => {
    const block = { state, top, size: sum * scale };
    top += block.size + (sum > 0 ? GAP : 0);
    return block;
  });
}

interface Ribbon {
  origin: number;
  target: number;
  value: number;
  y1: number;
  y2: number;
  size: number;
}

function ribbonsOf(
  table: Schemas["StepTable"],
  unit: Unit,
  hidden: boolean,
  from: Block[],
  to: Block[],
  scale: number,
  most: number,
): Ribbon[] {
  const leaving = from.map((block) => block.top);
  const arriving = to.map((block) => block.top);
  const out: Ribbon[] = [];
  for (let origin = 0; origin < from.length; origin++) {
    for (let target = 0; target < to.length; target++) {
      const value = Math.max(0, cellOf(table, unit, hidden, origin, target));
      const size = value * scale;
      const y1 = leaving[origin] ?? 0;
      const y2 = arriving[target] ?? 0;
      leaving[origin] = y1 + size;
      arriving[target] = y2 + size;
      if (value >= most * FOLD) out.push({ origin, target, value, y1, y2, size });
    }
  }
  return out.sort((a, b) => Number(b.origin === b.target) - Number(a.origin === a.target));
}
