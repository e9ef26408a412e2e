import { useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, inUnit } from "@/charts/format";
import { useLens } from "@/lens/context";
import type { CellProps } from "@/stations/crossings/panel";
import { WatchThis } from "@/stations/crossings/watch-this";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";

type Row = Schemas["SignRow"];

/** What could be seen beforehand of those who then crossed, against those who stayed. */
export function Signs({ page, picked }: CellProps) {
  const { study, view } = useStudy();
  const lens = useLens();
  const signs = useQuery({
    queryKey: ["study", study.id, "signs", view, page.by, page.hold, picked],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings/signs", {
          params: {
            path: { study: study.id },
            query: { ...view, ...picked, by: page.by, hold: page.hold || undefined },
          },
          signal,
        }),
      ),
  });
  if (signs.isPending) return <Waiting height={140} />;
  if (signs.isError) return <Failed words={signs.error.message} />;
  const found = signs.data;
  const step = page.steps[picked.step];
  const best = found.rows.find((row) => !row.defines) ?? found.rows[0];
  const words = (row: Row) => saying(row, study.currency);
  const most = Math.max(0.01, ...found.rows.map((row) => row.crossed / row.having));
  return (
    <div role="region" aria-label="Signs before">
      {found.words && <p className="text-12">{found.words}</p>}
      {found.rows.length > 0 && (
        <Table label="Signs before the crossing" className="w-full">
          <thead>
            <tr className="text-11 text-quiet">
              <Column>on {day(step?.from_to ?? "")}, those with</Column>
              <Column className="w-24">
                <span className="sr-only">rates</span>
              </Column>
              <Column figures>crossed</Column>
              <Column figures className="pl-2">
                others
              </Column>
              <Column figures className="pl-2">
                lift
              </Column>
              <Column className="pl-2">step before</Column>
            </tr>
          </thead>
          <tbody>
            {found.rows.map((row) => (
              <tr key={row.name} className="border-t border-line">
                <RowHead className="py-1">
                  {words(row)}
                  {row.defines && (
                    <span className="block text-11 text-quiet">part of the definition</span>
                  )}
                </RowHead>
                <td aria-hidden>
                  <Bar share={row.others / row.lacking / most} tone="bg-everyone" />
                  <Bar share={row.crossed / row.having / most} tone="bg-teal" />
                </td>
                <td className="text-right whitespace-nowrap">
                  <b className="font-semibold">{rate(row.crossed, row.having)}</b> of{" "}
                  {count(row.having)}
                </td>
                <td className="pl-2 text-right">{rate(row.others, row.lacking)}</td>
                <td className="pl-2 text-right">
                  {row.lift === null ? "∞" : `${row.lift.toFixed(1)}×`}
                </td>
                <td className="pl-2 whitespace-nowrap">{row.tried}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      {found.pairs.length > 0 && (
        <ul className="mt-2 grid gap-1 text-12" aria-label="Signs together">
          {found.pairs.map((pair) => (
            <li key={`${pair.one} ${pair.other}`} className="flex items-baseline gap-2">
              <span className="flex-1">
                Both, {saidOf(found.rows, pair.one, words)} and{" "}
                {saidOf(found.rows, pair.other, words)}:{" "}
                <b className="font-semibold">{rate(pair.crossed, pair.having)}</b> of{" "}
                {count(pair.having)} crossed, with the first alone{" "}
                {rate(pair.alone_crossed, pair.alone)}; on the step before {pair.tried}.
              </span>
              {pair.now > 0 && (
                <Button className="px-2! py-0.5!" onClick={() => lens.set(pair.clauses)}>
                  Look at {count(pair.now)}
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      {found.looked_at > 0 && (
        <p className="mt-1.5 text-11 text-quiet">
          {count(found.customers)} who crossed against {count(found.stayed)} who stayed;{" "}
          {found.looked_at} columns looked at, each with its best cut, told where chance makes none
          as strong (Holm).{" "}
          {found.before.length > 0
            ? `Tried again on ${found.before.map(day).join(" → ")}.`
            : "The log does not reach back to the step before."}
        </p>
      )}
      {best && best.now > 0 && (
        <div className="mt-2 flex flex-wrap gap-2">
          <Button onClick={() => lens.set(best.clauses)}>
            Look at the {count(best.now)} who have it now: {words(best).toLowerCase()}
          </Button>
          <WatchThis
            kind="plain"
            words="Watch this sign"
            subject={{
              name: `${page.states[picked.origin]?.name ?? ""}: ${words(best).toLowerCase()}`,
              customers: best.now,
              told: false,
              body: {
                kind: "sign",
                dates: [],
                origin: 0,
                target: 0,
                pattern: "",
                clauses: best.clauses,
              },
            }}
          />
        </div>
      )}
    </div>
  );
}

function Bar({ share, tone }: { share: number; tone: string }) {
  return (
    <span
      className={`my-px block h-[5px] ${tone}`}
      style={{ width: `${Math.min(100, 100 * share)}%` }}
    />
  );
}

/** A sign as its row says it. */
function saidOf(rows: Row[], name: string, words: (row: Row) => string): string {
  const row = rows.find((each) => each.name === name);
  return row ? words(row).toLowerCase() : name;
}

function rate(some: number, all: number): string {
  return `${((100 * some) / Math.max(1, all)).toFixed(0)}%`;
}

function saying(row: Row, currency: string): string {
  if (row.level) return `${row.label}: ${row.level}`;
  return row.low !== null
    ? `${row.label}, ${inUnit(row.low, row.unit, currency)} or more`
    : `${row.label}, under ${inUnit(row.high, row.unit, currency)}`;
}
