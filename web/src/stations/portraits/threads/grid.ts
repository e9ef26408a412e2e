import type { Schemas } from "@/api/client";
import { cellOf, depths, levelCell, wordsOf } from "@/stations/portraits/threads/cells";
import type { Shade, Told, Value } from "@/stations/portraits/threads/cells";
import { deviation, levelDeviation, levelsOf, separation } from "@/stations/portraits/threads/rows";
import type { Category, Row } from "@/stations/portraits/threads/rows";
import { text, tint } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";

const ABOVE = "5b4b9a";
const BELOW = "a06a00";
/** How dark the deepest cell is. */
export const DEEPEST = 0.38;

/** The share of the deepest shade that a deviation takes. */
export function strength(deviation: number | null, deepest: number): number {
  return deviation === null ? 0 : Math.min(1, Math.abs(deviation) / deepest) * DEEPEST;
}

interface Looked {
  show: Value;
  shade: Shade;
  currency: string;
  note: string;
  open: string[];
}

/** The table as it stands, for elsewhere: a line a row, opened values below their row. */
export function gridOf(page: Schemas["PortraitsPage"], rows: Row[], look: Looked): Grid {
  const deepest = depths(rows, page.columns.length, look.shade);
  const cell = (told: Told, away: number | null, column: number): GridCell => ({
    value: told.lead ? wordsOf(told) : told.value,
    form: told.lead ? "text" : told.form,
    words: wordsOf(told),
    ...shadeOf(away, deepest[column] ?? 1, look.shade),
  });
  const line = (row: Row): GridCell[] => [
    text(row.label),
    { value: separation(row), form: "number", words: separation(row).toFixed(2) },
    cell(cellOf(row, -1, look.show, look.currency), null, 0),
    ...page.columns.map((_, n) =>
      cell(cellOf(row, n, look.show, look.currency), deviation(row, n), n),
    ),
  ];
  const below = (row: Category): GridCell[][] =>
    levelsOf(row).map((level) => [
      text(`${row.label}: ${row.levels[level] ?? ""}`),
      text(""),
      cell(levelCell(row, -1, level, look.show), null, 0),
      ...page.columns.map((_, n) =>
        cell(levelCell(row, n, level, look.show), levelDeviation(row, n, level), n),
      ),
    ]);
  return {
    title: "Portraits",
    note: look.note,
    heads: [
      "By separation",
      "η², V² for categories",
      "Everyone",
      ...page.columns.map((column) => column.name),
    ],
    rows: rows.flatMap((row) => [
      line(row),
      ...(row.kind === "category" && look.open.includes(row.name) ? below(row) : []),
    ]),
  };
}

function shadeOf(away: number | null, deepest: number, shade: Shade) {
  const deep = shade === "none" ? 0 : strength(away, deepest);
  return deep < 0.01 ? {} : { shade: tint((away ?? 0) > 0 ? ABOVE : BELOW, deep) };
}
