import { useState } from "react";
import type { ReactNode } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { useLens, useSpendOf } from "@/lens/context";
import { Matrix } from "@/stations/crossings/matrix";
import { Panel } from "@/stations/crossings/panel";
import { pickedOf, UNITS } from "@/stations/crossings/picked";
import type { PickedCrossing, Unit } from "@/stations/crossings/picked";
import { Ribbons } from "@/stations/crossings/ribbons";
import { Sizes } from "@/stations/crossings/sizes";
import { useStation } from "@/stations/use-station";
import { Stale, StatusBanner } from "@/study/status-banner";
import { Choice } from "@/ui/choice";
import { Checkbox } from "@/ui/input";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";

const STEPS = [
  ["year", "A year apart"],
  ["quarter", "Quarter by quarter"],
] as const;
type By = (typeof STEPS)[number][0];

function spendWords(to: string, back: string): string {
  const months = back === "all" ? "all" : `the ${back} months`;
  return `${months} to ${day(to)}, before the crossing`;
}

/** Ribbons between dates, the matrix of a step, and all that is known of one crossing. */
export function RibbonsView({ tabs }: { tabs: ReactNode }) {
  const lens = useLens();
  const [unit, setUnit] = useState<Unit>("customers");
  const [hidden, setHidden] = useState(false);
  const [by, setBy] = useState<By>("year");
  const [chosen, setPicked] = useState<PickedCrossing | null>(null);
  const crossings = useStation(
    "crossings",
    ({ study: id, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings", {
          params: { path: { study: id }, query: { ...query, by } },
          signal,
        }),
      ),
    false,
    by,
  );
  const steps = crossings.data?.steps.length ?? 0;
  const picked = pickedOf(crossings.data, chosen, steps);
  const from = crossings.data?.steps[picked.step]?.from_to;
  const back = crossings.data?.back ?? "";
  useSpendOf(from ? `${from}:${back}` : "", from ? spendWords(from, back) : "");
  if (crossings.isPending)
    return (
      <>
        {tabs}
        <Waiting />
      </>
    );
  if (crossings.isError)
    return (
      <>
        {tabs}
        <Failed words={crossings.error.message} />
      </>
    );
  const page = crossings.data;
  const step = page.steps[picked.step];
  const pick = (next: PickedCrossing) => {
    setPicked(next);
    const at = page.steps[next.step];
    if (at)
      lens.pick(
        `crossing:${at.from_to}>${at.to}`,
        { value: `${next.origin + 1}>${next.target + 1}` },
        false,
      );
  };
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap items-center gap-3">
        <div className="flex-1">{tabs}</div>
        {page.dates.length > 0 && (
          <Choice label="What lies between the dates" choices={STEPS} value={by} onChoose={setBy} />
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
      {step && (
        <Stale status={page.status}>
          <Told step={step} />
          <div
            className={`grid items-start gap-3 ${page.by === "year" ? "grid-cols-[1.2fr_1fr]" : "grid-cols-[minmax(0,1fr)]"}`}
          >
            <Ribbons
              page={page}
              unit={unit}
              hidden={hidden && unit === "customers"}
              picked={picked}
              onPick={pick}
            />
            {page.by === "year" && <Panel page={page} picked={picked} />}
          </div>
          <div className="grid grid-cols-[1.4fr_1fr] items-start gap-3">
            <Matrix
              page={page}
              step={step}
              number={picked.step}
              unit={unit}
              hidden={hidden && unit === "customers"}
              picked={picked}
              onPick={pick}
            />
            <div className="grid gap-3">
              {page.by === "quarter" && <Panel page={page} picked={picked} />}
              <Sizes page={page} step={step} number={picked.step} onPick={pick} />
            </div>
          </div>
        </Stale>
      )}
    </div>
  );
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
