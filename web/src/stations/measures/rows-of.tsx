import { count } from "@/charts/format";
import type { Page } from "@/stations/measures/use-measures";

/** Whom the rows stand for: customers, or the levels of a trait with their customers' purchases. */
export function RowsOf({
  page,
  of,
  onRows,
}: {
  page: Page;
  of: string;
  onRows: (of: string) => void;
}) {
  if (!page.has_log || page.populations.length === 0) return null;
  return (
    <label className="flex items-center gap-1.5 text-12 text-quiet">
      rows are
      <select
        value={of}
        className="rounded-md border border-line bg-card px-1.5 py-1 text-13 text-ink"
        onChange={(event) => onRows(event.target.value)}
      >
        <option value="">customers</option>
        {page.populations.map((trait) => (
          <option key={trait.name} value={trait.name}>
            {trait.label}, {count(trait.levels)}
          </option>
        ))}
      </select>
    </label>
  );
}
