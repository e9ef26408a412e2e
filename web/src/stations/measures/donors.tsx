import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { inUnit } from "@/charts/format";
import type { Thread } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { CustomerLink } from "@/study/customer-link";
import { RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

/** For one customer without a value: who would give it, how near they are, and what comes out. */
export function Donors({ thread, found }: { thread: Thread; found: Schemas["MeasureDetail"] }) {
  const { study } = useStudy();
  const view = useRows();
  const [place, setPlace] = useState(0);
  const who = found.lacking[place % Math.max(1, found.lacking.length)];
  const fill = useQuery({
    queryKey: ["study", study.id, "fill", thread.name, who?.number, view],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/measure/{name}/fill/{customer}", {
          params: {
            path: { study: study.id, name: thread.name, customer: who?.number ?? 0 },
            query: view,
          },
        }),
      ),
    enabled: !!who,
  });
  if (!who) return null;
  if (fill.isError) return <p className="mt-1 text-11 text-alarm">{fill.error.message}</p>;
  if (!fill.data)
    return <p className="mt-1 text-11 text-quiet">Finding the nearest {unit.many} …</p>;
  const words = (value: number | null) => inUnit(value, thread.unit, study.currency);
  return (
    <div className="mt-1 rounded-md border border-line bg-card p-2 text-11">
      <p>
        <CustomerLink number={who.number}>{fill.data.name}</CustomerLink> would get{" "}
        <b className="font-semibold">{words(fill.data.value)}</b>, the mean of
      </p>
      <Table label={`${unit.Many} whose values stood in`} className="mt-1 w-full">
        <tbody>
          {fill.data.donors.map((donor) => (
            <tr key={donor.number}>
              <RowHead>
                <CustomerLink number={donor.number}>{donor.name}</CustomerLink>
              </RowHead>
              <td className="text-quiet">away {donor.distance.toFixed(3)}</td>
              <td className="text-right">{words(donor.value)}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="mt-1 text-quiet" title={fill.data.by.join(", ")}>
        Nearest by Gower&rsquo;s distance over {fill.data.by.length} measures and traits.
      </p>
      {found.lacking.length > 1 && (
        <button type="button" className="mt-1 underline" onClick={() => setPlace(place + 1)}>
          Another {unit.one}
        </button>
      )}
    </div>
  );
}
