import { scaleLinear } from "d3-scale";

import type { Schemas } from "@/api/client";
import { count, percent } from "@/charts/format";
import { layout } from "@/stations/groups/layout";

const ROW = 58;
const TOP = 46;
const LEFT = 30;
const RINGS = 400;
const COLUMNS = [
  { key: "cost_share", name: "Cost", note: "against k = 2" },
  { key: "silhouette", name: "Silhouette", note: "mean" },
  { key: "smallest", name: "Smallest", note: "share" },
  { key: "weakest", name: "Weakest", note: "stability" },
] as const;
const COLUMN = 76;
const DISSOLVES = 0.5;
const COPPER = "var(--color-copper)";
const INK = "var(--color-ink)";

type Row = Schemas["CandidateRow"];

interface Props {
  candidates: Row[];
  chosen: number | null;
  stale: boolean;
  onChoose: (k: number) => void;
}

/** Rows of k on a string: rings sized by customers, closed as far as they hold, threads between. */
export function StringOfK({ candidates, chosen, stale, onChoose }: Props) {
  const rows = layout(candidates, RINGS);
  const height = TOP + candidates.length * ROW + 26;
  const width = LEFT + RINGS + 30 + COLUMNS.length * COLUMN;
  const y = (place: number) => TOP + place * ROW + ROW / 2;
  const exact = candidates.every((row) => row.exact);
  return (
    <section
      className={`card overflow-x-auto p-3 ${stale ? "stale" : ""}`}
      aria-label="The string of k"
    >
      <svg
        width="100%"
        viewBox={`0 0 ${width} ${height}`}
        style={{ minWidth: 640 }}
        role="group"
        aria-label="Groups by k, with who stays together"
      >
        <defs>
          <pattern
            id="dissolves"
            width="4"
            height="4"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <rect width="1.4" height="4" fill={COPPER} opacity={0.7} />
          </pattern>
        </defs>
        <text x={0} y={14} fontSize={13} fontWeight={600}>
          k = {candidates[0]?.k} to {candidates.at(-1)?.k}
        </text>
        {COLUMNS.map((column, place) => (
          <g key={column.key} transform={`translate(${LEFT + RINGS + 40 + place * COLUMN} 0)`}>
            <text y={14} fontSize={12} fontWeight={600}>
              {column.name}
            </text>
            <text y={28} fontSize={11} style={{ fill: "var(--color-quiet)" }}>
              {column.key === "silhouette" ? (exact ? "mean, exact" : "sampled") : column.note}
            </text>
          </g>
        ))}
        {candidates.map((row, place) => (
          <Threads
            key={row.k}
            row={row}
            from={rows[place] ?? []}
            to={rows[place + 1]}
            y={y(place)}
            below={y(place + 1)}
          />
        ))}
        {candidates.map((row, place) => (
          <g
            key={row.k}
            role="button"
            tabIndex={0}
            aria-pressed={row.k === chosen}
            aria-label={`${row.k} groups: silhouette ${row.silhouette.toFixed(2)}, smallest ${(100 * row.smallest).toFixed(0)}%, weakest stability ${row.weakest.toFixed(2)}`}
            className="cursor-pointer"
            onClick={() => onChoose(row.k)}
            onKeyDown={(event) => event.key === "Enter" && onChoose(row.k)}
          >
            <rect
              x={0.75}
              y={y(place) - 27}
              width={LEFT + RINGS + 14}
              height={54}
              rx={7}
              fill="transparent"
              stroke={row.k === chosen ? COPPER : "transparent"}
              strokeWidth={1.6}
            />
            <text x={9} y={y(place) + 4} fontSize={13} fontWeight={600}>
              {row.k}
            </text>
            {(rows[place] ?? []).map((ring) => (
              <GroupRing key={ring.group} row={row} ring={ring} y={y(place)} />
            ))}
          </g>
        ))}
        {COLUMNS.map((column, place) => (
          <Criterion
            key={column.key}
            candidates={candidates}
            chosen={chosen}
            column={column.key}
            x={LEFT + RINGS + 40 + place * COLUMN}
            y={y}
          />
        ))}
        <text x={0} y={height - 4} fontSize={11} style={{ fill: "var(--color-quiet)" }}>
          In the ring: % of customers. Its closed part: how often the group comes back in 20
          resamplings; hatched: it dissolves.
        </text>
      </svg>
    </section>
  );
}

function Threads({
  row,
  from,
  to,
  y,
  below,
}: {
  row: Row;
  from: { group: number; x: number; r: number }[];
  to?: { group: number; x: number; r: number }[];
  y: number;
  below: number;
}) {
  if (!to) return null;
  const total = row.counts.reduce((a, b) => a + b, 0);
  return (
    <g fill="none" stroke="var(--color-everyone)">
      {row.threads.map(({ above: a, below: b, customers }) => {
        const one = from.find((ring) => ring.group === a);
        const other = to.find((ring) => ring.group === b);
        const share = customers / total;
        if (!one || !other || share < 0.01) return null;
        const y1 = y + one.r;
        const y2 = below - other.r;
        const middle = (y1 + y2) / 2;
        return (
          <path
            key={`${a}-${b}`}
            d={`M${LEFT + one.x} ${y1}C${LEFT + one.x} ${middle} ${LEFT + other.x} ${middle} ${LEFT + other.x} ${y2}`}
            strokeWidth={Math.max(0.8, share * 22)}
            opacity={0.75}
          >
            <title>{`${count(customers)} customers, ${percent(customers, total)}`}</title>
          </path>
        );
      })}
    </g>
  );
}

function GroupRing({
  row,
  ring,
  y,
}: {
  row: Row;
  ring: { group: number; x: number; r: number };
  y: number;
}) {
  const stability = row.stability[ring.group] ?? 0;
  const size = row.counts[ring.group] ?? 0;
  const total = row.counts.reduce((a, b) => a + b, 0);
  const around = 2 * Math.PI * ring.r;
  const dissolves = stability <= DISSOLVES;
  const x = LEFT + ring.x;
  return (
    <g>
      <title>{`${count(size)} customers, comes back in ${(100 * stability).toFixed(0)}% of resamplings`}</title>
      <circle
        cx={x}
        cy={y}
        r={ring.r}
        fill="var(--color-card)"
        stroke="var(--color-line)"
        strokeWidth={3}
      />
      {dissolves && <circle cx={x} cy={y} r={ring.r} fill="url(#dissolves)" />}
      <circle
        cx={x}
        cy={y}
        r={ring.r}
        fill="none"
        stroke={dissolves ? COPPER : INK}
        strokeWidth={3}
        strokeDasharray={`${stability * around} ${around}`}
        transform={`rotate(-90 ${x} ${y})`}
      />
      <text x={x} y={y + 4} fontSize={11} textAnchor="middle">
        {((100 * size) / total).toFixed(0)}
      </text>
    </g>
  );
}

function Criterion({
  candidates,
  chosen,
  column,
  x,
  y,
}: {
  candidates: Row[];
  chosen: number | null;
  column: (typeof COLUMNS)[number]["key"];
  x: number;
  y: (place: number) => number;
}) {
  const values = candidates.map((row) => row[column]);
  const scale = scaleLinear([Math.min(...values), Math.max(...values)], [4, 30]);
  const at = (value: number) => x + (values.length > 1 ? scale(value) : 12);
  return (
    <g>
      <path
        d={values.map((value, place) => `${place ? "L" : "M"}${at(value)} ${y(place)}`).join("")}
        fill="none"
        stroke="var(--color-everyone)"
      />
      {candidates.map((row, place) => (
        <g key={row.k}>
          <circle
            cx={at(row[column])}
            cy={y(place)}
            r={row.k === chosen ? 4 : 2.8}
            fill={row.k === chosen ? COPPER : INK}
          />
          <text x={at(row[column]) + 8} y={y(place) + 4} fontSize={11}>
            {row[column].toFixed(2)}
          </text>
        </g>
      ))}
    </g>
  );
}
