import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, figure, inUnit, money, percent } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import { withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { useRows } from "@/stations/measures/use-rows";
import { heads } from "@/stations/scores/heads";
import type { Page } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";
import { Column, SortColumn, Table } from "@/ui/table";

type Row = Schemas["CodeRow"];
const columns = (of: string) => [
  ["customers", of ? "Rows" : "Customers"] as const,
  ["money", "Money"] as const,
  ["total", "Total"] as const,
  ["mean", ""] as const,
];

/** Which bands go together: every code with its customers, sorted by any measure. */
export function Codes({ page }: { page: Page }) {
  const { study } = useStudy();
  const view = useRows();
  const lens = useLens();
  const [sort, setSort] = useState("customers");
  const [mean, setMean] = useState(
    page.scorable.find((each) => each.name === "basket_mean")?.name ?? page.measures[0]?.name ?? "",
  );
  const codes = useQuery({
    queryKey: ["study", study.id, "codes", view, page.made_from, sort, mean],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/scores/codes", {
          params: { path: { study: study.id }, query: { ...view, sort, mean } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (codes.isError) return <Failed words={codes.error.message} />;
  if (!codes.data) return <Waiting />;
  const found = codes.data;
  const most = Math.max(1, ...found.codes.map((row) => row.customers));
  const take = (row: Row) => {
    if (page.of) return;
    lens.set(
      page.measures.reduce(
        (clauses, measure, n) =>
          withValues(clauses, `band:${measure.name}`, [String(row.bands[n] ?? 1)]),
        lens.clauses,
      ),
    );
  };
  const end = (words: string, row: Row | null) =>
    row && (
      <p>
        <span className="block text-12 text-quiet">{words}</span>
        <b className="text-20 font-semibold">{row.code}</b>{" "}
        <span className="text-12">
          {heads(row.customers, page.of)}, {money(row.money, study.scale, study.currency)}
        </span>
      </p>
    );
  return (
    <section className="card p-3" aria-label="Codes">
      <div className="mb-3 flex flex-wrap items-end gap-8">
        <p className="max-w-[360px] text-12 text-quiet">
          <b className="font-semibold text-ink">
            {count(found.count)} of {count(found.possible)} possible codes occur.
          </b>{" "}
          A code is {found.measures.join(", ").toLowerCase()} in this order, the highest band best.
        </p>
        {end("Best", found.best)}
        {end("Worst", found.worst)}
      </div>
      <div className="max-h-[470px] overflow-y-auto">
        <Table label="Codes" className="w-full">
          <thead className="sticky top-0 bg-card">
            <tr className="text-left text-quiet">
              <Column className="py-1">Code</Column>
              {columns(page.of).map(([key, label]) => (
                <SortColumn
                  key={key}
                  figures
                  strong={sort.endsWith(key)}
                  sorted={sort === key ? "down" : sort === `-${key}` ? "up" : null}
                  says={`Sort by ${label || found.mean_label}`}
                  onSort={() => setSort(sort === key ? `-${key}` : key)}
                  beside={
                    key === "mean" && (
                      <Select
                        label="Mean of which measure"
                        value={mean}
                        className="max-w-[160px]"
                        onChange={(value) => setMean(value)}
                        options={page.scorable.map(
                          (each) => [each.name, `mean of ${each.label}`] as const,
                        )}
                      />
                    )
                  }
                >
                  {label || "sort"}
                </SortColumn>
              ))}
            </tr>
          </thead>
          <tbody>
            {found.codes.map((row) => (
              <tr key={row.code} className="border-t border-line hover:bg-paper">
                <td className="py-0.5">
                  <button
                    type="button"
                    className="flex items-center gap-2 font-semibold hover:underline"
                    onClick={() => take(row)}
                  >
                    <Steps row={row} page={page} />
                    {row.code}
                  </button>
                </td>
                <td>
                  <span className="flex items-center justify-end gap-2">
                    <span
                      className="h-[6px] bg-everyone"
                      style={{ width: `${(120 * row.customers) / most}px` }}
                    />
                    <span className="w-12 text-right">{count(row.customers)}</span>
                    <span className="w-11 text-right text-quiet">
                      {percent(row.customers, found.scored)}
                    </span>
                  </span>
                </td>
                <td className="text-right">{money(row.money, study.scale, study.currency)}</td>
                <td className="text-right">{figure(row.total)}</td>
                <td className="text-right">{inUnit(row.mean, found.mean_unit, study.currency)}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </div>
      {found.count > found.codes.length && (
        <p className="mt-2 text-12 text-quiet">
          and {count(found.count - found.codes.length)} more, further down this order
        </p>
      )}
    </section>
  );
}

/** A code as small steps, one per measure, as high as its band. */
function Steps({ row, page }: { row: Row; page: Page }) {
  return (
    <Glyph width={row.bands.length * 7} height={16}>
      {row.bands.map((band, n) => {
        const tall = (band / (page.measures[n]?.bands.length ?? 5)) * 15;
        return (
          <rect key={n} x={n * 7} y={16 - tall} width={5} height={tall} fill="var(--color-quiet)" />
        );
      })}
    </Glyph>
  );
}
