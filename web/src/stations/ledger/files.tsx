import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { Attached } from "@/stations/ledger/attached";
import { useLedgerChange } from "@/stations/ledger/queries";
import { queueWrite } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { Select } from "@/ui/select";

const OVERLAP_WORDS: Record<string, string> = {
  both: "keep both, equal ones once",
  skip: "skip this file’s",
  replace: "replace the earlier file’s",
};

interface Props {
  intakes: Schemas["IntakeRow"][];
  attachments: Schemas["AttachmentRow"][];
}

/** What came in, and what came of it; the columns of an imported file can be changed, or it can be removed. */
export function Files({ intakes, attachments }: Props) {
  const counted = intakes.filter((intake) => intake.state === "counted");
  if (counted.length + attachments.length === 0) return null;
  return (
    <section className="card p-3" aria-label="Files">
      <h2 className="mb-1 text-14">Files that count</h2>
      <ul>
        {attachments.map((attachment) => (
          <Attached key={`attached ${attachment.id}`} attachment={attachment} />
        ))}
        {counted.map((intake) => (
          <File key={intake.id} intake={intake} />
        ))}
      </ul>
    </section>
  );
}

function File({ intake }: { intake: Schemas["IntakeRow"] }) {
  const { study, canChange } = useStudy();
  const path = { params: { path: { study: study.id, intake: intake.id } } };
  const thing = `intake ${intake.id}`;
  const undo = useLedgerChange(
    () =>
      queueWrite(thing, intake.revision, (headers) =>
        data(api.DELETE("/api/studies/{study}/intakes/{intake}", { ...path, headers })),
      ),
    () => `${intake.name} no longer counts.`,
  );
  const changeColumns = useLedgerChange(() =>
    data(api.POST("/api/studies/{study}/intakes/{intake}/columns", path)),
  );
  const { report } = intake;
  const { notes, ragged } = report;
  const words =
    whatCame(intake, report) +
    (ragged > 0 ? `, ${count(ragged)} rows had too many or too few cells` : "") +
    (notes.length > 0 ? `. ${notes.join(" ")}` : "") +
    (intake.note ? `. ${intake.note}` : "");
  return (
    <li className="border-t border-line py-1.5">
      <div className="flex items-baseline gap-2">
        <span className="min-w-0 flex-1">
          <span className="block font-semibold break-words">{intake.name}</span>
          <span className="block text-12 text-quiet">{words}</span>
        </span>
        {canChange && (
          <>
            <button
              type="button"
              className="shrink-0 text-12 text-quiet underline hover:text-ink"
              onClick={() => changeColumns.mutate(undefined)}
            >
              Change columns
            </button>
            <button
              type="button"
              className="shrink-0 text-12 text-quiet underline hover:text-ink"
              onClick={() => undo.mutate(undefined)}
            >
              Remove
            </button>
          </>
        )}
      </div>
      {(intake.known_receipts > 0 || intake.overlap !== "both") && <Overlap intake={intake} />}
    </li>
  );
}

function whatCame(
  { role, mapping }: Schemas["IntakeRow"],
  report: Schemas["IntakeReport"],
): string {
  if (role === "log") return `${count(report.lines)} lines, ${count(report.receipts)} receipts`;
  if (role === "responses")
    return `${count(report.rows)} answers to ${count(report.offers)} offers`;
  if (role === "offers") return `${count(report.offers)} offers`;
  return role === "areas"
    ? `${count(report.areas)} districts`
    : `${count(report.customers)} ${mapping.units || "customers"}`;
}

/** What becomes of receipts that an earlier file has too. */
function Overlap({ intake }: { intake: Schemas["IntakeRow"] }) {
  const { study, canChange } = useStudy();
  const choose = useLedgerChange(
    (choice: string) =>
      queueWrite(`intake ${intake.id}`, intake.revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/intakes/{intake}/overlap", {
            params: { path: { study: study.id, intake: intake.id } },
            body: { choice },
            headers,
          }),
        ),
      ),
    (choice) => `${intake.name}: ${OVERLAP_WORDS[choice] ?? choice}.`,
  );
  return (
    <label className="flex items-baseline gap-1.5 text-12">
      <span className="text-quiet">
        {count(intake.known_receipts)} of its receipts came before:
      </span>
      <Select
        label={`Receipts of ${intake.name} that came before`}
        value={intake.overlap}
        disabled={!canChange || choose.isPending}
        onChange={(value) => choose.mutate(value)}
        options={Object.entries(OVERLAP_WORDS).map(([key, words]) => [key, words] as const)}
      />
    </label>
  );
}
