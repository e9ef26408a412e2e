import type { Schemas } from "@/api/client";

export type Numeric = Schemas["NumericThread"];
export type Category = Schemas["CategoryThread"];
export type Row = ({ kind: "numeric" } & Numeric) | ({ kind: "category" } & Category);
export type Head = Schemas["ColumnHead"];

/** So many rows stand there before anybody asks for more, where fewer shaped the groups. */
const USUAL = 9;
/** Of which at most so many are categories that only describe. */
const CATEGORIES = 3;

/** By which rows are ordered: separation, name, or how far a column (its number) stands off. */
export type Order = "separation" | "name" | number;

/** η² of a number, V² of a category. */
export function separation(row: Row): number {
  return row.kind === "numeric" ? (row.eta_squared ?? 0) : row.v_squared;
}

/** How far a column's share of a level stands from everyone's, in its standard deviations. */
export function levelDeviation(row: Category, column: number, level: number): number | null {
  const [here, usual] = [row.shares[column]?.[level], row.everyone[level] ?? 0];
  const spread = Math.sqrt(usual * (1 - usual));
  return here === null || here === undefined || spread === 0 ? null : (here - usual) / spread;
}

/** How far a column stands from everyone; of a category by its telling value. */
export function deviation(row: Row, column: number): number | null {
  if (row.kind === "numeric") return row.deviations[column] ?? null;
  const level = row.telling[column];
  return level === undefined ? null : levelDeviation(row, column, level);
}

/** Every row in its order; by separation numbers and categories stand apart. */
export function ordered(numeric: Numeric[], categories: Category[], by: Order): Row[] {
  const rows: Row[] = [
    ...numeric.map((row) => ({ kind: "numeric" as const, ...row })),
    ...categories.map((row) => ({ kind: "category" as const, ...row })),
  ];
  if (by === "separation") return rows; // as they come
  if (by === "name") return rows.sort((one, other) => one.label.localeCompare(other.label, "en"));
  const far = (row: Row) => Math.abs(deviation(row, by - 1) ?? 0);
  return rows.sort((one, other) => far(other) - far(one));
}

/** What was chosen of the rows: names that stand on top, that were asked for or taken out. */
export interface Chosen {
  pinned: string[];
  asked: string[];
  hidden: string[];
  all: boolean;
}

/** What is shown: pinned rows first, then what was asked for, what shaped and what tells most. */
export function shownOf(every: Row[], { pinned, asked, hidden, all }: Chosen): Row[] {
  const rows = every.filter((row) => !hidden.includes(row.name));
  const top = pinned.flatMap((name) => rows.find((row) => row.name === name) ?? []);
  const rest = rows.filter((row) => !top.includes(row));
  if (all) return [...top, ...rest];
  const wanted = new Set(
    rows.filter((row) => row.shaped || asked.includes(row.name)).map((row) => row.name),
  );
  let beside = 0;
  for (const row of [...rows].sort((one, other) => separation(other) - separation(one))) {
    if (wanted.size >= USUAL) break;
    if (wanted.has(row.name) || separation(row) < 0.005) continue;
    if (row.kind === "category" && (beside += 1) > CATEGORIES) continue;
    wanted.add(row.name);
  }
  return [...top, ...rest.filter((row) => wanted.has(row.name))];
}

/** Values of a category in the order in which they are read: ordered ones as they are, others
 * by how common they are; *not given* (level 0) last, where there is any. */
export function levelsOf(row: Category): number[] {
  const levels = row.levels.map((_, level) => level).filter((level) => level > 0);
  const used = levels.filter((level) => (row.everyone[level] ?? 0) > 0);
  if (!row.ordered)
    used.sort((one, other) => (row.everyone[other] ?? 0) - (row.everyone[one] ?? 0));
  return (row.everyone[0] ?? 0) > 0 ? [...used, 0] : used;
}
