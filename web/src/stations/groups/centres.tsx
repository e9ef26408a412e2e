import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, figure, fixed, inUnit, percent, unitWords } from "@/charts/format";
import { useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";
import { unit } from "@/study/unit";
import { Choice } from "@/ui/choice";
import { text } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";
import { Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";

type Page = Schemas["CentresPage"];
type Cell = Schemas["CentreCell"];

const UNITS = [
  ["original", "in own units"],
  ["prepared", "as prepared"],
] as const;

/** Where the groups' centres stand, in the columns' units and as distances see them. */
export function Centres({ grouping }: { grouping: number }) {
  const { study, view } = useStudy();
  const [units, setUnits] = useState<"original" | "prepared">("original");
  const centres = useQuery({
    queryKey: ["study", study.id, "centres", view, grouping],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups/{grouping}/centres", {
          params: { path: { study: study.id, grouping }, query: view },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (centres.isError) return <Failed words={centres.error.message} />;
  if (!centres.data) return <Waiting height={120} />;
  const page = centres.data;
  const squares = page.gower ? "distances" : "squares";
  const shown = (column: Page["columns"][number], cell: Cell) => {
    if (column.kind === "category")
      return units === "original" ? cell.words : `${cell.words} ${percent(cell.prepared, 1, 0)}`;
    return units === "original"
      ? inUnit(cell.value ?? null, column.unit, study.currency)
      : fixed(cell.prepared);
  };
  return (
    <div className="mt-3 border-t border-line pt-2">
      <div className="flex flex-wrap items-center gap-3">
        <h3 className="text-13">Centres</h3>
        <Choice label="Units of the centres" choices={UNITS} value={units} onChoose={setUnits} />
        <span className="flex-1" />
        <TakeAway name={`centres of ${page.k} groups`} grid={() => gridOf(page, study.currency)} />
      </div>
      <div className="overflow-x-auto">
        <Table label="Centres" className="mt-1.5 w-full">
          <thead>
            <tr className="align-bottom text-11 text-quiet">
              <Column>Group</Column>
              {page.columns.map((column) => (
                <Column key={column.name} figures={column.kind === "number"} className="pl-3">
                  {column.label}
                </Column>
              ))}
              <Column figures className="pl-3">
                {unit.Many}
              </Column>
              <Column figures className="pl-3">
                {page.gower ? "Distances" : "Squares"} within
              </Column>
            </tr>
          </thead>
          <tbody>
            {page.groups.map((group) => (
              <tr key={group.group} className="border-t border-line">
                <RowHead strong>{group.group}</RowHead>
                {page.columns.map((column, n) => (
                  <td
                    key={column.name}
                    className={`whitespace-nowrap pl-3 ${column.kind === "number" ? "text-right" : ""}`}
                  >
                    {group.cells[n] && shown(column, group.cells[n])}
                  </td>
                ))}
                <td className="pl-3 text-right">{count(group.customers)}</td>
                <td className="pl-3 text-right">{figure(group.within)}</td>
              </tr>
            ))}
            <Sums page={page} words={`Sum of ${squares} within`} of={(column) => column.within} />
            {page.between !== null && (
              <>
                <Sums page={page} words="Between the groups" of={(column) => column.between} />
                <tr className="text-quiet">
                  <RowHead>Between, of all</RowHead>
                  {page.columns.map((column) => (
                    <td key={column.name} className="pl-3 text-right">
                      {percent(column.between ?? 0, column.within + (column.between ?? 0), 0)}
                    </td>
                  ))}
                  <td />
                  <td className="pl-3 text-right">
                    {percent(page.between, page.within + page.between, 0)}
                  </td>
                </tr>
              </>
            )}
          </tbody>
        </Table>
      </div>
      <p className="mt-1 text-11 text-quiet">
        A centre is the mean of the prepared values, or the commonest value of a category; in own
        units it is bent back, so that of a logarithm it stands below the plain mean.
        {units === "prepared" && " Beside a category: the share of the group that has it."}{" "}
        {page.settled
          ? `The passes settled after ${count(page.passes)}.`
          : `After ${count(page.passes)} passes some still moved: allow more of them to settle.`}
      </p>
    </div>
  );
}

function Sums({
  page,
  words,
  of,
}: {
  page: Page;
  words: string;
  of: (column: Page["columns"][number]) => number | null;
}) {
  const total = page.columns.reduce((sum, column) => sum + (of(column) ?? 0), 0);
  return (
    <tr className="border-t border-line text-quiet">
      <RowHead>{words}</RowHead>
      {page.columns.map((column) => (
        <td key={column.name} className="pl-3 text-right">
          {figure(of(column))}
        </td>
      ))}
      <td />
      <td className="pl-3 text-right">{figure(total)}</td>
    </tr>
  );
}

/** Both units side by side, with the sums below. */
function gridOf(page: Page, currency: string): Grid {
  const number = (value: number | null): GridCell => ({ value, form: "number" });
  const heads = page.columns.flatMap((column) =>
    column.kind === "number"
      ? [
          `${column.label}, ${unitWords(column.unit, currency) || "own units"}`,
          `${column.label}, prepared`,
        ]
      : [column.label, `${column.label}, share that has it`],
  );
  const sums = (words: string, of: (column: Page["columns"][number]) => number | null) => [
    text(words),
    ...page.columns.flatMap((column) => [text(""), number(of(column))]),
    text(""),
    number(page.columns.reduce((sum, column) => sum + (of(column) ?? 0), 0)),
  ];
  return {
    title: `Centres of ${page.k} groups`,
    heads: ["Group", ...heads, unit.Many, page.gower ? "Distances within" : "Squares within"],
    rows: [
      ...page.groups.map((group) => [
        number(group.group),
        ...page.columns.flatMap((column, n) => {
          const cell = group.cells[n];
          if (!cell) return [text(""), text("")];
          return column.kind === "number"
            ? [number(cell.value ?? null), number(cell.prepared)]
            : [text(cell.words ?? ""), { value: cell.prepared, form: "share" as const }];
        }),
        number(group.customers),
        number(group.within),
      ]),
      sums("Within", (column) => column.within),
      ...(page.between === null ? [] : [sums("Between", (column) => column.between)]),
    ],
    note: page.settled ? "" : `The passes ended after ${page.passes}, before nobody moved.`,
  };
}
