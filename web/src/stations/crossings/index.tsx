import { useState } from "react";

import { api, data } from "@/api/client";
import { day } from "@/charts/format";
import { useLens, useSpendOf } from "@/lens/context";
import { Matrix } from "@/stations/crossings/matrix";
import { Ribbons } from "@/stations/crossings/ribbons";
import { Why } from "@/stations/crossings/why";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { Stale, Standing } from "@/study/standing";
import { Head } from "@/ui/head";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";

export const UNITS = [
  ["customers", "Customers"],
  ["money_before", "Spend before"],
  ["money_after", "Spend after"],
] as const;
export type Unit = (typeof UNITS)[number][0];

export interface PickedCrossing {
  step: number;
  origin: number;
  target: number;
}

function spendWords(to: string, back: string): string {
  const months = back === "all" ? "all" : `the ${back} months`;
  return `${months} to ${day(to)}, before the crossing`;
}

/** Crossings: ribbons between quarter ends, the matrix of a step, and why customers crossed. */
export function Crossings() {
  const { window } = useStudy();
  const lens = useLens();
  const [unit, setUnit] = useState<Unit>("customers");
  const [hidden, setHidden] = useState(true);
  const [picked, setPicked] = useState<PickedCrossing>({ step: 2, origin: 0, target: 1 });
  const crossings = useStation("crossings", ({ study: id, query, signal }) =>
    data(
      api.GET("/api/studies/{study}/crossings", { params: { path: { study: id }, query }, signal }),
    ),
  );
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
      <Head
        title="Crossings"
        words={
          page.adopted && window
            ? `Every date is placed by the groups adopted on ${day(page.adopted.home_to)}, so a move is a change in the customer, not in the yardstick.`
            : "Who moves between segments from one quarter end to the next."
        }
      >
        {page.steps.length > 0 && (
          <>
            <div
              role="group"
              aria-label="What is counted"
              className="flex shrink-0 overflow-hidden rounded-md border border-line bg-card"
            >
              {UNITS.map(([value, name]) => (
                <button
                  key={value}
                  type="button"
                  aria-pressed={unit === value}
                  onClick={() => setUnit(value)}
                  className={`px-3 py-1.5 ${unit === value ? "bg-ink text-white" : "hover:bg-paper"}`}
                >
                  {name}
                </button>
              ))}
            </div>
            <label className="flex shrink-0 items-center gap-1.5 text-12">
              <input
                type="checkbox"
                checked={hidden}
                disabled={unit !== "customers"}
                onChange={() => setHidden(!hidden)}
              />
              hide border moves
            </label>
          </>
        )}
      </Head>
      {page.status.state === "empty" && (
        <Empty
          title="Crossings are counted between segments"
          action={<NextStep to="groups">Adopt groups first</NextStep>}
        >
          Here ribbons will run between quarter ends, as wide as the customers who moved, with those
          not there yet, those who left and those who came back.
        </Empty>
      )}
      <Standing status={page.status} />
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
            <Why page={page} picked={picked} />
          </div>
        </Stale>
      )}
    </div>
  );
}
