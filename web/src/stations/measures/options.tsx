import { useState } from "react";

import type { Schemas } from "@/api/client";
import { count, figure, inUnit } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import { withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { Donors } from "@/stations/measures/donors";
import type { Choice, Thread } from "@/stations/measures/use-measures";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

type Option = Schemas["Option"];

const STEPS: [string, string][] = [
  ["fill", "1. Without a value"],
  ["cap", "2. Cap the ends"],
  ["transform", "3. Transform"],
  ["scale", "4. Scale"],
];
const NAMES: Record<string, string> = {
  "leave out": "leave them out",
  median: "the median",
  mode: "the commonest value",
  neighbours: "nearest neighbours",
  none: "as it is",
  log: "log",
  root: "square root",
  z: "z-score",
  range: "0 to 1",
  robust: "by quartiles",
  rank: "by rank",
};
const UNSCALED: Record<string, string> = { none: "unscaled" };

interface Props {
  thread: Thread;
  numbers: Schemas["Numbers"];
  found: Schemas["MeasureDetail"];
  onChoose: (choice: Choice) => void;
}

/** The preparation step by step; each choice shows what it would do before it is taken. */
export function Options({ thread, numbers, found, onChoose }: Props) {
  const { canChange } = useStudy();
  const [donors, setDonors] = useState(false);
  const missing = Object.values(numbers.figures.missing).reduce((a, b) => a + b, 0);
  const same = JSON.stringify(numbers.steps) === JSON.stringify(numbers.proposed);
  return (
    <section aria-label={`Preparation of ${thread.label}`}>
      <div className="mb-1 flex items-baseline gap-3">
        <h3 className="text-13">Preparation, in this order</h3>
        <p className="flex-1 text-quiet">
          {same ? `As proposed: ${reason(numbers)}` : "Chosen by hand."}
          {numbers.instead &&
            " Half of the values are alike, so the standard deviation takes the place of the quartiles."}
          {numbers.constant && ` Every value is the same: it cannot tell ${unit.many} apart.`}
        </p>
        {!same && canChange && (
          <button
            type="button"
            className="text-quiet underline"
            onClick={() => onChoose({ proposed: true })}
          >
            Back to what is proposed
          </button>
        )}
      </div>
      <div className="grid grid-cols-4 gap-3">
        {STEPS.map(([step, title]) => (
          <div key={step} role="radiogroup" aria-label={title}>
            <h4 className="mb-1 text-12 font-semibold">{title}</h4>
            {found.options
              .filter((option) => option.step === step)
              .map((option) => (
                <OneOption
                  key={option.label}
                  option={option}
                  thread={thread}
                  disabled={!canChange}
                  onChoose={() => onChoose({ steps: option.steps })}
                />
              ))}
            {step === "fill" && missing > 0 && (
              <>
                {thread.by_definition && (
                  <p className="mt-1 text-11 text-quiet">
                    Missing by definition: a fill would make something up. Better only described.
                  </p>
                )}
                <button
                  type="button"
                  className="mt-1 text-11 text-quiet underline"
                  onClick={() => setDonors(!donors)}
                >
                  {donors ? "Hide the neighbours" : "Who would be the neighbours?"}
                </button>
                {donors && <Donors thread={thread} found={found} />}
              </>
            )}
          </div>
        ))}
      </div>
    </section>
  );
}

function reason(numbers: Schemas["Numbers"]): string {
  const skew = Math.abs(numbers.figures.skew ?? 0);
  const way = numbers.steps.transform;
  const capped = (numbers.steps.cap ?? 0) > 0 ? ", a few far values capped" : "";
  if (way === "none")
    return skew > 1
      ? `the skew is ${figure(numbers.figures.skew)}, and neither log nor root lowers it${capped}.`
      : `the skew is under 1, so no transform${capped}.`;
  return `the skew of ${figure(numbers.figures.skew)} becomes ${figure(numbers.prepared_skew)} by a ${way}${capped}.`;
}

function OneOption({
  option,
  thread,
  disabled,
  onChoose,
}: {
  option: Option;
  thread: Thread;
  disabled: boolean;
  onChoose: () => void;
}) {
  const name = (option.step === "scale" && UNSCALED[option.label]) || NAMES[option.label];
  return (
    <div
      className={`mb-1 grid grid-cols-[1fr_64px] items-center gap-1 rounded-md border px-1.5 py-0.5 ${option.chosen ? "border-ink" : "border-transparent hover:border-line"}`}
    >
      <div className="min-w-0">
        <button
          type="button"
          role="radio"
          aria-checked={option.chosen}
          disabled={disabled}
          className={`block truncate text-left ${option.chosen ? "font-semibold" : "hover:underline"}`}
          onClick={onChoose}
        >
          {name ?? option.label}
        </button>
        <Touches option={option} thread={thread} />
      </div>
      <MiniHill values={option.shape} />
    </div>
  );
}

/** Whom a choice touches; those of the present choice can be listed. */
function Touches({ option, thread }: { option: Option; thread: Thread }) {
  const lens = useLens();
  const { study } = useStudy();
  const { filled, left_out: left, raised, lowered } = option.touched;
  if (option.step === "fill") {
    const touched = filled + left;
    if (touched === 0) return <p className="text-11 text-quiet">touches nobody</p>;
    return (
      <button
        type="button"
        className="block text-11 text-teal underline"
        onClick={() =>
          lens.set(
            withValues(
              lens.clauses,
              `missing:${thread.name}`,
              Object.keys(thread.numbers?.figures.missing ?? {}),
            ),
          )
        }
      >
        {filled ? `fills ${count(filled)}` : `leaves out ${count(left)}`}
      </button>
    );
  }
  if (option.step === "cap") {
    const touched = raised + lowered;
    if (touched === 0) return <p className="text-11 text-quiet">touches nobody</p>;
    const words = `touches ${count(touched)}`;
    if (!option.chosen) return <p className="text-11 text-quiet">{words}</p>;
    return (
      <button
        type="button"
        className="block text-11 text-teal underline"
        onClick={() =>
          lens.set(
            withValues(lens.clauses, `capped:${thread.name}`, [
              "raised to the cap",
              "lowered to the cap",
            ]),
          )
        }
      >
        {words}
      </button>
    );
  }
  if (option.step === "transform")
    return <p className="text-11 text-quiet">skew {figure(option.skew)}</p>;
  const ends =
    option.label === "none" && option.steps.transform === "none"
      ? [option.low, option.high].map((v) => inUnit(v, thread.unit, study.currency))
      : [option.low, option.high].map(figure);
  return (
    <p className="truncate text-11 text-quiet">
      {ends[0]} to {ends[1]}
    </p>
  );
}

function MiniHill({ values }: { values: number[] }) {
  const most = Math.max(1, ...values);
  const step = 64 / values.length;
  const points = values.map((v, n) => `${(n + 0.5) * step},${18 - (v / most) * 16}`).join(" L");
  return (
    <Glyph viewBox="0 0 64 19" width={64} height={19}>
      <path d={`M0,18 L${points} L64,18 Z`} fill="var(--color-everyone)" />
      <line x1={0} x2={64} y1={18.5} y2={18.5} stroke="var(--color-quiet)" strokeWidth={0.7} />
    </Glyph>
  );
}
