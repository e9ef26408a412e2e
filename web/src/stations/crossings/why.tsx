import { useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import { inUnit } from "@/charts/format";
import type { CellProps } from "@/stations/crossings/panel";
import { useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";
import { RowHead, Table } from "@/ui/table";

/** Why the customers of the picked crossing crossed: each measure's part in the change of distance. */
export function Why({ page, picked }: CellProps) {
  const { study, view } = useStudy();
  const why = useQuery({
    queryKey: ["study", study.id, "why", view, page.by, picked],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings/why", {
          params: {
            path: { study: study.id },
            query: { ...view, ...picked, by: page.by, hold: page.hold || undefined },
          },
          signal,
        }),
      ),
  });
  if (why.isPending) return <Waiting height={140} />;
  if (why.isError) return <Failed words={why.error.message} />;
  const found = why.data;
  const most = Math.max(0.01, ...found.rows.map((row) => Math.abs(row.share)));
  return (
    <div role="region" aria-label="Why">
      {found.words && <p className="text-12">{found.words}</p>}
      {found.rows.length > 0 && (
        <Table label="What changed, by measure" className="w-full">
          <tbody>
            {found.rows.map((row) => (
              <tr key={row.name} className="border-b border-line last:border-0">
                <RowHead className="py-1">{row.label}</RowHead>
                <td className="py-1 font-semibold whitespace-nowrap">
                  {row.before === null && row.after === null
                    ? ""
                    : `${inUnit(row.before, row.unit, study.currency)} ${found.kind === "stayers" ? "against" : "→"} ${inUnit(row.after, row.unit, study.currency)}`}
                </td>
                {found.kind !== "means" && (
                  <>
                    <td className="w-20 py-1">
                      <span className="block h-[6px] bg-line">
                        <span
                          className={`block h-full ${row.share < 0 ? "bg-below" : "bg-ink"}`}
                          style={{ width: `${(100 * Math.abs(row.share)) / most}%` }}
                        />
                      </span>
                    </td>
                    <td className="w-14 py-1 text-right">
                      {found.kind === "stayers"
                        ? `${row.share.toFixed(1).replace("-", "−")} SD`
                        : `${(100 * row.share).toFixed(0).replace("-", "−")}%`}
                    </td>
                  </>
                )}
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      <p className="mt-1.5 text-11 text-quiet">
        {found.kind === "shares"
          ? "Right: each measure’s part in the change of distance, together 100%; minus speaks against the move. It says what moved them, chance or not."
          : found.kind === "stayers"
            ? "Those who left against those who stayed, as they were before; right: how far apart, in standard deviations."
            : "Means of these customers before and after."}
        {found.border > 0 &&
          ` ${found.border.toLocaleString("en-GB")} of them are border moves: near another segment at both dates.`}
      </p>
    </div>
  );
}
