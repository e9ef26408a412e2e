import { count } from "@/charts/format";
import type { Page } from "@/stations/measures/use-measures";
import { Select } from "@/ui/select";

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
      One row per
      <Select
        value={of}
        className="text-13"
        onChange={(value) => onRows(value)}
        options={[
          ["", "customers"],
          ...page.populations.map(
            (trait) => [trait.name, `${trait.label}, ${count(trait.levels)}`] as const,
          ),
        ]}
      />
    </label>
  );
}
