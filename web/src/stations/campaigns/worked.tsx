import { useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { EffectCells, EffectHeads } from "@/stations/campaigns/interval";
import { inHundred, points } from "@/stations/campaigns/words";
import { useStudy } from "@/study/context";
import { Column, RowHead, Table } from "@/ui/table";

type Pooled = Schemas["PooledBody"];

/** All campaigns that were read, on one thread, and what they say together. */
export function WhatWorked({ onChoose }: { onChoose: (id: number) => void }) {
  const { study } = useStudy();
  const found = useQuery({
    queryKey: ["study", study.id, "campaigns", "worked"],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/campaigns/worked", {
          params: { path: { study: study.id } },
          signal,
        }),
      ),
  });
  const { rows = [], together = [] } = found.data ?? {};
  const [all] = together;
  if (!all) return null;
  const ends = [...rows, ...together].flatMap((each) => [each.low, each.high, 0]);
  const axis = { low: Math.min(...ends), high: Math.max(...ends), log: false };
  return (
    <section className="card p-3" aria-label="What worked">
      <h2 className="text-14">What worked</h2>
      <p>{togetherWords(all)}</p>
      <Table label="How much more came back, by campaign" className="mt-1 w-full">
        <thead>
          <tr className="text-11 text-quiet">
            <Column>campaign</Column>
            <Column figures className="px-2">
              customers
            </Column>
            <EffectHeads />
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id} className="border-t border-line">
              <RowHead className="py-1">
                <button type="button" className="hover:underline" onClick={() => onChoose(row.id)}>
                  {row.name}
                </button>{" "}
                <span className="text-11 text-quiet">read {day(row.read_on)}</span>
              </RowHead>
              <td className="px-2 text-right text-quiet">{count(row.customers)}</td>
              <EffectCells low={row.low} high={row.high} at={row.difference} axis={axis} />
            </tr>
          ))}
          {together.map((each) => (
            <tr key={each.words} className="border-t border-line font-semibold">
              <RowHead strong className="py-1">
                {each.words}, {each.campaigns} together
              </RowHead>
              <td />
              <EffectCells low={each.low} high={each.high} at={each.effect} axis={axis} />
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}

/** What all of them say, and how little so few can. */
function togetherWords(all: Pooled): string {
  const said = `Together, ${points(all.effect)} in 100 (${inHundred(all.low)} to ${inHundred(all.high)}, 95%).`;
  const next =
    all.next_low === null || all.next_high === null
      ? ` Of ${all.campaigns} it cannot be told how much one differs from another.`
      : ` One more such campaign would come out between ${inHundred(all.next_low)} and ${inHundred(all.next_high)}.`;
  const few = all.few ? ` ${all.campaigns} are few: true effects may differ by more.` : "";
  return said + next + few;
}
