import { scaleLinear } from "d3-scale";
import { useState } from "react";

import type { Schemas } from "@/api/client";
import { figure, fixed } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { Directions } from "@/stations/groups/fan";
import { layout } from "@/stations/groups/layout";
import type { Row } from "@/stations/groups/queries";
import { Dissolves, Rings, Threads } from "@/stations/groups/rings";
import { unit } from "@/study/unit";

const ROW = 56;
const TOP = 46;
const LEFT = 30;
const RINGS = 362;
const COLUMN = 82;
const COPPER = "var(--color-copper)";
const INK = "var(--color-ink)";

interface Column {
  key: string;
  name: string;
  note: string;
  better: "more" | "less";
  words?: string;
  of: (row: Row) => number | null;
}

const HOLDS: Column[] = [
  {
    key: "cost",
    name: "Cost",
    note: "",
    better: "less",
    of: (row) => row.cost_share,
  },
  { key: "silhouette", name: "Silhouette", note: "", better: "more", of: (row) => row.silhouette },
  { key: "smallest", name: "Smallest", note: "share", better: "more", of: (row) => row.smallest },
  { key: "weakest", name: "Weakest", note: "stability", better: "more", of: (row) => row.weakest },
  {
    key: "same-again",
    name: "Same again",
    note: "a year on",
    better: "more",
    words:
      "Share of the customers who would stand in the same group had the year happened again with nothing changed.",
    of: (row) => row.same_again,
  },
];
/** Most of the cost in one group: one that is told of no whole grouping. */
const ERROR: Column = {
  key: "error",
  name: "Most error",
  note: "in one group",
  better: "less",
  of: (row) =>
    row.error_shares.length ? Math.max(...row.error_shares.map((share) => share ?? 0)) : null,
};

function columnOf(criterion: Schemas["CriterionBody"]): Column {
  const better = criterion.more_is_better ? "more" : "less";
  return {
    key: criterion.key,
    name: criterion.label,
    note: `${better} is better`,
    better,
    words: criterion.definition,
    of: (row) => row.criteria[criterion.key] ?? null,
  };
}

interface Props {
  candidates: Row[];
  criteria: Schemas["CriterionBody"][];
  chosen: number | null;
  suggested: number | null;
  knee: number | null;
  stale: boolean;
  onChoose: (k: number) => void;
  onOpen: (row: Row, group: number) => void;
  onThread: (row: Row, above: number, next: Row, below: number) => void;
}

/** Rows of k on a string: rings sized by customers, closed as far as they hold, threads between. */
export function StringOfK(props: Props) {
  const { candidates, criteria, chosen, suggested, knee, stale, onChoose, onOpen, onThread } =
    props;
  const [spread, setSpread] = useState(false);
  const columns = (spread ? [...criteria.map(columnOf), ERROR] : HOLDS).filter((column) =>
    candidates.some((row) => column.of(row) !== null),
  );
  const rows = layout(candidates, RINGS);
  const height = TOP + candidates.length * ROW + 18;
  const width = LEFT + RINGS + 40 + Math.max(4, columns.length) * COLUMN;
  const y = (place: number) => TOP + place * ROW + ROW / 2;
  const exact = candidates.every((row) => row.exact);
  const pointed = candidates.findIndex((row) => row.k === suggested);
  const markOf = (row: Row) =>
    pickable({
      label: `${row.k} ${row.k === 1 ? "group" : "groups"}: silhouette ${row.silhouette === null ? "none" : fixed(row.silhouette)}, smallest ${(100 * row.smallest).toFixed(0)}%, weakest stability ${row.weakest.toFixed(2)}`,
      pressed: row.k === chosen,
      onPick: () => onChoose(row.k),
    });
  return (
    <section
      className={`card overflow-x-auto p-3 ${stale ? "stale" : ""}`}
      aria-label="The string of k"
    >
      <PickPicture
        width="100%"
        viewBox={`0 0 ${width} ${height}`}
        style={{ minWidth: 620 }}
        label="Groups by k, with who stays together"
      >
        <Dissolves />
        <text x={0} y={14} fontSize={13} fontWeight={600}>
          k = {candidates[0]?.k} to {candidates.at(-1)?.k}
        </text>
        {columns.map((column, place) => (
          <g key={column.key} transform={`translate(${LEFT + RINGS + 46 + place * COLUMN} 0)`}>
            <text y={14} fontSize={12} fontWeight={600}>
              {column.name}
            </text>
            <text y={28} fontSize={11} className="fill-quiet">
              {column.key === "silhouette" ? (exact ? "mean" : "sampled") : column.note}
            </text>
          </g>
        ))}
        {candidates.map((row, place) => {
          const next = candidates[place + 1];
          return (
            <Threads
              key={row.k}
              row={row}
              next={next}
              left={LEFT}
              from={rows[place] ?? []}
              to={rows[place + 1]}
              y={y(place)}
              below={y(place + 1)}
              onThread={(above, below) => next && onThread(row, above, next, below)}
            />
          );
        })}
        {candidates.map((row, place) => (
          <g key={row.k}>
            <rect
              x={0.75}
              y={y(place) - 26}
              width={LEFT + RINGS + 14}
              height={52}
              rx={7}
              fill="transparent"
              stroke={row.k === chosen ? COPPER : "transparent"}
              strokeWidth={1.6}
              pointerEvents="none"
            />
            <g
              {...markOf(row)}
              onKeyDown={(event) => {
                const way = { ArrowDown: 1, ArrowUp: -1 }[event.key];
                const other = candidates[place + (way ?? 0)];
                if (!way || !other) {
                  markOf(row).onKeyDown(event);
                  return;
                }
                event.preventDefault();
                onChoose(other.k);
                const all = event.currentTarget.ownerSVGElement?.querySelectorAll<SVGGElement>(
                  "g[role=button][aria-pressed]",
                );
                all?.[place + way]?.focus();
              }}
            >
              <rect x={1} y={y(place) - 26} width={24} height={52} fill="transparent" />
              <text x={9} y={y(place) + 4} fontSize={13} fontWeight={600}>
                {row.k}
              </text>
            </g>
            <Rings
              row={row}
              rings={rows[place] ?? []}
              left={LEFT}
              y={y(place)}
              onOpen={(group) => onOpen(row, group)}
            />
          </g>
        ))}
        {pointed >= 0 && (
          <text x={LEFT + RINGS + 20} y={y(pointed) + 5} fontSize={15} style={{ fill: COPPER }}>
            ◂<title>suggested</title>
          </text>
        )}
        {columns.map((column, place) => (
          <Criterion
            key={column.key}
            candidates={candidates}
            chosen={chosen}
            column={column}
            knee={column.key === "cost" ? knee : null}
            x={LEFT + RINGS + 46 + place * COLUMN}
            y={y}
          />
        ))}
      </PickPicture>
      <Directions rows={candidates} />
      <div className="mt-1 flex items-baseline justify-between gap-4">
        <p className="text-11 text-quiet">
          In the ring: % of {unit.many}. Its closed part: how often the group comes back when{" "}
          {unit.many} are drawn anew; hatched: it dissolves. Cost is ringed where it bends. Rays:
          what sets it apart most. A thread is coloured by what those who go on have more or less
          of. A ring opens, a thread picks those who stay.
        </p>
        <button
          type="button"
          className="shrink-0 text-12 underline"
          onClick={() => setSpread(!spread)}
        >
          {spread ? "How well rows hold" : "Other criteria"}
        </button>
      </div>
    </section>
  );
}

function Criterion({
  candidates,
  chosen,
  column,
  knee,
  x,
  y,
}: {
  candidates: Row[];
  chosen: number | null;
  column: Column;
  knee: number | null;
  x: number;
  y: (place: number) => number;
}) {
  const values = candidates.map(column.of);
  const there = values.filter((value): value is number => value !== null);
  const [low, high] = [Math.min(...there), Math.max(...there)];
  const scale = scaleLinear([low, high], [4, 42]);
  const at = (value: number) => x + (high > low ? scale(value) : 20);
  const foot = y(candidates.length - 1) + 24;
  const points = values.flatMap((value, place) =>
    value === null ? [] : [`${at(value).toFixed(1)} ${y(place)}`],
  );
  const short = (value: number) => (Math.abs(value) >= 100 ? figure(value) : fixed(value));
  return (
    <g>
      <path d={`M${points.join("L")}`} fill="none" stroke="var(--color-everyone)" />
      <line x1={x + 4} x2={x + 42} y1={foot} y2={foot} stroke="var(--color-quiet)" />
      {[low, high].map((end, n) => (
        <text
          key={n}
          x={x + (n ? 42 : 4)}
          y={foot + 13}
          fontSize={11}
          textAnchor="middle"
          className="fill-quiet"
        >
          {short(end)}
        </text>
      ))}
      {candidates.map((row, place) => {
        const value = values[place];
        if (value === null || value === undefined) return null;
        return (
          <g key={row.k}>
            <title>
              {`${column.name}, k = ${row.k}: ${short(value)}; the axis goes from ${short(low)} to ${short(high)}, ${column.better} is better. ${column.words ?? ""}`}
            </title>
            <circle
              cx={at(value)}
              cy={y(place)}
              r={row.k === chosen ? 4 : 2.8}
              fill={row.k === chosen ? COPPER : INK}
            />
            {knee === row.k && (
              <circle cx={at(value)} cy={y(place)} r={6.5} fill="none" stroke={INK} />
            )}
            <text x={at(value) + 9} y={y(place) + 4} fontSize={11}>
              {short(value)}
            </text>
          </g>
        );
      })}
    </g>
  );
}
