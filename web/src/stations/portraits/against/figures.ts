import { count, fixed } from "@/charts/format";
import type { Figure, Level, Page } from "@/stations/portraits/against/use-against";
import { percent } from "@/stations/portraits/threads/cells";
import { text, tint } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";

/** Three times as many as expected, or a third, are shaded deepest. */
const DEEPEST_INDEX = 3;
const DEEPEST = 0.38;
const ABOVE = "5b4b9a";
const BELOW = "a06a00";

/** A cell's figure; null where there is none. */
export function valueOf(level: Level, column: number, figure: Figure): number | null {
  const row = {
    column: level.of_column,
    level: level.of_level,
    counts: level.counts,
    index: level.index,
    residuals: level.residuals,
  }[figure];
  return row[column] ?? null;
}

export function wordsOf(value: number | null, figure: Figure): string {
  if (value === null) return "–";
  if (figure === "counts") return count(value);
  if (figure === "index") return value.toFixed(0);
  if (figure === "residuals") return `${value > 0 ? "+" : ""}${fixed(value, 1)}`;
  return percent(value);
}

/** How deep a cell is shaded: by its index, and only where chance alone does not make it. */
export function depthOf(level: Level, column: number): number {
  const index = level.index[column] ?? null;
  if (!level.told[column] || index === null) return 0;
  const away = Math.abs(Math.log(Math.max(index, 1) / 100)) / Math.log(DEEPEST_INDEX);
  return Math.max(0.2, Math.min(1, away)) * DEEPEST;
}

export function isAbove(level: Level, column: number): boolean {
  return (level.index[column] ?? 100) > 100;
}

/** Figures that there are for what is set against the columns. */
export function figuresFor(page: Page): readonly Figure[] {
  return page.spend ? ["column", "index"] : ["column", "level", "counts", "index", "residuals"];
}

/** The table as it stands, for elsewhere. */
export function gridOf(page: Page, figure: Figure): Grid {
  const form: GridCell["form"] =
    figure === "column" || figure === "level"
      ? "share"
      : figure === "residuals"
        ? "signed"
        : "number";
  return {
    title: `Against ${page.label}`,
    heads: [page.label, "Everyone", ...page.columns.map((head) => head.name)],
    rows: page.levels.map((level) => [
      text(level.label),
      { value: level.everyone, form: "share", words: percent(level.everyone) },
      ...page.columns.map((_, column): GridCell => {
        const value = valueOf(level, column, figure);
        const deep = depthOf(level, column);
        return {
          value,
          form,
          words: wordsOf(value, figure),
          ...(deep > 0 && { shade: tint(isAbove(level, column) ? ABOVE : BELOW, deep) }),
        };
      }),
    ]),
    note: page.status.state === "out of date" ? `Out of date: ${page.status.words}` : "",
  };
}
