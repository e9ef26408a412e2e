import { count } from "@/charts/format";
import { useClauseWords } from "@/lens/clause-chip";
import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

/** What the lens holds, in a line: a printed station has no dock that would say it. */
export function LensOnPaper() {
  const { study } = useStudy();
  const { answer, clauses } = useLens();
  const words = useClauseWords();
  if (!answer?.ready) return null;
  const told = clauses.map((clause) => {
    const { label, picks } = words(clause);
    return `${clause.negated ? "not " : ""}${label}: ${picks.join(" or ")}`;
  });
  return (
    <p className="mb-2 hidden text-12 print:block">
      {study.name}.{" "}
      {told.length > 0
        ? `Lens: ${told.join("; ")}, ${count(answer.lens.customers)} of ${count(answer.everyone.customers)} ${unit.many}.`
        : `Everyone, ${count(answer.everyone.customers)} ${unit.many}.`}
    </p>
  );
}
