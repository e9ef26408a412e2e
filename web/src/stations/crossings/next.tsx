import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { ticksOf } from "@/charts/axis";
import { count, day } from "@/charts/format";
import { Picture } from "@/charts/picture";
import { hueOf, MarkShape, SegmentMark } from "@/marks/segment-mark";
import { Until } from "@/stations/crossings/until";
import { aheadGrid } from "@/stations/crossings/ahead-grid";
import { useMoney, useStudy } from "@/study/context";
import { Stale, StatusBanner } from "@/study/status-banner";
import { TakeAway } from "@/study/take-away";
import { Button } from "@/ui/button";
import { Choice } from "@/ui/choice";
import { NextStep } from "@/ui/next-step";
import { Select } from "@/ui/select";
import { Empty, Failed, Waiting } from "@/ui/status";

type Page = Schemas["AheadPage"];
type Ahead = Schemas["Ahead"];
type Unit = "customers" | "spend";

const UNITS = [
  ["customers", "Customers"],
  ["spend", "Spend"],
] as const;
const AFTER = 250;

interface WhatIf {
  origin: number;
  target: number;
  rate: number;
}

/** Sizes and money ahead if nothing changes, and if one way were taken otherwise. */
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
          <Wondering
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

function Wondering({
  page,
  way,
  seen,
  touched,
  wondered,
  onWay,
  onRate,
  onBack,
}: {
  page: Page;
  way: WhatIf;
  seen: number;
  touched: boolean;
  wondered: Schemas["Wondered"] | null;
  onWay: (way: { origin: number; target: number }) => void;
  onRate: (rate: number) => void;
  onBack: () => void;
}) {
  const inMoney = useMoney("short");
  const segments = page.states.length - 3;
  const options = (states: number[]) =>
    states.map((state): [string, string] => [String(state), page.states[state]?.name ?? ""]);
  const from = [...Array(segments).keys()];
  const to = [...from.filter((state) => state !== way.origin), segments + 1];
  const span = page.months === 12 ? "a year" : `in ${page.months} months`;
  return (
    <div className="mt-2 border-t border-line pt-2" role="group" aria-label="What if">
      <div className="flex flex-wrap items-center gap-2">
        <span>What if</span>
        <Mark page={page} state={way.origin} />
        <Select
          look="word"
          label="From"
          value={String(way.origin)}
          options={options(from)}
          onChange={(state) => {
            const origin = Number(state);
            onWay({ origin, target: way.target === origin ? segments + 1 : way.target });
          }}
        />
        →
        <Mark page={page} state={way.target} />
        <Select
          look="word"
          label="To"
          value={String(way.target)}
          options={options(to)}
          onChange={(state) => onWay({ origin: way.origin, target: Number(state) })}
        />
        went from <b className="font-semibold">{share(seen)}</b> to
        <input
          type="range"
          min={0}
          max={Math.min(1, Math.max(0.2, Math.ceil(20 * seen) / 10))}
          step={0.005}
          value={way.rate}
          aria-label="Share that goes this way"
          aria-valuetext={share(way.rate)}
          className="w-56 accent-teal"
          onChange={(event) => onRate(Number(event.target.value))}
        />
        <b className="w-12 font-semibold">{share(way.rate)}</b> {span}?
        {touched && (
          <Button kind="quiet" className="px-2! py-0.5!" onClick={onBack}>
            as it was
          </Button>
        )}
      </div>
      {touched && wondered && (
        <p className="mt-1" aria-live="polite">
          <Fewer page={page} wondered={wondered} />{" "}
          {wondered.money.low * wondered.money.high > 0 ? (
            <>
              worth {inMoney(Math.round(wondered.money.mean))} {span} (
              {inMoney(Math.round(wondered.money.low))} to{" "}
              {inMoney(Math.round(wondered.money.high))}).
            </>
          ) : (
            <>
              but whether that is worth money, the log cannot tell (
              {inMoney(Math.round(wondered.money.low))} to{" "}
              {inMoney(Math.round(wondered.money.high))} {span}).
            </>
          )}
        </p>
      )}
    </div>
  );
}

function Fewer({ page, wondered }: { page: Page; wondered: Schemas["Wondered"] }) {
  const { fewer, target } = wondered;
  const word = fewer.mean >= 0 ? "fewer" : "more";
  const [low, high] = [Math.abs(fewer.low), Math.abs(fewer.high)].sort((a, b) => a - b);
  return (
    <>
      <b className="font-semibold">
        {count(Math.abs(Math.round(fewer.mean)))} {word}
      </b>{" "}
      would be in {page.states[target]?.name} on {day(page.coming.at(-1) ?? "")} (
      {count(Math.round(low ?? 0))} to {count(Math.round(high ?? 0))}),
    </>
  );
}

function Mark({ page, state }: { page: Page; state: number }) {
  const mark = page.states[state]?.mark;
  return mark === null || mark === undefined ? null : <SegmentMark mark={mark} size={14} />;
}

function share(value: number): string {
  return `${(100 * value).toFixed(value < 0.1 ? 1 : 0)}%`;
}

const WIDTH = 1000;
const HEIGHT = 300;
const LEFT = 64;
const RIGHT = 150;
const TOP = 10;
const FOOT = 24;

/** One line a segment: full as seen, dashed ahead, with a band; teal: what the what-if makes. */
function Curves({
  page,
  unit,
  way,
  wondered,
}: {
  page: Page;
  unit: Unit;
  way: { origin: number; target: number };
  wondered: Schemas["Wondered"] | null;
}) {
  const inMoney = useMoney("short");
  const segments = page.states.length - 3;
  const seen = (state: number) =>
    (unit === "customers" ? page.rows[state]?.customers : page.rows[state]?.money) ?? [];
  const coming = (state: number) =>
    (unit === "customers" ? page.rows[state]?.ahead : page.rows[state]?.money_ahead) ?? [];
  const shown = [...Array(segments).keys()];
  const left = segments + 1;
  const most = Math.max(
    1,
    ...[...shown, left].flatMap((s) => [...seen(s), ...coming(s).map((a) => a.high)]),
  );
  const past = page.dates.length - 1;
  const x = (place: number) =>
    LEFT + ((WIDTH - LEFT - RIGHT) * place) / (past + page.coming.length - 1);
  const y = (value: number) => TOP + (HEIGHT - TOP - FOOT) * (1 - value / most);
  const line = (values: number[], from: number) =>
    values.map((value, at) => `${at ? "L" : "M"}${x(from + at)} ${y(value).toFixed(1)}`).join("");
  const band = (values: Ahead[]) =>
    `M${[
      ...values.map((each, at) => `${x(past + at)} ${y(each.high).toFixed(1)}`),
      ...values.map((each, at) => `${x(past + at)} ${y(each.low).toFixed(1)}`).reverse(),
    ].join("L")}Z`;
  const hue = (state: number) => hueOf(page.states[state]?.mark ?? 0);
  const told = (value: number) => (unit === "customers" ? count(value) : inMoney(value));
  const ends = apart(
    [...shown, left].map((state) => ({ state, y: y(coming(state).at(-1)?.mean ?? 0) })),
    HEIGHT - FOOT,
  );
  const changed = wondered && unit === "customers" ? wondered.states[way.target] : undefined;
  const dates = [...page.dates, ...page.coming.slice(1)];
  return (
    <Picture
      width="100%"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      label={`${unit === "customers" ? "Customers" : "Spend"} in each segment, as seen and ahead`}
    >
      {ticksOf({ low: 0, high: most, log: false }, 4).map((value) => (
        <g key={value}>
          <line
            x1={LEFT}
            x2={WIDTH - RIGHT}
            y1={y(value)}
            y2={y(value)}
            stroke="var(--color-line)"
          />
          <text
            x={LEFT - 8}
            y={y(value) + 4}
            fontSize={11}
            textAnchor="end"
            style={{ fill: "var(--color-quiet)" }}
          >
            {told(value)}
          </text>
        </g>
      ))}
      <line
        x1={x(past)}
        x2={x(past)}
        y1={TOP}
        y2={HEIGHT - FOOT}
        stroke="var(--color-quiet)"
        strokeDasharray="2 3"
      />
      {shown.map((state) => {
        const lit = state === way.target || state === way.origin;
        return (
          <g key={state} opacity={lit ? 1 : 0.45}>
            <path d={band(coming(state))} fill={hue(state)} opacity={0.13} />
            <path d={line(seen(state), 0)} fill="none" stroke={hue(state)} strokeWidth={2} />
            <path
              d={line(
                coming(state).map((each) => each.mean),
                past,
              )}
              fill="none"
              stroke={hue(state)}
              strokeWidth={2}
              strokeDasharray="5 4"
            />
          </g>
        );
      })}
      <path d={band(coming(left))} fill="var(--color-quiet)" opacity={0.1} />
      <path d={line(seen(left), 0)} fill="none" stroke="var(--color-quiet)" strokeWidth={1.6} />
      <path
        d={line(
          coming(left).map((each) => each.mean),
          past,
        )}
        fill="none"
        stroke="var(--color-quiet)"
        strokeWidth={1.6}
        strokeDasharray="5 4"
      />
      {changed && (
        <path
          d={line(
            changed.map((each) => each.mean),
            past,
          )}
          fill="none"
          stroke="var(--color-teal)"
          strokeWidth={2.6}
        />
      )}
      {ends.map(({ state, y: at }) => (
        <g key={state}>
          {state !== left && (
            <MarkShape
              mark={page.states[state]?.mark ?? 0}
              x={WIDTH - RIGHT + 16}
              y={at}
              size={14}
            />
          )}
          <text x={WIDTH - RIGHT + 28} y={at + 4} fontSize={12}>
            {page.states[state]?.short}
          </text>
        </g>
      ))}
      {dates.map((date, place) => (
        <text
          key={date}
          x={x(place)}
          y={HEIGHT - 6}
          fontSize={11}
          textAnchor="middle"
          style={{ fill: "var(--color-quiet)" }}
        >
          {dates.length > 8 && place % 2 ? "" : day(date)}
        </text>
      ))}
    </Picture>
  );
}

const LEAST_APART = 17;

/** Names beside the ends of the lines, so far apart that they can be read. */
function apart(ends: { state: number; y: number }[], most: number) {
  const sorted = [...ends].sort((a, b) => a.y - b.y);
  sorted.forEach((each, at) => {
    const above = sorted[at - 1];
    if (above) each.y = Math.max(each.y, above.y + LEAST_APART);
  });
  for (let at = sorted.length - 1; at >= 0; at--) {
    const each = sorted[at];
    const below = sorted[at + 1];
    if (each) each.y = Math.min(each.y, below ? below.y - LEAST_APART : most);
  }
  return sorted;
}
