import { useState } from "react";

import { api, data } from "@/api/client";
import { day } from "@/charts/format";
import { useLens, useSpendOf } from "@/lens/context";
import { Matrix } from "@/stations/crossings/matrix";
import { Ribbons } from "@/stations/crossings/ribbons";
import { Sizes } from "@/stations/crossings/sizes";
import { Why } from "@/stations/crossings/why";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { Stale, StatusBanner } from "@/study/status-banner";
import { PageHeader } from "@/ui/page-header";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Choice } from "@/ui/choice";
import { Checkbox } from "@/ui/input";

export const UNITS = [
  ["customers", "Customers"],
  ["money_before", "Spend before"],
  ["money_after", "Spend after"],
] as const;
export type Unit = (typeof UNITS)[number][0];

const STEPS = [
  ["year", "A year apart"],
  ["quarter", "Quarter by quarter"],
] as const;
type By = (typeof STEPS)[number][0];

export interface PickedCrossing {
  step: number;
  origin: number;
  target: number;
}

function spendWords(to: string, back: string): string {
  const months = back === "all" ? "all" : `the ${back} months`;
  return `${months} to ${day(to)}, before the crossing`;
}

/** Crossings: ribbons between dates, the matrix of a step, and why customers crossed. */
export function Crossings() {
  const { window } = useStudy();
  const lens = useLens();
  const [unit, setUnit] = useState<Unit>("customers");
  const [hidden, setHidden] = useState(true);
  const [by, setBy] = useState<By>("year");
  const [chosen, setPicked] = useState<PickedCrossing>({ step: 0, origin: 0, target: 1 });
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
  const picked = { ...chosen, step: Math.min(chosen.step, Math.max(0, steps - 1)) };
  const from = crossings.data?.steps[picked.step]?.from_to;
  const back = crossings.data?.back ?? "";
  useSpendOf(from ? `${from}:${back}` : "", from ? spendWords(from, back) : "");
  if (crossings.isPending) return <Waiting />;
  if (crossings.isError) return <Failed words={crossings.error.message} />;
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
      <PageHeader
        title="Crossings"
        words={
          page.adopted && window
            ? `Every date is placed by the groups adopted on ${day(page.adopted.home_to)}. Much of this movement is chance; how much will be told here.`
            : "Who moves between segments from one date to another."
        }
      >
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
      </PageHeader>
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
          <Ribbons
            page={page}
            unit={unit}
            hidden={hidden && unit === "customers"}
            picked={picked}
            onPick={pick}
          />
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
              <Why page={page} picked={picked} />
              <Sizes page={page} step={step} number={picked.step} onPick={pick} />
            </div>
          </div>
        </Stale>
      )}
    </div>
  );
}
