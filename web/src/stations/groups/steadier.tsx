import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Row } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

/** Would customers stand in the same group if the year happened again, and what would help. */
export function Steadier({ row }: { row: Row }) {
  const [open, setOpen] = useState(false);
  return (
    <section className="card p-3" aria-label="Steadiness">
      <h2 className="text-14">
        {row.k} groups, same again{row.same_again === null ? "?" : ` ${row.same_again.toFixed(2)}`}
      </h2>
      {row.same_again !== null && (
        <p className="mt-1 text-12 text-quiet">
          So many would stand in the same group had the year happened again with nothing changed.
          The others hop by chance.
        </p>
      )}
      {open ? (
        <Variants row={row} />
      ) : (
        <Button className="mt-2" onClick={() => setOpen(true)}>
          What would make them steadier?
        </Button>
      )}
    </section>
  );
}

function Variants({ row }: { row: Row }) {
  const { study } = useStudy();
  const steadier = useQuery({
    queryKey: ["study", study.id, "steadier", row.id],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/crossings/steadier/{grouping}", {
          params: { path: { study: study.id, grouping: row.id } },
          signal,
        }),
      ),
    refetchInterval: (query) => (query.state.data?.status.state === "working" ? 700 : false),
  });
  if (steadier.isPending) return <Waiting height={80} />;
  if (steadier.isError) return <Failed words={steadier.error.message} />;
  const { status, rows, own, luck, reliability, lacks } = steadier.data;
  if (lacks) return <p className="mt-1 text-12 text-quiet">{lacks}</p>;
  if (rows.length === 0) return <StatusBanner status={status} />;
  return (
    <>
      <Table label="Same again, by recipe" className="mt-1 w-full">
        <tbody>
          {rows.map((each, place) => (
            <tr key={each.words} className="border-t border-line">
              <RowHead strong={place === own} className="py-1 pr-2">
                {each.words}
              </RowHead>
              <td aria-hidden className="w-24">
                <span
                  className={`block h-[6px] ${place === own ? "bg-ink" : "bg-everyone"}`}
                  style={{ width: `${100 * each.same_again}%` }}
                />
              </td>
              <td
                className={`pl-2 text-right ${place === own ? "font-semibold" : ""}`}
                title={`${each.low.toFixed(2)} to ${each.high.toFixed(2)}`}
              >
                {each.same_again.toFixed(2)}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="mt-1.5 text-11 text-quiet">
        {luck && reliability !== null && (
          <>
            {luck} ranks {unit.many} alike by {reliability.value.toFixed(2)} in two years
            {reliability.mostly_luck &&
              `: mostly luck. As a description it serves, as a shaper it makes ${unit.many} hop`}
            .{" "}
          </>
        )}
        Each is grouped anew into {row.k} and tried on 20 draws of the same year.
      </p>
    </>
  );
}
