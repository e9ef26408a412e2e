import type { KeyboardEvent, MouseEvent } from "react";

import type { Schemas } from "@/api/client";
import { count, inUnit, money } from "@/charts/format";
import { place } from "@/lens/clauses";
import type { Clause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";

interface Props {
  field: Schemas["PlotField"];
  across: Schemas["BandedMeasure"];
  up: Schemas["BandedMeasure"];
  width: number;
  height: number;
  small?: boolean;
}

const GAP = 2;

/** Where bands begin along an axis, when each is as long as it has customers. */
function stretches(sizes: number[], length: number): { from: number; size: number }[] {
  const total = Math.max(
    1,
    sizes.reduce((a, b) => a + b, 0),
  );
  let from = 0;
  return sizes.map((customers) => {
    const size = (customers / total) * length;
    const stretch = { from, size };
    from += size;
    return stretch;
  });
}

/** Recency across, frequency upward, the best at the top right; plots at the bands' real sizes. */
export function PlotField({ field, across, up, width, height, small = false }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const left = small ? 0 : 74;
  const foot = small ? 0 : 40;
  const columns = stretches(
    across.bands.map((row) => row.customers),
    width - left,
  );
  const rows = stretches(
    up.bands.map((row) => row.customers),
    height - foot,
  );
  const heads = field.customers.flatMap((line, r) =>
    line.map((customers, c) => (customers ? (field.money[r]?.[c] ?? 0) / customers : 0)),
  );
  const dearest = Math.max(1, ...heads);
  const pick = (r: number, c: number) => (event: MouseEvent | KeyboardEvent) => {
    if ("key" in event && event.key !== "Enter") return;
    const clause = (name: string, band: number): Clause => ({
      field: `band:${name}`,
      values: [String(band)],
      ranges: [],
      negated: false,
      window: "",
    });
    let next = place(lens.clauses, clause(across.name, c + 1));
    next = place(next, clause(up.name, r + 1));
    if (small) next = place(next, clause("monetary", field.monetary_band));
    lens.set(next);
  };
  const quiet = { fill: "var(--color-quiet)" };
  return (
    <svg
      width={width}
      height={height}
      role="group"
      aria-label={`${across.label} across, ${up.label} upward`}
    >
      {field.customers.map((line, r) =>
        line.map((customers, c) => {
          const column = columns[c];
          const row = rows[r];
          if (!column || !row || column.size < 0.5 || row.size < 0.5) return null;
          const cash = field.money[r]?.[c] ?? 0;
          const shade = customers ? Math.sqrt(cash / customers / dearest) : 0;
          const x = left + column.from;
          const y = height - foot - row.from - row.size;
          const inside = field.lens?.[r]?.[c] ?? 0;
          const words = `${across.label} band ${c + 1}, ${up.label} band ${r + 1}: ${count(customers)} customers, ${money(cash, study.scale, study.currency)}`;
          return (
            <g
              key={`${r}-${c}`}
              role="button"
              tabIndex={small ? -1 : 0}
              aria-label={words}
              className="cursor-pointer"
              onClick={pick(r, c)}
              onKeyDown={pick(r, c)}
            >
              <title>{words}</title>
              <rect
                x={x + GAP / 2}
                y={y + GAP / 2}
                width={Math.max(0.5, column.size - GAP)}
                height={Math.max(0.5, row.size - GAP)}
                fill={
                  customers
                    ? `color-mix(in srgb, var(--color-above) ${(6 + shade * 46).toFixed(0)}%, var(--color-card))`
                    : "var(--color-paper)"
                }
                stroke="var(--color-line)"
              />
              {inside > 0 && customers > 0 && (
                <rect
                  x={x + 3}
                  y={y + row.size - 6}
                  width={Math.max(0, (column.size - 6) * (inside / customers))}
                  height={3}
                  fill="var(--color-teal)"
                />
              )}
              {!small && column.size > 34 && row.size > 18 && (
                <text
                  x={x + column.size / 2}
                  y={y + row.size / 2 + 4}
                  fontSize={12}
                  textAnchor="middle"
                >
                  {customers ? count(customers) : "·"}
                </text>
              )}
            </g>
          );
        }),
      )}
      {!small &&
        across.bands.map((band, c) => {
          const column = columns[c];
          return column && column.size > 24 ? (
            <g key={band.band}>
              <text
                x={left + column.from + column.size / 2}
                y={height - foot + 14}
                fontSize={12}
                fontWeight={600}
                textAnchor="middle"
              >
                {band.band}
              </text>
              {column.size > 60 && (
                <text
                  x={left + column.from + column.size / 2}
                  y={height - foot + 28}
                  fontSize={11}
                  textAnchor="middle"
                  style={quiet}
                >
                  {inUnit(band.low, across.unit, study.currency)} to{" "}
                  {inUnit(band.high, across.unit, study.currency)} days
                </text>
              )}
            </g>
          ) : null;
        })}
      {!small &&
        up.bands.map((band, r) => {
          const row = rows[r];
          return row && row.size > 12 ? (
            <g key={band.band}>
              <text
                x={left - 8}
                y={height - foot - row.from - row.size / 2 + 4}
                fontSize={12}
                fontWeight={600}
                textAnchor="end"
              >
                {band.band}
              </text>
              <text
                x={0}
                y={height - foot - row.from - row.size / 2 + 4}
                fontSize={11}
                style={quiet}
              >
                {band.low === band.high
                  ? inUnit(band.low, up.unit, study.currency)
                  : `${inUnit(band.low, up.unit, study.currency)} to ${inUnit(band.high, up.unit, study.currency)}`}
              </text>
            </g>
          ) : null;
        })}
      {!small && (
        <text x={0} y={height - foot + 14} fontSize={11} style={quiet}>
          ↑ visits
        </text>
      )}
      {!small && (
        <text x={0} y={height - foot + 28} fontSize={11} style={quiet}>
          → recency
        </text>
      )}
    </svg>
  );
}
