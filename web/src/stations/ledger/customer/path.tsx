import { useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { day, inUnit } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import { useStudy } from "@/study/context";

/** Which segments the customer stood in, and how likely it is that it has changed. */
export function Path({ customer }: { customer: number }) {
  const { study, view } = useStudy();
  const path = useQuery({
    queryKey: ["study", study.id, "customer", customer, "path", view],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/crossings/customer/{customer}", {
          params: { path: { study: study.id, customer }, query: view },
        }),
      ),
  });
  const stops = path.data?.stops ?? [];
  const last = stops.at(-1);
  if (!last) return null;
  const changed = path.data?.changed ?? null;
  return (
    <section className="card p-3" aria-label="Segments">
      <h2 className="text-14">Where it stands</h2>
      <ol className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
        {stops.map((stop, place) => (
          <li key={stop.to} className="flex items-center gap-1.5">
            {place > 0 && (
              <span aria-hidden className="mr-1.5 text-quiet">
                →
              </span>
            )}
            {stop.state.mark !== null && <SegmentMark mark={stop.state.mark} size={14} />}
            <span>{stop.state.name}</span>
            <span className="text-11 text-quiet">{day(stop.to)}</span>
          </li>
        ))}
      </ol>
      <p className="mt-1 text-12 text-quiet">
        {last.margin !== null &&
          `Margin ${last.margin.toFixed(2)}: 0 is on the border to the next segment, 1 at the own centre. `}
        {changed && <HasChanged row={changed} />}
      </p>
    </section>
  );
}

function HasChanged({ row }: { row: Schemas["ChangedRow"] }) {
  const { study } = useStudy();
  if (row.changed === null) return <>Whether it has changed cannot be told.</>;
  return (
    <>
      The chance that it has changed is {(100 * row.changed).toFixed(0)}%
      {row.label &&
        `; what moved most: ${row.label}, ${inUnit(row.before, row.unit, study.currency)} → ${inUnit(row.after, row.unit, study.currency)}`}
      .
    </>
  );
}
