import type { Schemas } from "@/api/client";
import { count, inUnit, unitWords } from "@/charts/format";
import { Shape } from "@/charts/shape";
import type { Choice } from "@/stations/measures";
import { Detail } from "@/stations/measures/detail";
import { useStudy } from "@/study/context";

const ROLES = [
  ["shapes", "shapes"],
  ["describes", "describes"],
  ["out", "left out"],
] as const;

interface Props {
  thread: Schemas["Thread"];
  open: boolean;
  onOpen: () => void;
  onChoose: (choice: Choice) => void;
}

/** One measure on its thread. */
export function ThreadRow({ thread, open, onOpen, onChoose }: Props) {
  const { study, canChange } = useStudy();
  const missing = Object.values(thread.figures.missing).reduce((a, b) => a + b, 0);
  const words = (value: number | null) => inUnit(value, thread.unit, study.currency);
  const out = thread.role === "out";
  const unit = unitWords(thread.unit, study.currency);
  return (
    <div className={`border-b border-line last:border-b-0 ${open ? "bg-paper/60" : ""}`}>
      <div
        className={`grid grid-cols-[190px_minmax(220px,1fr)_minmax(120px,170px)_92px_104px] items-center gap-3 px-3 py-1.5 ${out ? "opacity-55" : ""}`}
      >
        <button
          type="button"
          className="min-w-0 text-left"
          onClick={onOpen}
          aria-expanded={open}
          title={thread.definition}
        >
          <span className="block truncate font-semibold">{thread.label}</span>
          <span className="block truncate text-11 text-quiet">
            {unit && `${unit}, `}median {words(thread.figures.median)}
            {thread.lens && <span className="text-teal">, lens {words(thread.lens_median)}</span>}
          </span>
        </button>
        <Shape
          shape={thread.shape}
          lens={thread.lens ?? undefined}
          places={thread.places}
          ends={[words(thread.axis.low), words(thread.axis.high)]}
          log={thread.axis.log}
          label={`${thread.label}: median ${words(thread.figures.median)}, middle half ${words(thread.figures.quartile_1)} to ${words(thread.figures.quartile_3)}`}
        />
        <Shape
          shape={thread.prepared}
          places={thread.prepared_places}
          label={`${thread.label} as prepared: ${preparation(thread.steps)}`}
          foot={preparation(thread.steps)}
        />
        <span className="text-right text-12">
          {count(missing)}
          <span className="text-quiet">, {count(thread.figures.zeros)}</span>
        </span>
        <select
          aria-label={`Role of ${thread.label}`}
          disabled={!canChange}
          value={thread.role}
          onChange={(event) => onChoose({ role: event.target.value })}
          className={`rounded-md border bg-card px-1 py-1 text-12 ${thread.role === "shapes" ? "border-ink font-semibold" : "border-line text-quiet"}`}
        >
          {ROLES.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </select>
      </div>
      {open && <Detail thread={thread} onChoose={onChoose} />}
    </div>
  );
}

/** A preparation in a few words, in the order in which its steps are taken. */
export function preparation(steps: Schemas["StepsBody"]): string {
  const parts = [
    steps.fill !== "leave out" && `fill ${steps.fill}`,
    (steps.cap ?? 0) > 0 && `cap ${((steps.cap ?? 0) * 100).toFixed(0)}%`,
    steps.transform !== "none" && steps.transform,
    steps.scale,
  ];
  return parts.filter(Boolean).join(", ");
}
