import type { Schemas } from "@/api/client";

/** What has to be said of a file's columns: which column is what, and what is still missing. */
export function Needs({ intake }: { intake: Schemas["IntakeRow"] }) {
  if (intake.needs.length === 0) return null;
  return (
    <div className="mb-2 text-12" aria-live="polite">
      <dl className="flex flex-wrap gap-x-2 gap-y-1.5">
        {intake.needs.map((need) => (
          <div
            key={need.words}
            className={`flex items-baseline gap-1.5 rounded-md border px-2 py-0.5 ${need.column ? "border-line" : "border-2 border-dashed border-ink"}`}
          >
            <dt className="text-quiet">{need.words}</dt>
            <dd className="font-semibold">{need.column || "missing"}</dd>
          </div>
        ))}
      </dl>
      {intake.lacks !== "" && (
        <p role="alert" className="mt-1.5 font-semibold">
          {intake.lacks} Choose it in the list beside the column.
        </p>
      )}
    </div>
  );
}
