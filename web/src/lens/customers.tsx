import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data, Trouble } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, inUnit, unitWords } from "@/charts/format";
import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";
import { CustomerLink } from "@/study/customer-link";
import { Button } from "@/ui/button";
import { Head } from "@/ui/head";
import { useNotice } from "@/ui/notices";
import { saveFile } from "@/ui/save";
import { Empty, Failed, Waiting } from "@/ui/status";

const PAGE = 100;

interface Order {
  order: string;
  down: string;
}

/** The customers of the lens, one a row, by any column. */
export function Customers() {
  const { study, view, canChange } = useStudy();
  const lens = useLens();
  const [by, setBy] = useState<Order>({ order: "", down: "" });
  const [page, setPage] = useState({ lens: lens.digest, first: 0 });
  const first = page.lens === lens.digest ? page.first : 0;
  const query = { ...view, ...(lens.digest && { lens: lens.digest }), ...by };
  const list = useQuery({
    queryKey: ["study", study.id, "customers", query, first],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/customers", {
          params: { path: { study: study.id }, query: { ...query, first } as never },
          signal,
        }),
      ),
    enabled: !!view.to,
    placeholderData: keepPreviousData,
  });
  const save = useSave(query);
  if (!view.to)
    return (
      <Empty title="Nobody is known yet">Customers are listed here once a log has come in.</Empty>
    );
  if (list.isPending) return <Waiting />;
  if (list.isError) return <Failed words={list.error.message} />;
  const { total, numbers, names, columns } = list.data;
  const turn = (field: string) => {
    setPage({ lens: lens.digest, first: 0 });
    setBy(
      by.order !== field
        ? { order: field, down: "1" }
        : by.down
          ? { order: field, down: "" }
          : { order: "", down: "" },
    );
  };
  return (
    <div className="grid gap-3">
      <Head
        title={lens.clauses.length ? "Customers in the lens" : "Everyone"}
        words={`${count(total)} customers, one a row. Pick a column's head to order by it; who has no value comes last.`}
      >
        {canChange && (
          <Button
            kind="main"
            disabled={save.isPending || total === 0}
            onClick={() => save.mutate()}
          >
            Save these {count(total)} as a file
          </Button>
        )}
      </Head>
      <section className="card overflow-hidden" aria-label="Customers">
        <div className="max-h-[calc(100vh-220px)] overflow-auto">
          <table className="w-full border-collapse text-12">
            <thead className="sticky top-0 z-10 bg-card text-left">
              <tr>
                <th className="sticky left-0 bg-card px-3 py-2 align-bottom font-semibold">
                  Customer
                </th>
                {columns.map((column) => (
                  <Column
                    key={column.field}
                    column={column}
                    down={by.order === column.field ? by.down === "1" : null}
                    currency={study.currency}
                    onTurn={() => turn(column.field)}
                  />
                ))}
              </tr>
            </thead>
            <tbody>
              {names.map((name, row) => (
                <tr key={name || row} className="border-t border-line hover:bg-paper">
                  <td className="sticky left-0 bg-card px-3 py-1 font-semibold">
                    <CustomerLink number={numbers[row] ?? 0}>{name}</CustomerLink>
                  </td>
                  {columns.map((column) => (
                    <td
                      key={column.field}
                      className={`max-w-[150px] truncate px-2 py-1 ${column.kind === "number" ? "text-right" : ""}`}
                    >
                      {cell(column, row, study.currency)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
          {total === 0 && <p className="p-4 text-quiet">No one is in this lens.</p>}
        </div>
        <div className="flex items-center gap-2 border-t border-line px-3 py-2 text-12 text-quiet">
          <span className="flex-1">
            {total > 0 &&
              `${count(first + 1)} to ${count(Math.min(total, first + PAGE))} of ${count(total)}`}
          </span>
          <Button
            disabled={first === 0}
            onClick={() => setPage({ lens: lens.digest, first: first - PAGE })}
          >
            Former {PAGE}
          </Button>
          <Button
            disabled={first + PAGE >= total}
            onClick={() => setPage({ lens: lens.digest, first: first + PAGE })}
          >
            Next {PAGE}
          </Button>
        </div>
      </section>
    </div>
  );
}

function Column({
  column,
  down,
  currency,
  onTurn,
}: {
  column: Schemas["ListedColumn"];
  down: boolean | null;
  currency: string;
  onTurn: () => void;
}) {
  const number = column.kind === "number";
  return (
    <th
      aria-sort={down === null ? "none" : down ? "descending" : "ascending"}
      className={`px-2 py-2 align-bottom font-semibold ${number ? "text-right" : ""}`}
    >
      <button type="button" className="hover:underline" onClick={onTurn}>
        {column.label}
        {down !== null && <span aria-hidden> {down ? "▾" : "▴"}</span>}
        {number && column.unit && column.unit !== "date" && (
          <span className="block text-11 font-normal text-quiet">
            {unitWords(column.unit, currency)}
          </span>
        )}
      </button>
    </th>
  );
}

function cell(column: Schemas["ListedColumn"], row: number, currency: string): string {
  if (column.kind === "number") {
    const value = column.numbers[row] ?? null;
    return column.unit === "money" && value !== null
      ? value.toLocaleString("en-GB", { minimumFractionDigits: 2, maximumFractionDigits: 2 })
      : inUnit(value, column.unit, currency);
  }
  return column.levels[column.places[row] ?? -1] ?? "–";
}

function useSave(query: Record<string, string | undefined>) {
  const { study } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: async () => {
      const answer = await api.POST("/api/studies/{study}/customers/file", {
        params: { path: { study: study.id }, query: query as never },
        parseAs: "blob",
      });
      if (!answer.data)
        throw new Trouble("The list could not be made. Try again.", answer.response.status);
      saveFile(answer.data as Blob, "customers.csv");
    },
    onSuccess: () => say("The list is saved. That stays on record."),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => queries.invalidateQueries({ queryKey: ["study", study.id, "trail"] }),
  });
}
