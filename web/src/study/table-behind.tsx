import { useState } from "react";

import { TakeAway } from "@/study/take-away";
import type { Grid, GridCell } from "@/ui/grid";
import { Column, RowHead, Table } from "@/ui/table";

interface Props {
  /** What is taken, for the names of files. */
  name: string;
  grid: () => Grid;
  /** Which part of what is shown, where there is more than one table behind it. */
  what?: string;
}

/** What a picture shows, as a table to be read, copied and saved. */
export function TableBehind({ name, grid, what }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <div className="mt-2 text-12">
      <div className="flex items-center gap-3 print:hidden">
        <button
          type="button"
          aria-expanded={open}
          className="underline"
          onClick={() => setOpen(!open)}
        >
          {open ? "Hide the table" : `Show ${what ? `the ${what} ` : ""}as a table`}
        </button>
        {open && <TakeAway name={name} grid={grid} />}
      </div>
      {open && <GridTable grid={grid()} />}
    </div>
  );
}

const inWords = (cell: GridCell | undefined) => cell?.words ?? String(cell?.value ?? "");

function GridTable({ grid }: { grid: Grid }) {
  const figures = (place: number) => grid.rows.some((row) => row[place]?.form !== "text");
  return (
    <div
      role="region"
      aria-label={grid.title}
      // Its rows scroll: whoever has no wheel does it with the arrow keys.
      tabIndex={0}
      className="mt-1.5 max-h-[420px] overflow-auto rounded-md border border-line bg-card"
    >
      <Table label={grid.title} className="w-full border-collapse">
        <caption className="px-2 py-1.5 text-left text-quiet">
          <b className="font-semibold text-ink">{grid.title}.</b> {grid.note}
        </caption>
        <thead className="sticky top-0 bg-card">
          <tr>
            {grid.heads.map((head, place) => (
              <Column key={head} figures={figures(place)} strong className="px-2 py-1">
                {head}
              </Column>
            ))}
          </tr>
        </thead>
        <tbody>
          {grid.rows.map((row, n) => (
            <tr key={n} className="border-t border-line">
              <RowHead className="px-2 py-0.5">{inWords(row[0])}</RowHead>
              {row.slice(1).map((cell, place) => (
                <td
                  key={place}
                  className={`px-2 py-0.5 ${figures(place + 1) ? "text-right whitespace-nowrap" : ""}`}
                >
                  {inWords(cell)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </div>
  );
}
