import { useStudy } from "@/study/context";
import { ValueWords } from "@/study/value-words";
import type { Schemas } from "@/api/client";
import { count, percent } from "@/charts/format";
import { holds, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { Role } from "@/stations/measures/role";
import { COLUMNS } from "@/stations/measures/row";
import type { Choice, Thread } from "@/stations/measures/use-measures";

const SHOWN = 7;

/** A category as a thread cut into its levels, each to be picked. */
export function CategoryRow({
  thread,
  onChoose,
}: {
  thread: Thread;
  onChoose: (choice: Choice) => void;
}) {
  const { canChange } = useStudy();
  const levels = thread.levels;
  if (!levels) return null;
  const missing = Object.values(levels.missing).reduce((a, b) => a + b, 0);
  return (
    <div className={`${COLUMNS} items-center border-b border-line py-1.5 last:border-b-0`}>
      <span className={`min-w-0 ${thread.role === "out" ? "opacity-60" : ""}`}>
        <span className="block truncate font-semibold" title={thread.definition}>
          {thread.label}
        </span>
        <span className="block truncate text-11 text-quiet" title={thread.note}>
          category, {count(levels.levels.length)} levels{thread.note && ", as known later"}
        </span>
      </span>
      <Cut thread={thread} levels={levels} />
      <span className="grid text-11 leading-[14px]">
        <span className={missing ? "" : "text-quiet"}>
          {missing ? `${count(missing)} without` : "no missing values"}
        </span>
        {levels.levels.length > 20 && <span>too many to group by</span>}
        {canChange && thread.field.startsWith("trait:") && (
          <ValueWords trait={thread.field} label={thread.label} />
        )}
      </span>
      <Role thread={thread} onChoose={onChoose} />
    </div>
  );
}

function Cut({ thread, levels }: { thread: Thread; levels: Schemas["Levels"] }) {
  const lens = useLens();
  const own = lens.clauses.find((clause) => clause.field === thread.field);
  const all = levels.counts.reduce((a, b) => a + b, 0);
  const mine = levels.lens?.reduce((a, b) => a + b, 0) ?? 0;
  const shown = levels.levels.slice(0, SHOWN);
  const rest = levels.counts.slice(SHOWN).reduce((a, b) => a + b, 0);
  return (
    <div
      className="flex gap-px pr-[66px] pl-[50px]"
      role="group"
      aria-label={`Levels of ${thread.label}`}
    >
      {shown.map((level, n) => {
        const pick = { value: level };
        const words = levels.words[n] ?? level;
        const share = (levels.counts[n] ?? 0) / Math.max(1, all);
        const teal = (levels.lens?.[n] ?? 0) / Math.max(1, mine);
        return (
          <button
            key={level}
            type="button"
            aria-pressed={holds(own, pick)}
            title={`${words}: ${count(levels.counts[n] ?? 0)}, ${percent(levels.counts[n] ?? 0, all)}`}
            style={{ flexGrow: share, flexBasis: 0 }}
            className="group min-w-[24px] text-left"
            onClick={(event) => lens.pick(thread.field, pick, event.shiftKey)}
            onPointerEnter={() => lens.preview(valueClause(thread.field, level))}
            onPointerLeave={() => lens.preview(null)}
          >
            <span
              className={`block h-[13px] ${holds(own, pick) ? "bg-teal" : "bg-everyone group-hover:bg-quiet/50"}`}
            />
            {levels.lens && (
              <span
                className="mt-px block h-[3px] bg-teal"
                style={{ width: `${Math.min(100, (100 * teal) / Math.max(share, teal))}%` }}
              />
            )}
            <span className="block truncate text-11 text-quiet">{words}</span>
          </button>
        );
      })}
      {rest > 0 && (
        <span
          className="min-w-[30px] text-11 text-quiet"
          style={{ flexGrow: rest / all, flexBasis: 0 }}
        >
          <span className="block h-[13px] bg-line" />
          and {levels.levels.length - SHOWN} more
        </span>
      )}
    </div>
  );
}
