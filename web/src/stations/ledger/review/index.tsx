import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { Columns } from "@/stations/ledger/review/columns";
import { OtherCurrency } from "@/stations/ledger/review/currency";
import { KindWords } from "@/stations/ledger/review/kind-words";
import { Orders } from "@/stations/ledger/review/orders";
import { Needs } from "@/stations/ledger/review/needs";
import { asksForOrder, DateQuestion, Readings } from "@/stations/ledger/review/readings";
import { useReview } from "@/stations/ledger/review/use-review";
import { Button } from "@/ui/button";
import { Select } from "@/ui/select";
import { Failed } from "@/ui/status";

const WHAT: Record<string, string> = {
  log: "A transaction log",
  members: "A table of customers",
  responses: "Who received and took which offers",
  offers: "A table of offers",
  areas: "Districts",
};

const NOUNS: Record<string, string> = {
  log: "lines",
  responses: "answers",
  offers: "offers",
  areas: "districts",
};

/** Of which attached log a file is, and what follows from how it is read. */
function attachedWords({ attached, of_files: files, state }: Schemas["IntakeRow"]): string {
  if (state === "failed") return `A file at ${attached}.`;
  if (files === 1) return `At ${attached}; it stays there.`;
  return `The first of ${count(files)} files at ${attached}; they stay there, and all are read like this one.`;
}

/** A file under review: what it is, how its columns are read, and what is still to be said. */
export function Review({ intake }: { intake: Schemas["IntakeRow"] }) {
  const review = useReview(intake);
  const parts = { intake, mapping: review.mapping, onChange: review.remap };
  const asked = asksForOrder(intake, review.mapping);
  const several = intake.role === "members" ? review.mapping.units : NOUNS[intake.role];
  const noun = several || "rows";
  return (
    <section className="card p-4" aria-label={`Review of ${intake.name}`}>
      <div className="mb-3 flex items-center gap-3">
        <div className="min-w-0 flex-1">
          <h2 className="text-14 break-words">{intake.name}</h2>
          <p className="text-12 text-quiet">
            {intake.replaces === null && !intake.heads && !intake.attached ? (
              <Select
                label={`What ${intake.name} is`}
                className="mr-1"
                value={intake.role}
                disabled={!review.readAs}
                onChange={(role) => review.readAs?.(role)}
                options={Object.entries(WHAT).map(([role, words]) => [role, words] as const)}
              />
            ) : (
              `${WHAT[intake.role] ?? intake.role}.`
            )}{" "}
            {intake.lines > 0 && intake.role !== "areas" && `About ${count(intake.lines)} rows. `}
            {intake.attached && `${attachedWords(intake)} `}
            {intake.replaces === null
              ? "Nothing is imported yet: check how each column will be read."
              : "Until you import it again, it counts as it was read before."}
          </p>
        </div>
        <Button onClick={() => review.discard.mutate(undefined)}>Discard</Button>
        <Button
          kind="main"
          disabled={review.importFile.isPending || asked || intake.lacks !== ""}
          onClick={() => review.importFile.mutate(undefined)}
        >
          {intake.attached && intake.state !== "failed" ? (
            `Attach ${intake.of_files === 1 ? "this file" : `these ${count(intake.of_files)} files`}`
          ) : (
            <>
              Import these{" "}
              {intake.lines > 0 && intake.role !== "areas" && `${count(intake.lines)} `}
              {noun}
            </>
          )}
        </Button>
      </div>
      {intake.state === "failed" && <Failed words={intake.error} />}
      <Needs intake={intake} />
      <OtherCurrency intake={intake} />
      {intake.notes.map((note) => (
        <p key={note} className="mb-2 text-12">
          {note}
        </p>
      ))}
      {intake.heads && (
        <p className="mb-2 text-12">
          The heads of its receipts are in <b className="font-semibold">{intake.heads}</b>; both are
          read as one.{" "}
          <button
            type="button"
            className="text-quiet underline hover:text-ink"
            onClick={() => review.apart.mutate(undefined)}
          >
            Read each file on its own
          </button>
        </p>
      )}
      <DateQuestion {...parts} />
      <Columns {...parts} />
      <KindWords {...parts} />
      {intake.role === "members" && <Orders {...parts} />}
      <Readings {...parts} onEncoding={intake.heads ? null : review.readIn} />
    </section>
  );
}
