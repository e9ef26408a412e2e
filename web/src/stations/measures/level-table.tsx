import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import { inUnit, placesOf, unitWords } from "@/charts/format";
import type { Page } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { csvOf, text } from "@/ui/grid";
import type { Grid } from "@/ui/grid";
import { fileName, saveFile } from "@/ui/save";
import { Failed, Waiting } from "@/ui/status";
import { Column, RowHead, SortColumn, Table } from "@/ui/table";

/** The levels of a trait, one per row, by every measure; ordered by any, saved as CSV. */
export function LevelTable({ page }: { page: Page }) {
  const { study } = useStudy();
  const view = useRows();
  const [by, setBy] = useState<[number, boolean]>([-1, false]);
  const levels = useQuery({
    queryKey: ["study", study.id, "levels", view, page.made_from, page.plan_revision],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/levels", {
          params: { path: { study: study.id }, query: view },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (levels.isError) return <Failed words={levels.error.message} />;
  if (!levels.data) return <Waiting />;
  const { names, columns } = levels.data;
  const trait = page.populations.find((each) => each.name === page.of)?.label ?? page.of;
  const [place, down] = by;
  const places = columns.map((column) => placesOf(column.values, column.unit));
  const order = names.map((_, n) => n);
  const values = columns[place]?.values;
  if (values)
    order.sort((a, b) => {
      const [x, y] = [values[a] ?? null, values[b] ?? null];
      if (x === null || y === null) return x === y ? a - b : x === null ? 1 : -1;
      return down ? y - x : x - y;
    });
  const save = () => {
    const grid: Grid = {
      title: `Measures by ${trait}`,
      heads: [trait, ...columns.map((column) => column.label)],
      rows: order.map((n) => [
        text(names[n] ?? ""),
        ...columns.map((column) => ({ value: column.values[n] ?? null, form: "number" as const })),
      ]),
    };
    saveFile(new Blob([csvOf(grid)], { type: "text/csv" }), fileName(grid.title, "csv"));
  };
  return (
    <section className="card overflow-hidden" aria-label={`Measures by ${trait}`}>
      <div className="max-h-[calc(100vh-250px)] overflow-auto">
        <Table label={`Measures by ${trait}`} className="w-full border-separate border-spacing-0">
          <thead>
            <tr>
              <Column
                strong
                className="sticky top-0 left-0 z-20 border-b border-line bg-card px-3 py-2 align-bottom"
              >
                {trait}
              </Column>
              {columns.map((column, n) => (
                <SortColumn
                  key={column.name}
                  figures
                  strong
                  sorted={n !== place ? null : down ? "down" : "up"}
                  hint={column.definition}
                  below={unitWords(column.unit, study.currency)}
                  onSort={() => setBy(n !== place ? [n, true] : down ? [n, false] : [-1, false])}
                  className="sticky top-0 z-10 min-w-[84px] border-b border-line bg-card px-2 py-2 align-bottom"
                >
                  {column.label}
                </SortColumn>
              ))}
            </tr>
          </thead>
          <tbody>
            {order.map((n) => (
              <tr key={names[n]} className="group">
                <RowHead
                  strong
                  className="sticky left-0 border-t border-line bg-card px-3 py-1 group-hover:bg-paper"
                >
                  {names[n]}
                </RowHead>
                {columns.map((column, c) => (
                  <td
                    key={column.name}
                    className="border-t border-line px-2 py-1 text-right whitespace-nowrap group-hover:bg-paper"
                  >
                    {inUnit(column.values[n] ?? null, column.unit, study.currency, places[c])}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </Table>
      </div>
      <div className="flex items-center gap-3 border-t border-line px-3 py-2 text-12 text-quiet">
        <span className="flex-1">
          {levels.data.left_out > 0 &&
            `${levels.data.left_out} measures are left out: there are too many levels for them all.`}
        </span>
        <Button onClick={save}>Save this table</Button>
      </div>
    </section>
  );
}
