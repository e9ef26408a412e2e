import type { Schemas } from "@/api/client";
import { count, figure, fixed, inUnit } from "@/charts/format";
import { deviation, levelDeviation } from "@/stations/portraits/threads/rows";
import type { Category, Head, Numeric, Row } from "@/stations/portraits/threads/rows";
import type { GridCell } from "@/ui/grid";

/** What the cells tell of a column. */
export const VALUES = [
  ["mean", "means"],
  ["median", "medians"],
  ["deviation", "distances in SD"],
  ["total", "shares of the total"],
  ["index", "indexes, everyone 100"],
] as const;
export type Value = (typeof VALUES)[number][0];

/** How deep a cell is shaded: against all cells, against its own column, or not at all. */
export const SHADES = [
  ["across", "across columns"],
  ["within", "within each column"],
  ["none", "not at all"],
] as const;
export type Shade = (typeof SHADES)[number][0];

/** A cell in words: what leads (a category's value), the figure, its unit in small. */
export interface Told {
  lead: string;
  words: string;
  unit: string;
  value: number | null;
  form: GridCell["form"];
}

const NOTHING: Told = { lead: "", words: "–", unit: "", value: null, form: "number" };
/** Numbers whose ratio to another says nothing. */
const NO_RATIO = new Set(["year", "date", "rank", "log ratio"]);
const SHORT: Record<string, string> = { departments: "depts" };

/** A share of those who took an offer is told as one. */
const unitOf = (unit: string) => (unit === "took" ? "share" : unit);

/** What stands behind a figure, in small; money and shares have their sign at the figure. */
export function unitAfter(unit: string): string {
  if (["share", "took", "rank", "year", "date", "log ratio", ""].includes(unit)) return "";
  return unit.startsWith("money") ? unit.replace("money", "") : (SHORT[unit] ?? unit);
}

function formOf(unit: string): GridCell["form"] {
  if (unitOf(unit) === "share") return "share";
  if (unit.startsWith("money")) return "money";
  return unit === "year" ? "year" : "number";
}

/** A value of a number in its unit. */
export function inItsUnit(value: number | null | undefined, unit: string, currency: string): Told {
  if (value === null || value === undefined) return NOTHING;
  return {
    lead: "",
    words: inUnit(value, unitOf(unit), currency),
    unit: unitAfter(unit),
    value,
    form: formOf(unit),
  };
}

const signed = (value: number | null, unit: string): Told =>
  value === null
    ? NOTHING
    : {
        lead: "",
        words: `${value > 0 ? "+" : ""}${fixed(value, 1)}`,
        unit,
        value,
        form: "signed",
      };

const shareOf = (value: number | null | undefined): Told =>
  value === null || value === undefined
    ? NOTHING
    : { ...NOTHING, words: percent(value), value, form: "share" };

const indexOf = (value: number | null): Told =>
  value === null ? NOTHING : { ...NOTHING, words: figure(Math.round(value)), value };

/** Shares under one in a hundred keep a digit behind the point. */
export function percent(share: number): string {
  const digits = share > 0 && share < 0.0095 ? 1 : 0;
  return `${(100 * share).toFixed(digits)}%`;
}

/** A number's cell; column −1: everyone. */
export function numberCell(row: Numeric, column: number, show: Value, currency: string): Told {
  const all = column < 0;
  const mean = all ? row.everyone : row.means[column];
  if (show === "mean") return inItsUnit(mean, row.unit, currency);
  if (show === "median")
    return inItsUnit(all ? row.everyone_median : row.medians[column], row.unit, currency);
  if (show === "deviation") return signed(all ? 0 : (row.deviations[column] ?? null), "SD");
  if (show === "total") {
    if (all) return row.totals.some((share) => share !== null) ? shareOf(1) : NOTHING;
    return shareOf(row.totals[column]);
  }
  const usual = row.everyone ?? 0;
  const fair = usual > 0 && !NO_RATIO.has(row.unit) && mean !== null && mean !== undefined;
  return indexOf(fair ? (100 * mean) / usual : null);
}

/** The cell of one value of a category; column −1: everyone. */
export function levelCell(row: Category, column: number, level: number, show: Value): Told {
  const usual = row.everyone[level] ?? 0;
  if (column < 0) {
    if (show === "deviation") return signed(0, "SD");
    return show === "index" ? indexOf(100) : shareOf(show === "total" ? 1 : usual);
  }
  const here = row.shares[column]?.[level] ?? null;
  if (show === "deviation") return signed(levelDeviation(row, column, level), "SD");
  if (show === "index") return indexOf(here !== null && usual > 0 ? (100 * here) / usual : null);
  if (show !== "total") return shareOf(here);
  const whole = row.counts.reduce((sum, counts) => sum + (counts[level] ?? 0), 0);
  return shareOf(whole > 0 ? (row.counts[column]?.[level] ?? 0) / whole : null);
}

/** A category's cell: its telling value and what there is of it; everyone's is the commonest. */
export function categoryCell(row: Category, column: number, show: Value): Told {
  const level = column < 0 ? row.everyone_level : (row.telling[column] ?? 0);
  return { ...levelCell(row, column, level, show), lead: row.levels[level] ?? "" };
}

/** The cell of any row. */
export function cellOf(row: Row, column: number, show: Value, currency: string): Told {
  return row.kind === "numeric"
    ? numberCell(row, column, show, currency)
    : categoryCell(row, column, show);
}

export const wordsOf = ({ lead, words, unit }: Told) =>
  [lead, unit.startsWith("/") ? words + unit : words, unit.startsWith("/") ? "" : unit]
    .filter(Boolean)
    .join(" ");

/** The deepest shade of a table: one for all columns, or one a column. */
export function depths(rows: Row[], columns: number, shade: Shade): number[] {
  const far = Array.from({ length: columns }, (_, column) =>
    Math.max(0.5, ...rows.map((row) => Math.abs(deviation(row, column) ?? 0))),
  );
  const deepest = Math.max(0.5, ...far);
  return shade === "across" ? far.map(() => deepest) : far;
}

const interval = (low: Told, high: Told) => `95% interval ${wordsOf(low)} to ${wordsOf(high)}`;

/** All that is known of a number's cell, as one line. */
export function numberNote(row: Numeric, column: number, head: Head, currency: string): string {
  const of = (value: number | null | undefined) => inItsUnit(value, row.unit, currency);
  const mean = row.means[column] ?? null;
  const people = row.counts[column] ?? 0;
  if (mean === null) return `${row.label}, ${head.name}: known of nobody.`;
  const half = row.half_widths[column] ?? null;
  const away = row.deviations[column] ?? 0;
  const parts = [
    `mean ${wordsOf(of(mean))} of ${count(people)}`,
    half === null ? "" : interval(of(mean - half), of(mean + half)),
    `median ${wordsOf(of(row.medians[column]))}`,
    `middle half ${wordsOf(of(row.lower[column]))} to ${wordsOf(of(row.upper[column]))}`,
    `${fixed(Math.abs(away), 2)} SD ${away < 0 ? "below" : "above"} everyone`,
  ];
  return `${row.label}, ${head.name}: ${parts.filter(Boolean).join("; ")}.`;
}

/** All that is known of the cell of a category's value. */
export function levelNote(row: Category, column: number, level: number, head: Head): string {
  const here = row.shares[column]?.[level] ?? null;
  const name = `${row.label}: ${row.levels[level] ?? ""}, ${head.name}`;
  if (here === null) return `${name}: nobody.`;
  const parts = [
    `${percent(here)}, ${count(row.counts[column]?.[level] ?? 0)} of ${count(head.customers)}`,
    interval(shareOf(row.lows[column]?.[level]), shareOf(row.highs[column]?.[level])),
    `${percent(row.everyone[level] ?? 0)} of everyone`,
  ];
  return `${name}: ${parts.join("; ")}.`;
}

/** A difference of two columns in words, with its interval: of means in the unit, of shares in
 * percentage points. */
export function apartWords(
  apart: Schemas["DifferenceBody"] | null | undefined,
  unit: string | null,
  currency: string,
): { words: string; interval: string; told: boolean } {
  if (apart?.value === null || apart === null || apart === undefined)
    return { words: "–", interval: "", told: false };
  const points = unit === null || unitOf(unit) === "share";
  const plus = (value: number) => {
    const sign = value > 0 ? "+" : "";
    if (points) return `${sign}${fixed(100 * value, 1)}`;
    return `${sign}${inUnit(value, unit, currency)}`;
  };
  const after = points ? " pt" : unitAfter(unit) && ` ${unitAfter(unit)}`;
  const effect = apart.d === null ? "" : `, d ${fixed(apart.d, 2)}`;
  return {
    words: `${plus(apart.value)}${after}`,
    interval:
      apart.low === null || apart.high === null
        ? "too few to tell"
        : `${plus(apart.low)} to ${plus(apart.high)}${effect}`,
    told: apart.told,
  };
}
