import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { ReactNode } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import { valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { hueOf, MarkShape } from "@/marks/segment-mark";
import { rangeWords } from "@/stations/crossings/figures";
import { Dates } from "@/stations/crossings/dates";
import type { SeriesProps } from "@/stations/crossings/ribbons-view";
import type { Subject } from "@/stations/crossings/use-watching";
import { WatchThis } from "@/stations/crossings/watch-this";
import { Watches } from "@/stations/crossings/watches";
import { useMoney, useStudy } from "@/study/context";
import { Stale, StatusBanner } from "@/study/status-banner";
import { TakeAway } from "@/study/take-away";
import { Button } from "@/ui/button";
import { text } from "@/ui/grid";
import { NextStep } from "@/ui/next-step";
import { Select } from "@/ui/select";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Column, Table } from "@/ui/table";

type Page = Schemas["PathsPage"];

const ANY = "*";
const WIDE = 92;
const NARROW = 62;
const ROW = 24;

/** Ways through the dates: those that most went, and a pattern of one's own as a lens. */
export function Paths({ head, tabs, dates, onDates }: SeriesProps) {
  const { study, view } = useStudy();
  const lens = useLens();
  const inMoney = useMoney("short");
  const [picked, setPicked] = useState<string[]>([]);
  const pattern = picked.some((each) => each !== ANY) ? picked.join(".") : "";
  const by = dates || "quarter";
  const paths = useQuery({
    queryKey: ["study", study.id, "paths", view, by, pattern],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings/paths", {
          params: {
            path: { study: study.id },
            query: { ...view, by, ...(pattern && { pattern }) },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const framed = (content: ReactNode, action?: ReactNode, shown: string[] = []) => (
    <>
      {head(action)}
      <div className="flex flex-wrap items-center gap-3">
        <div className="flex-1">{tabs}</div>
        <Dates
          by={by}
          dates={shown}
          onBy={(next) => {
            setPicked([]);
            onDates(next);
          }}
        />
      </div>
      {content}
    </>
  );
  if (paths.isPending) return framed(<Waiting />);
  if (paths.isError) return framed(<Failed words={paths.error.message} />);
  const page = paths.data;
  if (page.status.state === "empty")
    return framed(
      <Empty
        title="Paths lead from segment to segment"
        action={<NextStep to="groups">Adopt groups first</NextStep>}
      >
        Here the ways that most customers went through the dates will stand as rows of marks.
      </Empty>,
    );
  if (page.lacks)
    return framed(<Empty title="There are no dates to lead through">{page.lacks}</Empty>);
  const at = page.dates.map((_, place) => picked[place] ?? ANY);
  const options: [string, string][] = [
    [ANY, "any"],
    ...page.states.map((state, number): [string, string] => [String(number + 1), state.name]),
  ];
  const look = (states: string[]) =>
    lens.set([valueClause(`path:${page.dates.join(">")}=${states.join(".")}`, "yes")]);
  const subject: Subject = {
    name: at
      .map((each) => (each === ANY ? "any" : (page.states[Number(each) - 1]?.short ?? "")))
      .join(", "),
    customers: page.matched?.customers ?? null,
    told: false,
    body: {
      kind: "path",
      dates: page.dates,
      origin: 0,
      target: 0,
      pattern: at.join("."),
      clauses: [],
    },
  };
  return framed(
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <StatusBanner status={page.status} />
      <Stale status={page.status}>
        <section className="card min-w-0 p-3" aria-label="Pattern">
          <h2 className="text-14">Who went this way?</h2>
          <div className="mt-2 flex flex-wrap items-end gap-3">
            {page.dates.map((date, place) => (
              <label key={date} className="grid gap-0.5 text-11 text-quiet">
                {day(date)}
                <Select
                  value={at[place] ?? ANY}
                  options={options}
                  onChange={(value) => setPicked(at.map((each, n) => (n === place ? value : each)))}
                />
              </label>
            ))}
            {pattern && page.matched ? (
              <>
                <p className="pb-1" aria-live="polite">
                  <b className="font-semibold">{count(page.matched.customers)}</b> go this way; they
                  spent {inMoney(page.matched.spent)} in the window before it.
                </p>
                <Button disabled={page.matched.customers === 0} onClick={() => look(at)}>
                  Look at these {count(page.matched.customers)}
                </Button>
                <Button kind="quiet" onClick={() => setPicked([])}>
                  Any way
                </Button>
              </>
            ) : (
              <p className="pb-1 text-quiet">Pick a state at one date or more.</p>
            )}
          </div>
        </section>
        <section className="card min-w-0 p-3" aria-label="Paths">
          <div className="flex items-center gap-3">
            <h2 className="flex-1 text-14">The ways that most went</h2>
            <TakeAway name="paths" grid={() => gridOf(page, study.scale)} />
          </div>
          <div className="overflow-x-auto">
            <Table label="Ways through the dates" className="mt-1">
              <thead>
                <tr className="text-11 text-quiet">
                  <Column>
                    <span className="flex">
                      {page.dates.map((date) => (
                        <span
                          key={date}
                          className="pr-2 break-words"
                          style={{ width: stepOf(page) }}
                        >
                          {day(date)}
                        </span>
                      ))}
                    </span>
                  </Column>
                  <Column figures className="px-3">
                    customers
                  </Column>
                  <Column figures className="px-3">
                    spend before
                  </Column>
                  {page.rows.some((row) => row.chance) && (
                    <Column className="px-3">chance alone moves</Column>
                  )}
                </tr>
              </thead>
              <tbody>
                {page.rows.map((row) => {
                  const states = row.states.map((state) => String(state + 1));
                  const said = row.states.map((state) => page.states[state]?.name).join(", then ");
                  return (
                    <tr key={states.join(".")} className="border-t border-line">
                      <td>
                        <button
                          type="button"
                          title={said}
                          aria-label={`${said}: ${count(row.customers)} customers`}
                          className="block hover:bg-paper"
                          onClick={() => {
                            setPicked(states);
                            look(states);
                          }}
                        >
                          <Way page={page} states={row.states} />
                        </button>
                      </td>
                      <td className="px-3 text-right">{count(row.customers)}</td>
                      <td className="px-3 text-right">{inMoney(row.spent)}</td>
                      {row.chance && row.states[0] !== row.states[1] && (
                        <td
                          className={`px-3 ${row.chance.verdict === "more" ? "font-semibold" : "text-quiet"}`}
                        >
                          {rangeWords(row.chance)}
                          {(row.told ?? 0) < row.customers && ` of ${count(row.told ?? 0)} told`}
                        </td>
                      )}
                    </tr>
                  );
                })}
              </tbody>
            </Table>
          </div>
          <p className="mt-1.5 text-11 text-quiet">
            {page.ways > page.rows.length &&
              `${count(page.ways - page.rows.length)} more ways, ${(100 * (1 - page.listed)).toFixed(0)}% of ${count(page.customers)} customers. `}
            {page.overlap > 0 &&
              `Windows in turn share ${page.overlap} months, so that a way says less than it seems. `}
            {page.dates.length > 2
              ? "How much of a move is chance stands at Ribbons, from date to date; of ways over more than two dates it is not told."
              : page.chance}
          </p>
        </section>
      </Stale>
      <Watches />
    </div>,
    pattern && page.matched && (
      <WatchThis key={pattern} subject={subject} words="Watch this path" />
    ),
    page.dates,
  );
}

/** Many dates stand closer together. */
function stepOf(page: Page): number {
  return page.dates.length > 6 ? NARROW : WIDE;
}

/** Marks in a row, joined where they stay the same. */
function Way({ page, states }: { page: Page; states: number[] }) {
  const step = stepOf(page);
  const x = (place: number) => 10 + place * step;
  const hasMark = (state: number | undefined) => page.states[state ?? 0]?.mark !== null;
  const hue = (state: number) => {
    const mark = page.states[state]?.mark;
    return mark === null || mark === undefined ? "var(--color-everyone)" : hueOf(mark);
  };
  return (
    <Glyph width={step * states.length} height={ROW}>
      {states.slice(1).map((state, place) => (
        <line
          key={place}
          x1={x(place) + (hasMark(states[place]) ? 10 : 36)}
          x2={x(place + 1) - 11}
          y1={ROW / 2}
          y2={ROW / 2}
          stroke={states[place] === state ? hue(state) : "var(--color-line)"}
          strokeWidth={2}
          opacity={0.6}
        />
      ))}
      {states.map((state, place) => {
        const found = page.states[state];
        return found?.mark !== null && found?.mark !== undefined ? (
          <MarkShape key={place} mark={found.mark} x={x(place)} y={ROW / 2} size={14} />
        ) : (
          <text
            key={place}
            x={x(place) - 8}
            y={ROW / 2 + 4}
            fontSize={11}
            style={{ fill: "var(--color-quiet)" }}
          >
            {found?.short}
          </text>
        );
      })}
    </Glyph>
  );
}

function gridOf(page: Page, scale: number) {
  return {
    title: "Ways through the dates",
    note: `Windows of ${page.back} months each; spend in the first of them`,
    heads: [...page.dates.map(day), "Customers", "Spend before"],
    rows: page.rows.map((row) => [
      ...row.states.map((state) => text(page.states[state]?.name ?? "")),
      { value: row.customers, form: "number" as const },
      { value: row.spent / 10 ** scale, form: "number" as const },
    ]),
  };
}
