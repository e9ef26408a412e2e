import { parseAsArrayOf, parseAsInteger } from "nuqs";
import { useMemo, useState } from "react";
import type { ReactNode } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { valueClause } from "@/lens/clauses";
import type { Clause } from "@/lens/clauses";
import { useLens, useSpendOf } from "@/lens/context";
import { Dates } from "@/stations/crossings/dates";
import { chanceOf } from "@/stations/crossings/figures";
import { Matrix } from "@/stations/crossings/matrix";
import { Panel } from "@/stations/crossings/panel";
import { pickedOf, UNITS } from "@/stations/crossings/picked";
import type { PickedCrossing, Unit } from "@/stations/crossings/picked";
import { Ribbons } from "@/stations/crossings/ribbons";
import { Sizes } from "@/stations/crossings/sizes";
import { Hold } from "@/stations/crossings/hold";
import type { Subject } from "@/stations/crossings/use-watching";
import { WatchThis } from "@/stations/crossings/watch-this";
import { Watches } from "@/stations/crossings/watches";
import { IN_PLACE, useAddress, word } from "@/study/address";
import { chosen as chosenOf } from "@/ui/chosen";
import { useStation } from "@/stations/use-station";
import { Stale, StatusBanner } from "@/study/status-banner";
import { Button } from "@/ui/button";
import { Choice } from "@/ui/choice";
import { Checkbox } from "@/ui/input";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";

/** Of more steps only the one that is looked at is told from chance. */
const FEW = ["year", "quarter"];
/** A matrix of more states takes the whole width. */
const BESIDE = 11;

export interface SeriesProps {
  head: (action?: ReactNode) => ReactNode;
  tabs: ReactNode;
  /** Which dates are compared, as in the address; empty: the view's own. */
  dates: string;
  onDates: (dates: string) => void;
}

function spendWords(to: string, back: string): string {
  const months = back === "all" ? "all" : `the ${back} months`;
  return `${months} to ${day(to)}, before the crossing`;
}

/** What a lens calls a step's crossings; where customers are kept in place, from the first date. */
function crossingField(page: Schemas["CrossingsPage"], step: number): string {
  const from = page.hold ? page.steps.slice(0, step + 1) : page.steps.slice(step, step + 1);
  const dates = [...from.map((each) => each.from_to), page.steps[step]?.to];
  return `crossing:${dates.join(">")}${page.hold ? `~${page.hold}` : ""}`;
}

/** What is told of crossings, and the one that is looked at closer: step, from, to. */
const LOOKED_AT = { unit: word, picked: parseAsArrayOf(parseAsInteger).withDefault([]) };

function crossingOf([step, origin, target]: number[]): PickedCrossing | null {
  if (step === undefined || origin === undefined || target === undefined) return null;
  return { step, origin, target };
}

/** Ribbons between dates, the matrix of a step, and all that is known of one crossing. */
export function RibbonsView({ head, tabs, dates, onDates }: SeriesProps) {
  const lens = useLens();
  const [at, put] = useAddress(LOOKED_AT);
  const unit = chosenOf(UNITS, at.unit);
  const setUnit = (next: Unit) => void put({ unit: next }, IN_PLACE);
  const [hidden, setHidden] = useState(false);
  const [only, setOnly] = useState(false);
  const [kept, setKept] = useState({ by: "", margin: 0 });
  const by = dates || "year";
  const chosen = useMemo(() => crossingOf(at.picked), [at.picked]);
  const setPicked = ({ step, origin, target }: PickedCrossing) =>
    void put({ picked: [step, origin, target] }, IN_PLACE);
  const hold = by === kept.by ? kept.margin : 0;
  const step = FEW.includes(by) || !chosen ? undefined : chosen.step;
  const crossings = useStation(
    "crossings",
    ({ study: id, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings", {
          params: { path: { study: id }, query: { ...query, by, step, hold: hold || undefined } },
          signal,
        }),
      ),
    only,
    `${by}:${step ?? ""}:${hold}`,
  );
  const steps = crossings.data?.steps.length ?? 0;
  const picked = pickedOf(crossings.data, chosen, steps);
  const from = crossings.data?.steps[picked.step]?.from_to;
  const back = crossings.data?.back ?? "";
  useSpendOf(from ? `${from}:${back}` : "", from ? spendWords(from, back) : "");
  if (crossings.isPending)
    return (
      <>
        {head()}
        {tabs}
        <Waiting />
      </>
    );
  if (crossings.isError)
    return (
      <>
        {head()}
        {tabs}
        <Failed
          words={crossings.error.message}
          action={dates && <Button onClick={() => onDates("")}>Compare a year apart</Button>}
        />
      </>
    );
  const page = crossings.data;
  const two = page.steps.length === 1;
  const table = page.steps[picked.step];
  const pick = (next: PickedCrossing, more = false) => {
    setPicked(next);
    const at = page.steps[next.step];
    if (at)
      lens.pick(
        crossingField(page, next.step),
        { value: `${next.origin + 1}>${next.target + 1}` },
        more,
      );
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      {head(table && <WatchThis key={watchKey(picked)} {...watched(page, table, picked)} />)}
      <div className="flex flex-wrap items-center gap-3">
        <div className="flex-1">{tabs}</div>
        {page.dates.length > 0 && (
          <Dates by={by} dates={page.dates.map((date) => date.to)} onBy={onDates} />
        )}
        {page.steps.length > 0 && (
          <>
            <Choice label="What is counted" choices={UNITS} value={unit} onChoose={setUnit} />
            <label className="flex shrink-0 items-center gap-1.5 text-12">
              <Checkbox
                checked={hidden}
                disabled={unit !== "customers"}
                onChange={() => setHidden(!hidden)}
              />
              hide border moves
            </label>
            {(only || narrows(lens.clauses)) && (
              <label className="flex shrink-0 items-center gap-1.5 text-12">
                <Checkbox checked={only} onChange={() => setOnly(!only)} />
                only the lens{only && page.only !== null && `, ${count(page.only ?? 0)}`}
              </label>
            )}
          </>
        )}
      </div>
      {page.status.state === "empty" && (
        <Empty
          title="Crossings are counted between segments"
          action={<NextStep to="groups">Adopt groups first</NextStep>}
        >
          Here ribbons will run from the same season a year before to now, as wide as the customers
          who moved, with those not there yet, those who left and those who came back.
        </Empty>
      )}
      <StatusBanner status={page.status} />
      {page.lacks && <Empty title="There are no two dates to compare">{page.lacks}</Empty>}
      {!page.lacks && page.dates.some((date) => date.covered) && (
        <ul role="note" className="grid gap-1 border-l-2 border-below bg-card px-3 py-2 text-12">
          {page.dates
            .filter((date) => date.covered)
            .map((date) => (
              <li key={date.to}>
                Of the window to {day(date.to)} {date.covered}; it counts in no matrix.
              </li>
            ))}
        </ul>
      )}
      {table && (
        <Stale status={page.status}>
          <Told step={table} />
          {page.can_hold && (
            <Hold
              hold={hold}
              price={table.chance.price}
              onHold={(margin) => setKept({ by, margin })}
            />
          )}
          <div
            className={`grid items-start gap-3 ${two ? "grid-cols-[1.2fr_1fr] narrow:grid-cols-[minmax(0,1fr)]" : "grid-cols-[minmax(0,1fr)]"}`}
          >
            <Ribbons
              page={page}
              unit={unit}
              hidden={hidden && unit === "customers"}
              picked={picked}
              onPick={pick}
              onState={(date, state) => {
                const place = page.steps.findIndex((each) => each.from_to === date);
                setPicked({
                  step: place < 0 ? page.steps.length - 1 : place,
                  origin: state,
                  target: state,
                });
                const window = `${date}:${page.back}`;
                lens.set([{ ...valueClause("segment:now", stateValue(page, state)), window }]);
              }}
            />
            {two && <Panel page={page} picked={picked} />}
          </div>
          <div
            className={`grid items-start gap-3 ${page.states.length > BESIDE ? "grid-cols-[minmax(0,1fr)]" : "grid-cols-[1.4fr_1fr] narrow:grid-cols-[minmax(0,1fr)]"}`}
          >
            <Matrix
              page={page}
              step={table}
              number={picked.step}
              unit={unit}
              hidden={hidden && unit === "customers"}
              picked={picked}
              onPick={pick}
              onSilent={(state) => {
                const window = `${table.to}:${page.back}`;
                lens.set([
                  { ...valueClause("segment:now", String(state + 1)), window },
                  { ...valueClause("silent:now", "yes"), window },
                ]);
              }}
            />
            <div className="grid gap-3">
              {!two && <Panel page={page} picked={picked} />}
              <Sizes page={page} step={table} number={picked.step} onPick={pick} />
            </div>
          </div>
        </Stale>
      )}
      <Watches />
    </div>
  );
}

/** What a lens calls a state: segments by their numbers, others by their names. */
function stateValue(page: Schemas["CrossingsPage"], state: number): string {
  return state < page.states.length - 3 ? String(state + 1) : (page.states[state]?.name ?? "");
}

/** Whether a lens says more than which crossing is looked at. */
function narrows(clauses: Clause[]): boolean {
  return clauses.some(({ field }) => !/^(crossing|changed|path):/.test(field));
}

function watchKey({ step, origin, target }: PickedCrossing): string {
  return `${step}:${origin}>${target}`;
}

/** What the main action watches: the crossing that is picked, or the size of who stays. */
function watched(
  page: Schemas["CrossingsPage"],
  step: Schemas["StepTable"],
  { origin, target }: PickedCrossing,
): { subject: Subject; words: string } {
  const name = (state: number) => page.states[state]?.name ?? "";
  const dates = [step.from_to, step.to];
  if (origin === target)
    return {
      words: "Watch this size",
      subject: {
        name: `Size of ${name(target)}`,
        customers: step.customers.reduce((sum, row) => sum + (row[target] ?? 0), 0),
        told: !step.chance.words && target < page.states.length - 3,
        body: { kind: "size", dates, origin: target, target, pattern: "", clauses: [] },
      },
    };
  return {
    words: "Watch this crossing",
    subject: {
      name: `${name(origin)} → ${name(target)}`,
      customers: step.customers[origin]?.[target] ?? 0,
      told: step.chance.status.state === "whole" ? chanceOf(step, origin, target) !== null : true,
      body: { kind: "crossing", dates, origin, target, pattern: "", clauses: [] },
    },
  };
}

/** Who has changed in one step, and what the steadiness of the groups leaves to chance. */
function Told({ step }: { step: Schemas["StepTable"] }) {
  const { steadiness, changed, told, everybody, status } = step.chance;
  if (status.state !== "whole" || !steadiness) return null;
  const probably = changed[0];
  const surely = changed.find((each) => each.level >= 0.8);
  return (
    <p role="note" className="text-12">
      {probably && probably.customers > 0 ? (
        <>
          <b className="font-semibold">{count(probably.customers)} customers</b> have probably
          changed, about {count(Math.round(probably.real))} of them truly have
          {surely && surely.customers > 0 && `; ${count(surely.customers)} have, 8 times in 10`}
          .{" "}
        </>
      ) : (
        <>Of no single customer it can be said that it has changed. </>
      )}
      <span className="text-quiet">
        Same again {steadiness.mean.toFixed(2)}: had the year happened again with nothing changed,
        so many would stand in the same segment. Told of {count(told)} customers
        {everybody
          ? "; the log begins with the earlier window, so nobody can be told to be new."
          : " who came before both windows."}
      </span>
    </p>
  );
}
