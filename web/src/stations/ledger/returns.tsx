import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";
import { queueWrite } from "@/study/write-queue";

/** On which day returns lower the spend. */
export function ReturnsDay({ choices }: { choices: Schemas["LedgerChoices"] }) {
  const { study, canChange } = useStudy();
  const change = useLedgerChange(
    (told: string) =>
      queueWrite(`returns ${study.id}`, choices.revisions.returns ?? 0, (headers) =>
        data(
          api.PUT("/api/studies/{study}/ledger/returns", {
            params: { path: { study: study.id } },
            body: { told },
            headers,
          }),
        ),
      ),
    (told) =>
      told === "sale day"
        ? "Returns count on the day of their sale, so earlier windows change with them."
        : "Returns count on their own day.",
  );
  return (
    <select
      aria-label="On which day returns count"
      value={choices.returns}
      disabled={!canChange || change.isPending}
      onChange={(event) => change.mutate(event.target.value)}
      className="min-w-0 rounded border border-line bg-card text-11 text-quiet"
    >
      <option value="own day">on their own day</option>
      <option value="sale day">on their sale’s day</option>
    </select>
  );
}
