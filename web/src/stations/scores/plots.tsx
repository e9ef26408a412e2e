import { memo } from "react";

import { chance } from "@/stations/scores/geometry";
import type { Stretch } from "@/stations/scores/geometry";
import type { Page } from "@/stations/scores/use-scores";

type Field = NonNullable<Page["field"]>;

interface Props {
  field: Field;
  shade: string;
  columns: Stretch[];
  rows: Stretch[];
  height: number;
  /** Customers that one dot stands for. */
  each: number;
  small?: boolean;
  /** The shade's range over all fields, so that small and large ones can be compared. */
  range: [number, number];
}

/** What a plot's shade says, null where there is nobody. */
export function shadeOf(field: Field, shade: string, r: number, c: number): number | null {
  const customers = field.customers[r]?.[c] ?? 0;
  if (!customers) return null;
  if (shade === "customers") return customers;
  const money = field.money[r]?.[c] ?? 0;
  if (shade === "money") return money;
  if (shade === "heads") return money / customers;
  return field.shade?.[r]?.[c] ?? null;
}

export function rangeOf(fields: Field[], shade: string): [number, number] {
  const values = fields.flatMap((field) =>
    field.customers.flatMap((line, r) => line.map((_, c) => shadeOf(field, shade, r, c))),
  );
  const there = values.filter((value): value is number => value !== null);
  return there.length ? [Math.min(...there), Math.max(...there)] : [0, 1];
}

const GAP = 2;
const MOST_DOTS = 1400;

export function dotFor(scored: number): number {
  const raw = Math.max(1, scored / MOST_DOTS);
  const power = 10 ** Math.floor(Math.log10(raw));
  return [1, 2, 5, 10].map((m) => m * power).find((m) => m >= raw) ?? power * 10;
}

/** Plots at the bands' real sizes: a dot for so many customers, the shade under them. */
export const Plots = memo(function Plots({
  field,
  shade,
  columns,
  rows,
  height,
  each,
  small = false,
  range,
}: Props) {
  const [low, high] = range;
  return (
    <g>
      {field.customers.map((line, r) =>
        line.map((customers, c) => {
          const column = columns[c];
          const row = rows[r];
          if (!column?.size || !row?.size) return null;
          const value = shadeOf(field, shade, r, c);
          const deep = value === null || high <= low ? 0 : (value - low) / (high - low);
          const inside = field.lens?.[r]?.[c] ?? 0;
          const gap = Math.min(GAP, column.size / 8, row.size / 8);
          const [x, y] = [column.from + gap / 2, height - row.from - row.size + gap / 2];
          const [w, h] = [Math.max(0.5, column.size - gap), Math.max(0.5, row.size - gap)];
          return (
            <g key={`${r}-${c}`}>
              <rect
                x={x}
                y={y}
                width={w}
                height={h}
                rx={small ? 1 : 2}
                fill={
                  customers
                    ? `color-mix(in srgb, var(--color-ink) ${(3 + deep * 31).toFixed(0)}%, var(--color-card))`
                    : "var(--color-paper)"
                }
              />
              <Dots
                count={Math.round(customers / each)}
                lit={customers ? Math.round((inside / customers) * (customers / each)) : 0}
                box={[x, y, w, h]}
                seed={r * 16 + c + field.third * 331}
                size={small ? 0.7 : 1.25}
                lens={field.lens !== null}
              />
            </g>
          );
        }),
      )}
    </g>
  );
});

function Dots({
  count,
  lit,
  box: [x, y, w, h],
  seed,
  size,
  lens,
}: {
  count: number;
  lit: number;
  box: [number, number, number, number];
  seed: number;
  size: number;
  lens: boolean;
}) {
  const path = (from: number, to: number) => {
    const out: string[] = [];
    for (let n = from; n < to; n++) {
      const cx = x + size + chance(seed, n, 1) * Math.max(0, w - 2 * size);
      const cy = y + size + chance(seed, n, 2) * Math.max(0, h - 2 * size);
      out.push(
        `M${(cx - size).toFixed(1)} ${cy.toFixed(1)}a${size} ${size} 0 1 0 ${2 * size} 0a${size} ${size} 0 1 0 ${-2 * size} 0`,
      );
    }
    return out.join("");
  };
  return (
    <>
      <path d={path(lit, count)} fill="var(--color-quiet)" opacity={lens ? 0.3 : 0.6} />
      {lens && lit > 0 && <path d={path(0, lit)} fill="var(--color-teal)" opacity={0.9} />}
    </>
  );
}
