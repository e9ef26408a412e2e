import { useState } from "react";

import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import type { PickedCrossing } from "@/stations/crossings/picked";
import { Changed } from "@/stations/crossings/changed";
import { ChanceBar } from "@/stations/crossings/chance-bar";
import { beyond, chanceOf, rangeWords, seenOf, verdictOf } from "@/stations/crossings/figures";
import { Signs } from "@/stations/crossings/signs";
import { Why } from "@/stations/crossings/why";
import { useMoney } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { Views } from "@/ui/views";

export interface CellProps {
  page: Schemas["CrossingsPage"];
  picked: PickedCrossing;
}

const PARTS = [
  ["why", "Why"],
  ["signs", "Signs before"],
  ["customers", "Customers"],
] as const;

/** One crossing: how many, against what chance would move; why, signs before, and who has changed. */
export function Panel({ page, picked }: CellProps) {
  const [part, setPart] = useState("why");
  const step = page.steps[picked.step];
  if (!step) return null;
  const { origin, target } = picked;
  const chance = chanceOf(step, origin, target);
  const customers = step.customers[origin]?.[target] ?? 0;
  return (
    <section className="card min-w-0 p-3" aria-label="Crossing">
      <h2 className="flex flex-wrap items-center gap-1.5 text-14">
        <State page={page} state={origin} /> <span aria-label="to">→</span>
        <State page={page} state={target} />
      </h2>
      <Sentence page={page} step={step} picked={picked} />
      {chance && origin !== target && (
        <ChanceBar seen={seenOf(step, origin, target)} chance={chance} />
      )}
      {step.chance.status.state !== "whole" && step.chance.status.state !== "empty" && (
        <div className="mt-2">
          <StatusBanner status={step.chance.status} />
        </div>
      )}
      {step.chance.words && <p className="mt-1 text-12 text-quiet">{step.chance.words}</p>}
      {customers > 0 && (
        <>
          {page.only !== null && page.only !== undefined && (
            <p className="mt-1 text-12 text-quiet">
              Below: all who went this way, not those of the lens alone.
            </p>
          )}
          <div className="mt-2 border-b border-line">
            <Views views={PARTS} view={part} onView={setPart} />
          </div>
          <div className="mt-2">
            {part === "why" && <Why page={page} picked={picked} />}
            {part === "signs" && <Signs page={page} picked={picked} />}
            {part === "customers" && (
              <Changed key={`${picked.step}:${origin}>${target}`} page={page} picked={picked} />
            )}
          </div>
        </>
      )}
    </section>
  );
}

function State({ page, state }: { page: Schemas["CrossingsPage"]; state: number }) {
  const found = page.states[state];
  return (
    <span className="inline-flex items-center gap-1.5">
      {found?.mark !== null && <SegmentMark mark={found?.mark ?? 0} size={14} />}
      {found?.name}
    </span>
  );
}

function Sentence({ page, step, picked }: CellProps & { step: Schemas["StepTable"] }) {
  const inMoney = useMoney("short");
  const { origin, target } = picked;
  const customers = step.customers[origin]?.[target] ?? 0;
  if (customers === 0) return <p className="mt-1">Nobody crossed here.</p>;
  const before = step.money_before[origin]?.[target] ?? 0;
  const after = step.money_after[origin]?.[target] ?? 0;
  const word = page.states[target]?.name === "left" ? "left" : "crossed";
  return (
    <p className="mt-1">
      <b className="font-semibold">{count(customers)} customers</b>{" "}
      {origin === target
        ? "are in the same state at both dates."
        : page.states[origin]?.name === "not yet"
          ? "are new."
          : page.states[origin]?.name === "left"
            ? "came back."
            : `${word}.`}{" "}
      <Against step={step} picked={picked} customers={customers} />
      They spent {inMoney(before)} in the window before and {inMoney(after)} now.{" "}
      <Back page={page} step={step} origin={origin} />
    </p>
  );
}

function Against({
  step,
  picked,
  customers,
}: {
  step: Schemas["StepTable"];
  picked: PickedCrossing;
  customers: number;
}) {
  const { origin, target } = picked;
  const chance = chanceOf(step, origin, target);
  if (!chance || origin === target) {
    if (step.chance.status.state !== "whole" || origin === target) return null;
    return <>How many of them chance would move, nothing tells. </>;
  }
  const verdict = verdictOf(step, origin, target);
  const seen = seenOf(step, origin, target);
  return (
    <>
      {seen < customers && `${count(customers - seen)} of them came within the windows. `}
      If nobody had changed, chance alone would have moved{" "}
      <b className="font-semibold">{rangeWords(chance)}</b>
      {seen < customers && ` of the other ${count(seen)}`}:{" "}
      {verdict === "more"
        ? `about ${count(Math.round(beyond(step, origin, target)))} are more than chance. `
        : verdict === "fewer"
          ? "fewer went than chance would move. "
          : "no more than chance makes. "}
    </>
  );
}

/** What chance alone does to the money of a segment, beside what was seen. */
function Back({
  page,
  step,
  origin,
}: {
  page: Schemas["CrossingsPage"];
  step: Schemas["StepTable"];
  origin: number;
}) {
  const chance = step.chance.money[origin];
  const seen = step.chance.spent[origin];
  if (!chance || seen === null || seen === undefined || origin >= page.states.length - 3)
    return null;
  const change = (ratio: number) => {
    const percent = Math.round(100 * (ratio - 1));
    return percent === 0 ? "0%" : `${percent > 0 ? "+" : "−"}${Math.abs(percent)}%`;
  };
  return (
    <span className="text-quiet">
      All of {page.states[origin]?.name} together: {change(seen)} from then to now, where chance
      alone makes {change(chance.low)} to {change(chance.high)}.
    </span>
  );
}
