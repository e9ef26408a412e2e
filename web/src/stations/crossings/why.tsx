import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, inUnit } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import type { PickedCrossing } from "@/stations/crossings";
import { useMoney, useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";
import { RowHead, Table } from "@/ui/table";
import { useQuery } from "@tanstack/react-query";

/** Why the customers of the picked crossing crossed: each measure's part in the change of distance. */
export function Why({ page, picked }: { page: Schemas["CrossingsPage"]; picked: PickedCrossing }) {
  const { study, view } = useStudy();
  const why = useQuery({
    queryKey: ["study", study.id, "why", view, page.by, picked],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings/why", {
          params: { path: { study: study.id }, query: { ...view, ...picked, by: page.by } },
          signal,
        }),
      ),
  });
  const from = page.states[picked.origin];
  const to = page.states[picked.target];
  const inMoney = useMoney("short");
  if (why.isPending) return <Waiting height={180} />;
  if (why.isError) return <Failed words={why.error.message} />;
  const found = why.data;
  const most = Math.max(0.01, ...found.rows.map((row) => Math.abs(row.share)));
  const word =
    picked.origin === picked.target
      ? "stayed"
      : to?.name === "left"
        ? "left"
        : from?.name === "left"
          ? "came back"
          : from?.name === "not yet"
            ? "are new"
            : "crossed";
  return (
    <section className="card p-3" aria-label="Why">
      <h2 className="flex items-center gap-1.5 text-14">
        {from?.mark !== null && <SegmentMark mark={from?.mark ?? 0} size={14} />} {from?.short} →{" "}
        {to?.mark !== null && <SegmentMark mark={to?.mark ?? 0} size={14} />} {to?.short}
      </h2>
      <p className="mt-1">
        {found.customers === 0 ? (
          "Nobody crossed here."
        ) : (
          <>
            <b className="font-semibold">{count(found.customers)} customers</b> {word},{" "}
            {inMoney(found.money_before)} in the window before and {inMoney(found.money_after)} now.
            {found.border > 0 && ` ${count(found.border)} of them are border moves.`}
            {found.words && ` ${found.words}`}
          </>
        )}
      </p>
      {found.rows.length > 0 && (
        <Table label="What changed, by measure" className="mt-2 w-full">
          <tbody>
            {found.rows.map((row) => (
              <tr key={row.name} className="border-t border-line">
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
          ? "Right: each measure's part in the change of distance, together 100%; minus speaks against the move."
          : found.kind === "stayers"
            ? "Those who left against those who stayed, as they were before; right: how far apart, in standard deviations."
            : "Means of these customers before and after."}
      </p>
    </section>
  );
}
