import { useRef, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, figure } from "@/charts/format";
import { DayAxis } from "@/charts/day-axis";
import { Levels } from "@/charts/levels";
import { Picture } from "@/charts/picture";
import { valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { useStation } from "@/stations/use-station";
import { useMoney, useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";
import { Choice } from "@/ui/choice";
import type { Grid } from "@/ui/grid";
import { Empty, Failed, Waiting } from "@/ui/status";
import { NextStep } from "@/ui/next-step";
import { Column, RowHead, Table } from "@/ui/table";

type Page = Schemas["CohortsPage"];
type Row = Schemas["CohortRow"];
type Cell = Schemas["CohortCell"];

const WHAT = [
  ["bought", "Came again"],
  ["money", "Spend a head"],
] as const;
type What = (typeof WHAT)[number][0];

/** Customers by the quarter of their first purchase: who came again, and how long they took. */
export function Cohorts() {
  const [what, setWhat] = useState<What>("bought");
  const cohorts = useStation("cohorts", ({ study, query, signal }) =>
    data(
      api.GET("/api/studies/{study}/crossings/cohorts", {
        params: { path: { study }, query },
        signal,
      }),
    ),
  );
  if (cohorts.isPending) return <Waiting />;
  if (cohorts.isError) return <Failed words={cohorts.error.message} />;
  const page = cohorts.data;
  if (page.status.state === "empty")
    return (
      <Empty
        title="Cohorts are counted from a log"
        action={<NextStep to="ledger">Import a log</NextStep>}
      >
        {page.status.words}
      </Empty>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <section className="card min-w-0 p-3" aria-label="Cohorts">
        <div className="flex items-center gap-3">
          <h2 className="flex-1 text-14">By the quarter of the first purchase</h2>
          <Choice label="What is told" choices={WHAT} value={what} onChoose={setWhat} />
          <Take page={page} what={what} />
        </div>
        <Triangle page={page} what={what} />
        <p className="mt-1.5 text-11 text-quiet">
          {what === "bought"
            ? "Of those who came in a quarter, the share with a purchase so many quarters later; the darker, the more."
            : "What all who came in a quarter spent so many quarters later, a head."}{" "}
          Quarters that have not ended by {day(page.ends)} are left out. Cohorts of fewer than{" "}
          {page.least} have no share.
          {page.rows.some((row) => row.unsure) &&
            ` * The log begins on ${day(page.begins)}: some of these were customers before, and look like new ones.`}
        </p>
      </section>
      {page.wait && <Wait page={page} wait={page.wait} />}
    </div>
  );
}

function Triangle({ page, what }: { page: Page; what: What }) {
  const lens = useLens();
  const inMoney = useMoney("short");
  const periods = Math.max(...page.rows.map((row) => row.cells.length), 1);
  const value = (row: Row, cell: Cell) => valueOf(row, cell, what);
  const most = Math.max(
    0.0001,
    ...page.rows.flatMap((row) =>
      row.few ? [] : row.cells.slice(what === "bought" ? 1 : 0).map((cell) => value(row, cell)),
    ),
  );
  const pick = (row: Row, cell: Cell | null) =>
    lens.set([
      valueClause(`began:days=${row.first}..${row.last}`, "yes"),
      ...(cell ? [valueClause(`bought:days=${cell.first}..${cell.last}`, "yes")] : []),
    ]);
  return (
    <div className="overflow-x-auto">
      <Table label="Cohorts by quarters since they came" className="mt-1 w-full">
        <thead>
          <tr className="text-11 text-quiet">
            <Column>first purchase</Column>
            <Column figures className="px-2">
              customers
            </Column>
            {Array.from({ length: periods }, (_, period) => (
              <Column key={period} figures className="px-1">
                {period === 0 ? "then" : period}
              </Column>
            ))}
          </tr>
        </thead>
        <tbody>
          {page.rows.map((row) => (
            <tr key={row.first} className="border-t border-line">
              <RowHead className="whitespace-nowrap">
                <button
                  type="button"
                  className="hover:underline"
                  disabled={row.customers === 0}
                  onClick={() => pick(row, null)}
                >
                  {quarter(row.first)}
                </button>
                {row.unsure && <span title="Some may have been customers before."> *</span>}
              </RowHead>
              <td className="px-2 text-right text-quiet">{count(row.customers)}</td>
              {row.cells.map((cell, period) => {
                const few = row.few;
                const words =
                  what === "money"
                    ? inMoney(value(row, cell))
                    : `${(100 * value(row, cell)).toFixed(0)}%`;
                const said = `${quarter(row.first)}, ${period} quarters later: ${count(cell.bought)} of ${count(row.customers)} bought, ${words}`;
                return (
                  <td key={cell.first} className="p-px">
                    <button
                      type="button"
                      title={said}
                      aria-label={said}
                      disabled={cell.bought === 0}
                      onClick={() => pick(row, cell)}
                      className={`w-full min-w-9 px-1 py-1 text-right ${period === 0 && what === "bought" ? "text-quiet" : ""}`}
                      style={{
                        background:
                          few || (what === "bought" && period === 0)
                            ? undefined
                            : `color-mix(in srgb, var(--color-quiet) ${Math.min(55, (55 * value(row, cell)) / most).toFixed(0)}%, transparent)`,
                      }}
                    >
                      {few ? "·" : words}
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </Table>
    </div>
  );
}

function valueOf(row: Row, cell: Cell, what: What): number {
  return cell[what] / Math.max(1, row.customers);
}

function quarter(first: string): string {
  return `Q${Math.floor((Number(first.slice(5, 7)) - 1) / 3) + 1} ${first.slice(0, 4)}`;
}

function Take({ page, what }: { page: Page; what: What }) {
  const { study } = useStudy();
  const grid = (): Grid => {
    const periods = Math.max(...page.rows.map((row) => row.cells.length), 1);
    return {
      title: what === "bought" ? "Share who came again" : `Spend a head, ${study.currency}`,
      note: `By the quarter of the first purchase, up to ${day(page.ends)}`,
      heads: [
        "First purchase",
        "Customers",
        ...Array.from({ length: periods }, (_, period) => `${period} quarters later`),
      ],
      rows: page.rows.map((row) => [
        { value: quarter(row.first), words: quarter(row.first), form: "text" },
        { value: row.customers, words: count(row.customers), form: "number" },
        ...Array.from({ length: periods }, (_, period) => {
          const cell = row.cells[period];
          if (!cell || row.few) return { value: null, words: "", form: "number" } as const;
          const raw = valueOf(row, cell, what);
          const value = what === "money" ? raw / 10 ** study.scale : raw;
          return {
            value,
            words: what === "money" ? figure(value, 2) : `${(100 * value).toFixed(0)}%`,
            form: what === "money" ? "number" : "share",
          } as const;
        }),
      ]),
    };
  };
  return <TakeAway name="cohorts" grid={grid} />;
}

const WIDTH = 1000;
const HEIGHT = 160;
const LEFT = 44;
const FOOT = 26;

/** How many of the new still wait for their second purchase (Kaplan and Meier). */
function Wait({ page, wait }: { page: Page; wait: Schemas["WaitBody"] }) {
  const holder = useRef<HTMLDivElement>(null);
  const end = Math.max(30, ...wait.days);
  const x = (days: number) => LEFT + ((WIDTH - LEFT - 12) * days) / end;
  const y = (share: number) => 8 + (HEIGHT - FOOT - 8) * (1 - share);
  const steps = (values: (number | null)[]) =>
    wait.days.map((days, at) => `H${x(days).toFixed(1)}V${y(values[at] ?? 0).toFixed(1)}`).join("");
  const band = () => {
    const points = wait.days
      .map((days, at) => ({ days, low: wait.low[at], high: wait.high[at] }))
      .filter((each) => each.low !== null && each.high !== null);
    const above = points.map(({ days, high }) => `${x(days)},${y(high ?? 0)}`);
    const below = points.reverse().map(({ days, low }) => `${x(days)},${y(low ?? 0)}`);
    return `M${[...above, ...below].join("L")}Z`;
  };
  const ticks = [0, 90, 180, 365, 540, 730].filter((days) => days <= end);
  return (
    <section className="card min-w-0 p-3" aria-label="Time to the next purchase">
      <div className="flex items-center gap-3">
        <h2 className="flex-1 text-14">Until the second purchase</h2>
        <TakeAway
          name="time-to-next"
          grid={() => ({
            title: "Share still waiting for the second purchase",
            note: `${count(wait.customers)} customers who are new, up to ${day(page.ends)}`,
            heads: ["Days", "Waiting", "From", "To"],
            rows: wait.days.map((days, at) =>
              [days, wait.waiting[at], wait.low[at], wait.high[at]].map((value, place) => ({
                value: value ?? null,
                words: value === null || value === undefined ? "" : figure(value, place ? 3 : 0),
                form: place ? "share" : "number",
              })),
            ),
          })}
          picture={() => holder.current?.querySelector("svg") ?? null}
        />
      </div>
      <p className="mt-1">
        {wait.half === null
          ? "Fewer than half of the new have bought again."
          : `Half of the new have bought again after ${count(wait.half)} days.`}{" "}
        {wait.after_year !== null &&
          `${(100 * wait.after_year).toFixed(0)}% still wait after a year. `}
        <span className="text-quiet">
          {count(wait.customers)} whose first purchase lies at least 90 days after the log begins.
        </span>
      </p>
      <div ref={holder}>
        <Picture
          width="100%"
          viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
          label="Share of the new who still wait for their second purchase, by days"
        >
          <Levels
            values={[0, 0.5, 1]}
            y={y}
            from={LEFT}
            to={WIDTH - 12}
            words={(share) => `${100 * share}%`}
          />
          <path d={band()} fill="var(--color-everyone)" opacity={0.6} />
          <path
            d={`M${x(0)} ${y(1)}${steps(wait.waiting)}`}
            fill="none"
            stroke="var(--color-ink)"
            strokeWidth={1.6}
          />
          {wait.half !== null && (
            <line
              x1={x(wait.half)}
              x2={x(wait.half)}
              y1={y(0.5)}
              y2={y(0)}
              stroke="var(--color-quiet)"
              strokeDasharray="3 3"
            />
          )}
          <DayAxis days={ticks} x={x} y={HEIGHT - 8} />
        </Picture>
      </div>
    </section>
  );
}
