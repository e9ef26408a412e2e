import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import { count, inUnit } from "@/charts/format";
import { rangeClause, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import type { CellProps } from "@/stations/crossings/panel";
import { CustomerLink } from "@/study/customer-link";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";

const SHOWN = 12;

/** Which of those who crossed have changed: a threshold whose truth is told, and who they are. */
export function Changed({ page, picked }: CellProps) {
  const { study, view } = useStudy();
  const lens = useLens();
  const [at, setAt] = useState(0);
  const step = page.steps[picked.step];
  const changed = useQuery({
    queryKey: ["study", study.id, "changed", view, page.by, picked, step?.chance.draws],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings/changed", {
          params: {
            path: { study: study.id },
            query: { ...view, ...picked, by: page.by, hold: page.hold || undefined },
          },
          signal,
        }),
      ),
  });
  if (changed.isPending) return <Waiting height={140} />;
  if (changed.isError) return <Failed words={changed.error.message} />;
  const found = changed.data;
  const level = found.levels[Math.min(at, found.levels.length - 1)];
  const inTen = (value: number) => `${Math.round(10 * value)} in 10`;
  const look = () => {
    const crossing = valueClause(
      `crossing:${step?.from_to}>${step?.to}`,
      `${picked.origin + 1}>${picked.target + 1}`,
    );
    const threshold = rangeClause(found.field, [level?.level ?? 0, null]);
    lens.set(level && level.level > 0 ? [crossing, threshold] : [crossing]);
  };
  const rows = found.rows
    .filter((row) => (row.changed ?? -1) >= (level?.level ?? 0) || (level?.level ?? 0) === 0)
    .slice(0, SHOWN);
  return (
    <div role="region" aria-label="Customers">
      {found.words && <p className="text-12">{found.words}</p>}
      {level && (
        <div className="flex items-center gap-3">
          <label className="flex flex-1 items-center gap-2 text-12">
            <span className="whitespace-nowrap">changed, at least</span>
            <input
              type="range"
              min={0}
              max={found.levels.length - 1}
              step={1}
              value={at}
              aria-valuetext={level.level ? inTen(level.level) : "anybody"}
              onChange={(event) => setAt(Number(event.target.value))}
              className="w-full accent-teal"
            />
          </label>
          <Button onClick={look} disabled={level.customers === 0}>
            Look at these {count(level.level > 0 ? level.customers : found.customers)}
          </Button>
        </div>
      )}
      {level && (
        <p className="mt-1" aria-live="polite">
          {level.level > 0 ? `At ${inTen(level.level)}: ` : "All who crossed: "}
          <b className="font-semibold">{count(level.customers)} customers</b>, about{" "}
          <b className="font-semibold">{count(Math.round(level.real))}</b> of them have changed.
          {level.level === 0 &&
            found.told < found.customers &&
            ` Of ${count(found.customers - found.told)} more, who came within the windows, it cannot be told.`}
        </p>
      )}
      {rows.length > 0 && (
        <Table label="Customers who crossed" className="mt-1 w-full">
          <thead>
            <tr className="text-11 text-quiet">
              <Column>customer</Column>
              <Column figures>has changed</Column>
              <Column className="pl-4">what changed most</Column>
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.number} className="border-t border-line">
                <RowHead>
                  <CustomerLink number={row.number}>{row.name}</CustomerLink>
                </RowHead>
                <td className="text-right">
                  {row.changed === null ? "not told" : `${(100 * row.changed).toFixed(0)}%`}
                </td>
                <td className="pl-4">
                  {row.label}{" "}
                  <span className="text-quiet">
                    {inUnit(row.before, row.unit, study.currency)} →{" "}
                    {inUnit(row.after, row.unit, study.currency)}
                  </span>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      {rows.length > 0 && (level?.customers ?? 0) > rows.length && (
        <p className="mt-1 text-11 text-quiet">
          The {rows.length} likeliest of {count(level?.customers ?? 0)}; the lens lists all.
        </p>
      )}
    </div>
  );
}
