import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";

/** What came in, and what came of it; a counted file can be taken back, and that undone. */
export function Files({ intakes }: { intakes: Schemas["IntakeRow"][] }) {
  const { study, canChange } = useStudy();
  const counted = intakes.filter((intake) => intake.state === "counted");
  const takeBack = useLedgerChange(
    (intake: Schemas["IntakeRow"]) =>
      data(
        api.DELETE("/api/studies/{study}/intakes/{intake}", {
          params: { path: { study: study.id, intake: intake.id } },
        }),
      ),
    (intake) => `${intake.name} no longer counts.`,
  );
  if (counted.length === 0) return null;
  return (
    <section className="card p-3" aria-label="Files">
      <h2 className="mb-1 text-14">Files that count</h2>
      <ul>
        {counted.map((intake) => {
          const report = intake.report as Record<string, number>;
          const notes = (intake.report as { notes?: string[] }).notes ?? [];
          const ragged = report.ragged ?? 0;
          return (
            <li key={intake.id} className="flex items-baseline gap-2 border-t border-line py-1.5">
              <span className="font-semibold">{intake.name}</span>
              <span className="min-w-0 flex-1 truncate text-12 text-quiet">
                {intake.role === "log"
                  ? `${count(report.lines ?? 0)} lines, ${count(report.receipts ?? 0)} receipts`
                  : `${count(report.customers ?? 0)} customers`}
                {ragged > 0 && `, ${count(ragged)} rows had too many or too few cells`}
                {notes.length > 0 && `. ${notes.join(" ")}`}
              </span>
              {canChange && (
                <button
                  type="button"
                  className="text-12 text-quiet underline hover:text-ink"
                  onClick={() => takeBack.mutate(intake)}
                >
                  take back
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
