import type { Page } from "@/stations/portraits/spread/use-spread";
import { text } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";

const FIVE = ["5%", "25%", "50%", "75%", "95%"];

/** The table behind the picture: a line for every measure and column. */
export function gridOf(page: Page): Grid {
  const numbers = (values: (number | null)[]): GridCell[] =>
    values.map((value) => ({
      value,
      form: "number",
      words: value === null ? "" : String(Number(value.toPrecision(5))),
    }));
  return {
    title: "Spread",
    heads: [
      "Measure",
      "Unit",
      "Column",
      "Customers",
      ...FIVE,
      ...FIVE.map((share) => `${share}, percentile among everyone`),
    ],
    rows: page.panels.flatMap((panel) =>
      panel.boxes.map((box, n) => [
        text(panel.label),
        text(panel.unit),
        text(page.columns[n]?.name ?? ""),
        { value: box.customers, form: "number" as const },
        ...numbers(box.five),
        ...numbers(box.among),
      ]),
    ),
    note: page.status.state === "out of date" ? `Out of date: ${page.status.words}` : "",
  };
}
