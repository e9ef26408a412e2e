import { useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import { EffectCells, EffectHeads } from "@/stations/campaigns/interval";
import type { Row } from "@/stations/campaigns/types";
import { inHundred } from "@/stations/campaigns/words";
import { useMoney, useStudy } from "@/study/context";
import { Column, RowHead, Table } from "@/ui/table";

type LaterOn = Schemas["LaterOn"];
type LaterState = Schemas["LaterState"];

/** Where both arms are 3, 6 and 12 months after the day of sending. */
export function Later({ row }: { row: Row }) {
  const { study } = useStudy();
  const found = useQuery({
    queryKey: ["study", study.id, "campaign later", row.id, row.revision, row.told_to],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/campaigns/{campaign}/later", {
          params: { path: { study: study.id, campaign: row.id } },
          signal,
        }),
      ),
  });
  if (!found.data) return null;
  const { later, free_from } = found.data;
  const told = later.filter((each) => each.bought);
  const last = told.findLast((each) => each.states.length > 0);
  const next = later.find((each) => each.lacks);
  return (
    <section className="card p-3" aria-label="Later on">
      <h2 className="text-14">Later on</h2>
      {told.length > 0 && <Bought rows={told} />}
      {last && <States row={last} />}
      {told
        .filter((each) => each.states_lack)
        .map((each) => (
          <p key={each.months} className="mt-1 text-12 text-quiet">
            Segments {each.months} months on: {each.states_lack}.
          </p>
        ))}
      {next && (
        <p className="mt-1 text-12 text-quiet">
          {next.months} months on: {next.lacks}
        </p>
      )}
      {told.length > 0 && (
        <p className="mt-1 text-11 text-quiet">
          From {day(free_from)} on those held out could be written to again: what both arms do later
          tells of this campaign and of what followed it.
        </p>
      )}
    </section>
  );
}

function Bought({ rows }: { rows: LaterOn[] }) {
  const inMoney = useMoney("short");
  const ends = rows.flatMap(({ bought }) => [bought?.low ?? 0, bought?.high ?? 0, 0]);
  const axis = { low: Math.min(...ends), high: Math.max(...ends), log: false };
  return (
    <Table label="Purchases and spend since the day of sending" className="mt-1 w-full">
      <thead>
        <tr className="text-11 text-quiet">
          <Column>since sending</Column>
          <Column figures className="px-2">
            bought
          </Column>
          <EffectHeads />
          <Column figures className="pl-3">
            spend per customer
          </Column>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ months, bought, spend }) => {
          const best = spend?.adjusted ?? spend?.plain;
          return (
            <tr key={months} className="border-t border-line">
              <RowHead className="py-1">{months} months</RowHead>
              <td className="px-2 text-right text-quiet">
                {inHundred(bought?.written ?? 0, 0)} : {inHundred(bought?.held ?? 0, 0)}%
              </td>
              <EffectCells
                low={bought?.low ?? 0}
                high={bought?.high ?? 0}
                at={bought?.difference ?? 0}
                axis={axis}
              />
              <td className="pl-3 text-right whitespace-nowrap">
                {best && `${best.difference > 0 ? "+" : ""}${inMoney(best.difference)}`}
                <span className="block text-11 text-quiet">
                  {best?.low != null && best.high !== null
                    ? `${inMoney(best.low)} to ${inMoney(best.high)}`
                    : "too few bought"}
                </span>
              </td>
            </tr>
          );
        })}
      </tbody>
    </Table>
  );
}

function States({ row }: { row: LaterOn }) {
  const told = row.states.filter((each) => each.difference !== null);
  const ends = told.flatMap((each) => [each.low ?? 0, each.high ?? 0, 0]);
  const axis = { low: Math.min(...ends), high: Math.max(...ends), log: false };
  return (
    <>
      <p className="mt-2 text-12">
        Where they were on {day(row.on)}
        <span className="text-11 text-quiet">
          ,{" "}
          {told.filter(sure).length ? "beyond chance where marked" : "alike as far as can be told"};
          intervals are widened for {told.length} looks
        </span>
      </p>
      <Table label={`Segments ${row.months} months on`} className="w-full">
        <thead className="sr-only">
          <tr>
            <Column>segment</Column>
            <Column figures>written : held</Column>
            <EffectHeads />
          </tr>
        </thead>
        <tbody>
          {row.states.map((each) => (
            <tr key={each.state} className="border-t border-line">
              <RowHead className="py-1" strong={sure(each)}>
                <span className="inline-flex items-center gap-1.5">
                  {each.mark !== null && <SegmentMark mark={each.mark} size={14} />}
                  {each.state}
                </span>
              </RowHead>
              {each.difference === null ? (
                <td colSpan={3} className="text-right text-quiet">
                  {each.customers} customers, too few
                </td>
              ) : (
                <>
                  <td className="px-2 text-right text-quiet">
                    {inHundred(each.written ?? 0, 0)} : {inHundred(each.held ?? 0, 0)}%
                  </td>
                  <EffectCells
                    low={each.low ?? 0}
                    high={each.high ?? 0}
                    at={each.difference}
                    axis={axis}
                  />
                </>
              )}
            </tr>
          ))}
        </tbody>
      </Table>
    </>
  );
}

function sure({ low, high }: LaterState): boolean {
  return low !== null && high !== null && (low > 0 || high < 0);
}
