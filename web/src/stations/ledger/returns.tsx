import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";
import { queueWrite } from "@/study/write-queue";
import { Select } from "@/ui/select";

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
    <Select
      label="On which day returns count"
      value={choices.returns}
      disabled={!canChange || change.isPending}
      onChange={(value) => change.mutate(value)}
      className="min-w-0 text-11"
      options={[
        ["own day", "on their own day"],
        ["sale day", "on their sale’s day"],
      ]}
    />
  );
}
