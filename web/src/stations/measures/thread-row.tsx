import type { Schemas } from "@/api/client";
import { valueAt } from "@/charts/axis";
import { count, figure, fixed, inUnit, unitWords } from "@/charts/format";
import { ThreadShape } from "@/charts/thread";
import { useLens } from "@/lens/context";
import { preparation } from "@/stations/measures/preparation";
import { Detail } from "@/stations/measures/detail";
import { Role } from "@/stations/measures/role";
import { COLUMNS } from "@/stations/measures/row";
import type { Choice, Page, Thread } from "@/stations/measures/use-measures";
import { useStudy } from "@/study/context";

interface Props {
  thread: Thread;
  numbers: Schemas["Numbers"];
  page: Page;
  open: boolean;
  onOpen: () => void;
  onGo: (name: string) => void;
  onChoose: (choice: Choice) => void;
}

/** One measure on its thread. */
export function ThreadRow({ thread, numbers, page, open, onOpen, onGo, onChoose }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const words = (value: number | null) => inUnit(value, thread.unit, study.currency);
  const unit = unitWords(thread.unit, study.currency);
  const { figures, axis, prepared_axis: after } = numbers;
  const out = thread.role === "out";
  return (
    <div className={`border-b border-line last:border-b-0 ${open ? "bg-paper/60" : ""}`}>
      <div className={`${COLUMNS} items-center py-0.5`}>
        <button
          type="button"
          className={`min-w-0 text-left ${out ? "text-quiet" : ""}`}
          onClick={onOpen}
          aria-expanded={open}
          title={thread.definition}
        >
          <span className="block truncate font-semibold">{thread.label}</span>
          <span className="block truncate text-11 text-quiet">
            {unit && `${unit}, `}median {words(figures.median)}
            {numbers.lens && <span className="text-teal">, lens {words(numbers.lens_median)}</span>}
            {numbers.beside && `, then ${words(numbers.beside_median)}`}
          </span>
          {thread.reliability !== null && (
            <span
              className="block truncate text-11 text-quiet"
              title="Rank correlation with the same year, had it happened again"
            >
              reliability {fixed(thread.reliability.value)}
              {thread.reliability.mostly_luck && ", mostly luck"}
            </span>
          )}
          {thread.ties.length > 0 && <Ties thread={thread} />}
        </button>
        <div
          className={`grid grid-cols-[46px_1fr_62px] items-start gap-1 text-11 text-quiet ${out ? "[&_svg]:opacity-55" : ""}`}
        >
          <Ends
            top={words(axis.low)}
            foot={figure(after.low)}
            what="Lower end of the middle 99%"
            align="text-right"
          />
          <ThreadShape
            shape={numbers.shape}
            places={numbers.places}
            prepared={numbers.prepared}
            preparedPlaces={numbers.prepared_places}
            lens={numbers.lens}
            beside={numbers.beside}
            label={`${thread.label}: median ${words(figures.median)}, middle half ${words(figures.quartile_1)} to ${words(figures.quartile_3)}; prepared by ${preparation(numbers.steps)}`}
            stretch={{
              onPick: (from, to) =>
                lens.pick(
                  thread.field,
                  {
                    range: [
                      from <= 0.004 ? null : rounded(valueAt(from, axis)),
                      to >= 0.996 ? null : rounded(valueAt(to, axis)),
                    ],
                  },
                  false,
                ),
              words: (from, to) => `${words(valueAt(from, axis))} to ${words(valueAt(to, axis))}`,
            }}
          />
          <Ends
            top={words(axis.high) + (axis.log ? " log" : "")}
            foot={figure(after.high)}
            what="Upper end of the middle 99%"
            align="text-left"
          />
        </div>
        <Counts thread={thread} numbers={numbers} />
        <span className="grid gap-1">
          <Role thread={thread} onChoose={onChoose} />
          <span className="truncate text-right text-11 leading-[12px] text-quiet">
            {preparation(numbers.steps)}
          </span>
        </span>
      </div>
      {open && (
        <Detail thread={thread} numbers={numbers} page={page} onChoose={onChoose} onGo={onGo} />
      )}
    </div>
  );
}

/** Three telling digits are enough for where a person's pointer was. */
function rounded(value: number): number {
  return Number(value.toPrecision(3));
}

function Ties({ thread }: { thread: Thread }) {
  const [first] = thread.ties;
  if (!first) return null;
  return (
    <span
      className="mt-0.5 block truncate border-l-2 border-quiet pl-1.5 text-11 text-ink"
      title={`Rank correlation. ${thread.ties.map((tie) => `${fixed(tie.value)} with ${tie.label}`).join(", ")}`}
    >
      r {fixed(first.value)} with {first.label}
    </span>
  );
}

interface EndsProps {
  top: string;
  foot: string;
  /** What these ends are of everyone. */
  what: string;
  align: string;
}

function Ends({ top, foot, what, align }: EndsProps) {
  return (
    <span className={`grid h-[50px] leading-[12px] ${align}`}>
      <span className="truncate pt-[17px]" title={`${what}: ${top}`}>
        {top}
      </span>
      <span className="truncate pt-[1px]" title={`${what}, as prepared: ${foot}`}>
        {foot}
      </span>
    </span>
  );
}

function Counts({ thread, numbers }: { thread: Thread; numbers: Schemas["Numbers"] }) {
  const missing = Object.values(numbers.figures.missing).reduce((a, b) => a + b, 0);
  const outliers = numbers.fences.below + numbers.fences.above;
  return (
    <span className="grid text-11 leading-[14px]">
      <span className={missing ? "" : "text-quiet"}>
        {missing ? `${count(missing)} without` : "no missing values"}
      </span>
      <span className={outliers ? "" : "text-quiet"}>
        {[
          outliers > 0 && `${count(outliers)} beyond`,
          numbers.figures.zeros > 0 && `${count(numbers.figures.zeros)} at 0`,
        ]
          .filter(Boolean)
          .join(", ") || "none beyond"}
      </span>
      <span className="text-quiet">
        {numbers.constant
          ? "the same for all"
          : `skew ${figure(numbers.figures.skew)} → ${figure(numbers.prepared_skew)}`}
      </span>
      {thread.at_least > 0 && (
        <span className="text-quiet" title="The log may begin after they first came">
          {count(thread.at_least)} at least
        </span>
      )}
    </span>
  );
}
