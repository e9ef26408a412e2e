import type { Schemas } from "@/api/client";
import { count, figure, inUnit } from "@/charts/format";
import type { Choice } from "@/stations/measures";
import { useStudy } from "@/study/context";

const OPTIONS = {
  fill: ["leave out", "median", "zero"],
  transform: ["none", "log", "root"],
  scale: ["z", "range", "robust", "rank", "none"],
} as const;
const WORDS: Record<string, string> = {
  fill: "Missing values",
  transform: "Transform",
  scale: "Scale",
  cap: "Cap each end at",
};

/** A measure opened in place: what it counts, its figures, and its preparation step by step. */
export function Detail({
  thread,
  onChoose,
}: {
  thread: Schemas["Thread"];
  onChoose: (choice: Choice) => void;
}) {
  const { study, canChange } = useStudy();
  const f = thread.figures;
  const words = (value: number | null) => inUnit(value, thread.unit, study.currency);
  const figures: [string, string][] = [
    ["mean", words(f.mean)],
    ["standard deviation", words(f.sd)],
    ["lowest", words(f.low)],
    ["first quartile", words(f.quartile_1)],
    ["median", words(f.median)],
    ["third quartile", words(f.quartile_3)],
    ["highest", words(f.high)],
    ["skew", figure(f.skew)],
    ["skew as prepared", figure(thread.prepared_skew)],
  ];
  const steps = thread.steps;
  const choose = (change: Partial<Schemas["StepsBody"]>) =>
    onChoose({ steps: { ...steps, ...change } });
  const proposed = JSON.stringify(steps) === JSON.stringify(thread.proposed);
  return (
    <div className="grid grid-cols-[1.1fr_1fr_1fr] gap-6 px-3 pt-1 pb-4 text-12">
      <div>
        <h3 className="mb-1 text-13">What it says</h3>
        <p>{thread.definition}</p>
        <h3 className="mt-3 mb-1 text-13">Without a value</h3>
        {Object.keys(f.missing).length === 0 && <p className="text-quiet">Nobody.</p>}
        <ul>
          {Object.entries(f.missing).map(([reason, number]) => (
            <li key={reason}>
              {count(number)} <span className="text-quiet">{reason}</span>
            </li>
          ))}
        </ul>
      </div>
      <dl className="grid grid-cols-[1fr_auto] content-start gap-x-4 gap-y-0.5">
        {figures.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-quiet">{name}</dt>
            <dd className="text-right">{value}</dd>
          </div>
        ))}
      </dl>
      <div className="grid content-start gap-1.5">
        <h3 className="text-13">Preparation, in this order</h3>
        {(["fill", "cap", "transform", "scale"] as const).map((step) => (
          <label key={step} className="flex items-center justify-between gap-2">
            <span className="text-quiet">{WORDS[step]}</span>
            {step === "cap" ? (
              <select
                disabled={!canChange}
                value={String(steps.cap)}
                onChange={(event) => choose({ cap: Number(event.target.value) })}
                className="rounded border border-line bg-card px-1 py-0.5"
              >
                {[0, 0.01, 0.02, 0.05].map((value) => (
                  <option key={value} value={String(value)}>
                    {value === 0 ? "not capped" : `${value * 100}%`}
                  </option>
                ))}
              </select>
            ) : (
              <select
                disabled={!canChange}
                value={steps[step]}
                onChange={(event) => choose({ [step]: event.target.value })}
                className="rounded border border-line bg-card px-1 py-0.5"
              >
                {OPTIONS[step].map((value) => (
                  <option key={value}>{value}</option>
                ))}
              </select>
            )}
          </label>
        ))}
        {thread.constant && (
          <p className="text-alarm">Every value is the same: it cannot tell customers apart.</p>
        )}
        {proposed ? (
          <p className="text-quiet">
            As proposed:{" "}
            {Math.abs(f.skew ?? 0) > 1
              ? "the log where the skew is beyond 1."
              : "the skew is under 1, so no transform."}
          </p>
        ) : (
          canChange && (
            <button
              type="button"
              className="w-fit text-copper underline"
              onClick={() => onChoose({ steps: thread.proposed })}
            >
              Back to what is proposed
            </button>
          )
        )}
      </div>
    </div>
  );
}
