import { Popover } from "radix-ui";

import { day, inUnit } from "@/charts/format";
import { SEGMENT, included, place } from "@/lens/clauses";
import type { Clause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { ChangeClause } from "@/lens/change-clause";
import { useStudy } from "@/study/context";
import { Checkbox } from "@/ui/input";

/** What a clause says: its field, and its picks in words. */
export function useClauseWords() {
  const { study } = useStudy();
  const { fields, answer } = useLens();
  const states = Object.values(fields.find((row) => row.field === SEGMENT)?.labels ?? {});
  return (clause: Clause): { label: string; picks: string[] } => {
    if (clause.field.startsWith("crossing:")) return crossingWords(clause, states);
    const field = fields.find((row) => row.field === clause.field);
    const unit = field?.unit ?? "";
    const end = (value: number) => inUnit(value, unit, study.currency);
    const picks = [
      ...(clause.values ?? []).map((value) => field?.labels[value] ?? value),
      ...(clause.ranges ?? []).map(([low, high]) => rangeWords(low, high, end)),
    ];
    const label = field?.label ?? answer?.labels[clause.field];
    return { label: label ?? clause.field.replace(/^\w+:/, ""), picks };
  };
}

function rangeWords(low: number | null, high: number | null, end: (value: number) => string) {
  if (high === null) return low === null ? "any" : `${end(low)} and up`;
  const last = included(high);
  if (low === null) return last === null ? `under ${end(high)}` : `at most ${end(last)}`;
  if (last === low) return `just ${end(low)}`;
  return `${end(low)} to ${end(last ?? high)}`;
}

/** A crossing's clause names its two dates, and its picks two states each, counted from 1. */
function crossingWords(clause: Clause, states: string[]) {
  const [dates = ""] = clause.field.slice("crossing:".length).split("~");
  // Dates before the two are those that customers are kept in place from.
  const [from = "", to = ""] = dates.split(">").slice(-2);
  const name = (state: string) => states[Number(state) - 1] ?? state;
  const picks = (clause.values ?? []).map((value) => value.split(">").map(name).join(" → "));
  const near = from.slice(0, 4) === to.slice(0, 4);
  return { label: `${near ? day(from).slice(0, -5) : day(from)} to ${day(to)}`, picks };
}

/** One clause of the lens; it opens to its values, to be turned round, or removed. */
export function ClauseChip({ clause }: { clause: Clause }) {
  const lens = useLens();
  const { label, picks } = useClauseWords()(clause);
  // “Bought in March” says it all: its yes need not be told.
  const plain =
    picks.length === 1 && picks[0] === "yes" && /^(bought|began|letter|met):/.test(clause.field);
  const others = lens.clauses.filter((other) => other.field !== clause.field);
  const drop = (index: number) => {
    const values = clause.values ?? [];
    const next =
      index < values.length
        ? { ...clause, values: values.filter((_, i) => i !== index) }
        : {
            ...clause,
            ranges: (clause.ranges ?? []).filter((_, i) => i !== index - values.length),
          };
    lens.set(picks.length === 1 ? others : place(lens.clauses, next));
  };
  return (
    <Popover.Root>
      <span className="inline-flex max-w-full items-center rounded-md border border-teal text-12">
        <Popover.Trigger className="min-h-[24px] truncate pl-2 text-left">
          {clause.negated && <b className="font-semibold">not </b>}
          {label}
          {!plain && `: ${picks.join(" or ")}`}
        </Popover.Trigger>
        <button
          type="button"
          aria-label={`Remove ${label}`}
          className="min-h-[24px] min-w-[24px] text-teal"
          onClick={() => lens.set(others)}
        >
          ×
        </button>
      </span>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="card z-40 w-64 p-3 shadow-lg">
          <h3 className="text-13">{label}</h3>
          <ul className="mt-2 grid gap-1">
            {picks.map((pick, index) => (
              <li key={pick} className="flex items-center justify-between text-12">
                {pick}
                <button
                  type="button"
                  className="text-quiet hover:text-ink"
                  aria-label={`Without ${pick}`}
                  onClick={() => drop(index)}
                >
                  ×
                </button>
              </li>
            ))}
          </ul>
          <ChangeClause field={clause.field} />
          <label className="mt-3 flex items-center gap-2 border-t border-line pt-2 text-12">
            <Checkbox
              checked={clause.negated ?? false}
              onChange={() =>
                lens.set(place(lens.clauses, { ...clause, negated: !clause.negated }))
              }
            />
            Inverted: everyone but these
          </label>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
