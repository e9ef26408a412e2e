import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { Until } from "@/stations/crossings/until";
import { Curves } from "@/stations/crossings/curves";
import type { Unit } from "@/stations/crossings/curves";
import { WhatIf } from "@/stations/crossings/what-if";
import { aheadGrid } from "@/stations/crossings/ahead-grid";
import { useMoney, useStudy } from "@/study/context";
import { Stale, StatusBanner } from "@/study/status-banner";
import { TakeAway } from "@/study/take-away";
import { Choice } from "@/ui/choice";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";

type Page = Schemas["AheadPage"];

const UNITS = [
  ["customers", "Customers"],
  ["spend", "Spend"],
] as const;
const AFTER = 250;

/** Sizes and money ahead if nothing changes, and if one way were taken more or less often. */
export function Next() {
  const { study, view } = useStudy();
  const [unit, setUnit] = useState<Unit>("customers");
  const [chosen, setChosen] = useState<{ origin: number; target: number } | null>(null);
  const [rate, setRate] = useState<number | null>(null);
  const holder = useRef<HTMLDivElement>(null);
  const settled = useSettled(rate);
  const asked = chosen && settled !== null ? { ...chosen, rate: settled } : undefined;
  const ahead = useQuery({
    queryKey: ["study", study.id, "next", view, asked],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings/next", {
          params: { path: { study: study.id }, query: { ...view, ...asked } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (ahead.isPending) return <Waiting />;
  if (ahead.isError) return <Failed words={ahead.error.message} />;
  const page = ahead.data;
  if (page.status.state === "empty")
    return (
      <Empty
        title="What comes next is told of segments"
        action={<NextStep to="groups">Adopt groups first</NextStep>}
      >
        Here the sizes of the segments will run on into the years to come, as they would if nothing
        changed, and as they would if fewer went one way.
      </Empty>
    );
  if (page.lacks)
    return <Empty title="There are no two windows that share no day">{page.lacks}</Empty>;
  if (page.rows.length === 0) return <StatusBanner status={page.status} />;
  const way = chosen ?? usualWay(page);
  const pick = (next: { origin: number; target: number }) => {
    setChosen(next);
    setRate(null);
  };
  const seen = page.rates[way.origin]?.[way.target] ?? 0;
  const wondered = rate !== null && page.wondered ? page.wondered : null;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <StatusBanner status={page.status} />
      <Stale status={page.status}>
        <section className="card min-w-0 p-3" aria-label="Next">
          <div className="flex flex-wrap items-center gap-3">
            <h2 className="flex-1 text-14">
              {day(page.dates[0] ?? "")} to {day(page.coming.at(-1) ?? "")}
            </h2>
            <Choice label="What is told" choices={UNITS} value={unit} onChoose={setUnit} />
            <TakeAway
              name="next"
              grid={() => aheadGrid(page, study.scale)}
              picture={() => holder.current?.querySelector("svg") ?? null}
            />
          </div>
          <Told page={page} unit={unit} state={way.target} />
          <div ref={holder} className="mt-1">
            <Curves page={page} unit={unit} way={way} wondered={wondered} />
          </div>
          <WhatIf
            page={page}
            way={{ ...way, rate: rate ?? seen }}
            seen={seen}
            touched={rate !== null}
            wondered={wondered}
            onWay={pick}
            onRate={(next) => {
              setChosen(way);
              setRate(next);
            }}
            onBack={() => setRate(null)}
          />
          <p className="mt-2 text-11 text-quiet">
            Rates of {page.steps === 1 ? "one step" : `${page.steps} steps`} of {page.months}{" "}
            months, whose windows share no day; as many new as came before (
            {page.arrivals.map(count).join(", ")}); 95 in 100 ways that it may turn out lie in the
            band. {page.rough}
          </p>
        </section>
        <Until page={page} />
      </Stale>
    </div>
  );
}

/** A value that has not changed for a moment. */
function useSettled(value: number | null): number | null {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(value), AFTER);
    return () => window.clearTimeout(timer);
  }, [value]);
  return settled;
}

/** The way out of a segment that most take at a time. */
function usualWay(page: Page): { origin: number; target: number } {
  const segments = page.states.length - 3;
  let best = { origin: 0, target: Math.min(1, segments - 1) };
  let most = -1;
  for (let origin = 0; origin < segments; origin++)
    for (let target = 0; target < page.states.length; target++) {
      const customers = page.rows[origin]?.customers.at(-1) ?? 0;
      const going = customers * (page.rates[origin]?.[target] ?? 0);
      if (target !== origin && target !== segments && going > most)
        [most, best] = [going, { origin, target }];
    }
  return best;
}

/** What happens to one state if nothing changes, in words. */
function Told({ page, unit, state }: { page: Page; unit: Unit; state: number }) {
  const inMoney = useMoney("short");
  const row = page.rows[state];
  const last = (unit === "customers" ? row?.ahead : row?.money_ahead)?.at(-1);
  const now = (unit === "customers" ? row?.customers : row?.money)?.at(-1) ?? 0;
  if (!row || !last) return null;
  const said = (value: number) =>
    unit === "customers" ? count(Math.round(value)) : inMoney(Math.round(value));
  const word = last.low > now ? "grows" : last.high < now ? "shrinks" : "stays about as it is";
  return (
    <p className="mt-1">
      If nothing changes, <b className="font-semibold">{page.states[state]?.name}</b> {word}:{" "}
      {said(now)} now, {said(last.mean)} by {day(page.coming.at(-1) ?? "")} ({said(last.low)} to{" "}
      {said(last.high)}).{" "}
      {unit === "spend" && (
        <span className="text-quiet">
          Each is taken to spend what customers of the segment spend now.
        </span>
      )}
    </p>
  );
}
