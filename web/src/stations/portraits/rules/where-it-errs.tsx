import type { Schemas } from "@/api/client";
import { count, percent } from "@/charts/format";
import { ColumnMark } from "@/marks/column-mark";
import { Column, RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

/** Customers held back: the segment they are of, and the one that the tree takes them for. */
export function WhereItErrs({ page }: { page: Schemas["RulesPage"] }) {
  const most = Math.max(1, ...page.errs.flatMap((row, is) => row.filter((_, at) => at !== is)));
  return (
    <section className="card p-3" aria-label="Where the tree errs">
      <h2 className="text-14">
        Where the tree errs{" "}
        <span className="text-12 font-normal text-quiet">
          rows: the segment; columns: what the tree says; the {count(page.right.of)} {unit.many}{" "}
          held back
        </span>
      </h2>
      <div className="overflow-x-auto">
        <Table label="Segments and what the tree takes them for" className="mt-1 w-full">
          <thead>
            <tr className="text-11 text-quiet">
              <Column>is ↓ told as →</Column>
              {page.columns.map((segment) => (
                <Column key={segment.number} figures className="px-2" title={segment.name}>
                  <span className="sr-only">{segment.name}</span>
                  <span className="flex justify-end">
                    <ColumnMark head={segment} size={14} />
                  </span>
                </Column>
              ))}
              <Column figures>told right</Column>
            </tr>
          </thead>
          <tbody>
            {page.columns.map((segment, is) => {
              const row = page.errs[is] ?? [];
              const whole = row.reduce((sum, each) => sum + each, 0);
              return (
                <tr key={segment.number} className="border-t border-line">
                  <RowHead className="py-1">
                    <span className="inline-flex items-center gap-1.5">
                      <ColumnMark head={segment} size={14} /> {segment.name}
                    </span>
                  </RowHead>
                  {row.map((value, at) => (
                    <td
                      key={at}
                      className={`px-2 text-right ${at === is ? "font-semibold" : ""}`}
                      style={{ background: shade(value, most, at === is) }}
                    >
                      {value === 0 ? "·" : count(value)}
                    </td>
                  ))}
                  <td className="pl-2 text-right text-quiet">{percent(row[is] ?? 0, whole, 0)}</td>
                </tr>
              );
            })}
          </tbody>
        </Table>
      </div>
    </section>
  );
}

function shade(value: number, most: number, right: boolean): string {
  if (right) return "color-mix(in srgb, var(--color-everyone) 30%, transparent)";
  const strength = (60 * value) / most;
  return `color-mix(in srgb, var(--color-below) ${strength.toFixed(0)}%, transparent)`;
}
