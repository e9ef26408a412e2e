/** A table as it stands on the screen, ready to be taken elsewhere. */
export interface Grid {
  title: string;
  /** One cell a column. */
  heads: string[];
  rows: GridCell[][];
  /** What a reader of the table has to know, below it. */
  note?: string;
}

export interface GridCell {
  value: number | string | null;
  form: "text" | "number" | "share" | "money" | "signed" | "year";
  /** Six hexadecimal digits. */
  shade?: string;
  /** What a reader sees, where that is not the value itself. */
  words?: string;
}

export const text = (value: string): GridCell => ({ value, form: "text" });

/** A cell of delimited text that cannot act as a formula. */
export function safe(value: string): string {
  const held = /^[=+\-@\t\r]/.test(value) ? `'${value}` : value;
  return /[",\r\n]/.test(held) ? `"${held.replace(/"/g, '""')}"` : held;
}

/** CSV with heads: numbers as they are, with a point, shares from 0 to 1. */
export function csvOf(grid: Grid): string {
  const cell = ({ value }: GridCell) =>
    typeof value === "number" ? String(value) : value === null ? "" : safe(value);
  const lines = [grid.heads.map(safe), ...grid.rows.map((row) => row.map(cell))];
  return lines.map((line) => `${line.join(",")}\r\n`).join("");
}

const words = (cell: GridCell) => cell.words ?? String(cell.value ?? "");

/** Tab-divided text as it is read on the screen: one line a row, heads in one cell each. */
export function tabbedOf(grid: Grid): string {
  const plain = (value: string) => value.replace(/[\t\r\n]+/g, " ");
  const lines = [grid.heads, ...grid.rows.map((row) => row.map(words))];
  return lines.map((line) => line.map(plain).join("\t")).join("\n");
}

/** The same for programs that take tables with their shades. */
export function htmlOf(grid: Grid): string {
  const escaped = (value: string) =>
    value.replace(/[&<>"]/g, (sign) => `&#${String(sign.charCodeAt(0))};`);
  const cell = (each: GridCell) =>
    `<td${each.shade ? ` style="background:#${each.shade}"` : ""}>${escaped(words(each))}</td>`;
  const head = grid.heads.map((each) => `<th>${escaped(each)}</th>`).join("");
  const rows = grid.rows.map((row) => `<tr>${row.map(cell).join("")}</tr>`).join("");
  return `<table><tr>${head}</tr>${rows}</table>`;
}

const at = (hex: string, place: number) => parseInt(hex.slice(2 * place, 2 * place + 2), 16);

/** A colour so far on the way from white: 0 to 1. */
export function tint(hex: string, strength: number): string {
  const part = (place: number) => Math.round(255 - (255 - at(hex, place)) * strength);
  return [0, 1, 2].map((place) => part(place).toString(16).padStart(2, "0")).join("");
}

/** A cell of a number as it is, read as it is written on the screen. */
export function told(
  value: number | null | undefined,
  words: string,
  form: GridCell["form"] = "number",
): GridCell {
  return { value: value ?? null, form, words: value === null || value === undefined ? "–" : words };
}
