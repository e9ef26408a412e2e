import { useRef, useState } from "react";

import type { Schemas } from "@/api/client";
import { count, figure, inUnit, percent } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickList, PickPicture } from "@/charts/picture";
import { barRange, holds, rangeClause, valueClause } from "@/lens/clauses";
import type { Clause, Pick } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { SegmentMark } from "@/marks/segment-mark";
import { useStudy } from "@/study/context";

type Chart = Schemas["BarChart"];
const EVERYONE = "var(--color-everyone)";
const TEAL = "var(--color-teal)";

interface Shares {
  everyone: number[];
  lens: number[];
  most: number;
}

/** Shares of everyone and of the lens, on one axis. */
function sharesOf(chart: Chart): Shares {
  const sum = (values: number[]) => values.reduce((a, b) => a + b, 0);
  const all = Math.max(1, sum(chart.everyone) + chart.everyone_missing);
  const mine = Math.max(1, sum(chart.lens) + chart.lens_missing);
  const everyone = chart.everyone.map((value) => value / all);
  const lens = chart.lens.map((value) => value / mine);
  return { everyone, lens, most: Math.max(0.001, ...everyone, ...lens) };
}

function usePicking(chart: Chart) {
  const lens = useLens();
  const own = lens.clauses.find((clause) => clause.field === chart.field);
  const tried = (pick: Pick): Clause =>
    "value" in pick ? valueClause(chart.field, pick.value) : rangeClause(chart.field, pick.range);
  return {
    own,
    handlers: (pick: Pick, label?: string) =>
      pickable({
        label,
        pressed: holds(own, pick),
        onPick: (more) => lens.pick(chart.field, pick, more),
        onTry: (resting) => lens.preview(resting ? tried(pick) : null),
      }),
  };
}

const HEIGHT = 48;

/** A histogram: everyone in grey, the lens in teal; drag over several bars to take a range. */
export function Histogram({ chart, width = 228 }: { chart: Chart; width?: number }) {
  const { study } = useStudy();
  const lens = useLens();
  const { own, handlers } = usePicking(chart);
  const from = useRef<number | null>(null);
  const { everyone, lens: mine, most } = sharesOf(chart);
  const bars = everyone.length;
  const step = width / Math.max(bars, 1);
  const on = lens.clauses.length > 0;
  const words = (value: number | undefined) => inUnit(value ?? 0, chart.unit, study.currency);
  return (
    <PickPicture width={width} height={HEIGHT + 20} label={`${chart.label}, ${chart.unit}`}>
      {everyone.map((share, place) => {
        const pick: Pick = { range: barRange(chart.edges, place, place) };
        const chosen = holds(own, pick);
        const ends = `${words(chart.edges[place])} to ${words(chart.edges[place + 1])}`;
        const label = `${chart.label} ${ends}: ${count(chart.everyone[place] ?? 0)} of everyone, ${count(chart.lens[place] ?? 0)} in the lens`;
        const tall = (share / most) * HEIGHT;
        const teal = ((mine[place] ?? 0) / most) * HEIGHT;
        return (
          <g
            key={place}
            {...handlers(pick, label)}
            className="group outline-offset-0"
            onPointerDown={() => (from.current = place)}
            onPointerUp={() => {
              const start = from.current;
              from.current = null;
              if (start !== null && start !== place) {
                lens.pick(chart.field, { range: barRange(chart.edges, start, place) }, false);
              }
            }}
          >
            <title>{label}</title>
            <rect x={place * step} y={0} width={step} height={HEIGHT} fill="transparent" />
            <rect
              x={place * step + 0.5}
              y={HEIGHT - tall}
              width={Math.max(1, step - 1)}
              height={tall}
              fill={EVERYONE}
            />
            {on && (
              <rect
                x={place * step + step * 0.28}
                y={HEIGHT - teal}
                width={step * 0.44}
                height={teal}
                fill={TEAL}
              />
            )}
            <rect
              x={place * step + 0.75}
              y={0.75}
              width={step - 1.5}
              height={HEIGHT - 1}
              fill="none"
              stroke={TEAL}
              strokeDasharray="3 2"
              className="opacity-0 group-hover:opacity-100"
            />
            {chosen && (
              <rect x={place * step} y={HEIGHT + 1} width={step} height={2.5} fill={TEAL} />
            )}
          </g>
        );
      })}
      <Bracket chart={chart} own={own} step={step} />
      <text x={0} y={HEIGHT + 16} fontSize={11} style={{ fill: "var(--color-quiet)" }}>
        {words(chart.edges[0])}
      </text>
      <text
        x={width / 2}
        y={HEIGHT + 16}
        fontSize={11}
        textAnchor="middle"
        style={{ fill: "var(--color-quiet)" }}
      >
        {words(chart.edges[Math.floor(bars / 2)])}
      </text>
      <text
        x={width}
        y={HEIGHT + 16}
        fontSize={11}
        textAnchor="end"
        style={{ fill: "var(--color-quiet)" }}
      >
        {words(chart.edges[bars])}
        {unitTail(chart.unit)}
      </text>
    </PickPicture>
  );
}

function unitTail(unit: string): string {
  return unit === "days" || unit === "visits" ? ` ${unit}` : "";
}

/** The chart's own clause, drawn as a bracket below the bars. */
function Bracket({ chart, own, step }: { chart: Chart; own: Clause | undefined; step: number }) {
  const ranges = own?.ranges ?? [];
  const edges = chart.edges;
  const at = (value: number | null, open: number) => {
    if (value === null) return open;
    const place = edges.findIndex((edge) => edge >= value);
    return place < 0 ? edges.length - 1 : place;
  };
  return (
    <g fill="none" stroke={TEAL} strokeWidth={1.6}>
      {ranges.map(([low, high], index) => {
        const x1 = at(low, 0) * step + 0.8;
        const x2 = at(high, edges.length - 1) * step - 0.8;
        return <path key={index} d={`M${x1} ${HEIGHT - 3}V${HEIGHT + 3}H${x2}V${HEIGHT - 3}`} />;
      })}
    </g>
  );
}

const SHOWN = 6;

/** Bars of a category: in their order where they have one, else most frequent first. */
export function LevelBars({ chart, width = 228 }: { chart: Chart; width?: number }) {
  const lens = useLens();
  const { handlers, own } = usePicking(chart);
  const { everyone, lens: mine, most } = sharesOf(chart);
  const on = lens.clauses.length > 0;
  const [all, setAll] = useState(false);
  const order = chart.levels.map((_, place) => place);
  if (!chart.ordered) order.sort((a, b) => (everyone[b] ?? 0) - (everyone[a] ?? 0));
  // One or two more are shown rather than told of.
  const shown = all || order.length <= SHOWN + 2 ? order.length : SHOWN;
  const rest = order.slice(shown);
  const total = chart.everyone.reduce((a, b) => a + b, 0) + chart.everyone_missing;
  const restCount = rest.reduce((sum, place) => sum + (chart.everyone[place] ?? 0), 0);
  return (
    <PickList label={chart.label} style={{ width }}>
      {order.slice(0, shown).map((place) => {
        const level = chart.levels[place] ?? "";
        const name = chart.labels[place] ?? level;
        const chosen = holds(own, { value: level });
        const share = on ? (mine[place] ?? 0) : (everyone[place] ?? 0);
        return (
          <div
            key={level}
            {...handlers({ value: level })}
            className={`grid cursor-pointer grid-cols-[78px_1fr_38px] items-center gap-1 rounded-sm border border-dashed border-transparent py-px text-12 hover:border-teal ${
              chosen ? "font-semibold text-teal" : ""
            }`}
          >
            <span className="flex min-w-0 items-center gap-1">
              {(chart.marks[place] ?? -1) >= 0 && (
                <span aria-hidden>
                  <SegmentMark mark={chart.marks[place] ?? 0} size={12} />
                </span>
              )}
              <span className="truncate" title={name}>
                <span className="sr-only">{chart.label} </span>
                {name}
              </span>
            </span>
            <span className="relative block h-3">
              <span
                className="absolute inset-y-0 left-0 bg-everyone"
                style={{ width: `${(100 * (everyone[place] ?? 0)) / most}%` }}
              />
              {on && (
                <span
                  className="absolute top-[4px] left-0 h-[4px] bg-teal"
                  style={{ width: `${(100 * (mine[place] ?? 0)) / most}%` }}
                />
              )}
            </span>
            <span className="text-right">
              {figure(100 * share) === "0" ? "0%" : `${(100 * share).toFixed(0)}%`}
              <span className="sr-only">
                {on
                  ? ` of the lens, ${figure(100 * (everyone[place] ?? 0))}% of everyone`
                  : " of everyone"}
              </span>
            </span>
          </div>
        );
      })}
      {(rest.length > 0 || all) && (
        <button
          type="button"
          className="text-11 text-quiet underline hover:text-ink"
          onClick={() => setAll(!all)}
        >
          {all ? "Show fewer" : `and ${rest.length} more, ${percent(restCount, total, 0)}`}
        </button>
      )}
      {chart.everyone_missing > 0 && (
        <p className="text-11 text-quiet">{count(chart.everyone_missing)} not given</p>
      )}
    </PickList>
  );
}
