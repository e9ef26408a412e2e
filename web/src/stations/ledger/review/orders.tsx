import type { Schemas } from "@/api/client";
import type { Mapping } from "@/stations/ledger/review/use-review";

/** Levels of categories with an order, lowest first; one is put up or down by its arrows. */
export function Orders({
  intake,
  mapping,
  onChange,
}: {
  intake: Schemas["IntakeRow"];
  mapping: Mapping;
  onChange: (next: Mapping) => void;
}) {
  const levels = intake.orders;
  const ordered = intake.columns
    .map((column) => [column.column, levels[column.column] ?? []] as const)
    .filter(([, found]) => found.length > 0);
  if (ordered.length === 0) return null;
  const swap = (column: string, levels: string[], place: number, by: number) => {
    const next = [...levels];
    const [moved = ""] = next.splice(place, 1);
    next.splice(place + by, 0, moved);
    onChange({ ...mapping, orders: { ...mapping.orders, [column]: next } });
  };
  return (
    <div className="mt-3 grid gap-1.5 text-12">
      <h3 className="text-13">From low to high</h3>
      {ordered.map(([column, shown]) => {
        const levels = mapping.orders?.[column] ?? [...shown];
        return (
          <p key={column} className="flex flex-wrap items-center gap-1.5">
            <span className="font-semibold">{column}</span>
            {levels.map((level, place) => (
              <span key={level} className="flex items-center rounded-md border border-line">
                <button
                  type="button"
                  aria-label={`${level} lower`}
                  disabled={place === 0}
                  className="px-1 text-quiet disabled:opacity-30"
                  onClick={() => swap(column, levels, place, -1)}
                >
                  ‹
                </button>
                {level}
                <button
                  type="button"
                  aria-label={`${level} higher`}
                  disabled={place === levels.length - 1}
                  className="px-1 text-quiet disabled:opacity-30"
                  onClick={() => swap(column, levels, place, 1)}
                >
                  ›
                </button>
              </span>
            ))}
          </p>
        );
      })}
    </div>
  );
}
