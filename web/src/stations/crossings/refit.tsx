import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, percent } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { StatusBanner } from "@/study/status-banner";
import { mark } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { useNotice } from "@/ui/notices";
import { Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";

type Page = Schemas["RefitPage"];

/** The same recipe on the other window, beside the segments in use. */
export function Refit({ to }: { to: string }) {
  const [asked, setAsked] = useState(false);
  return (
    <section className="card min-w-0 p-3" aria-label="Refit">
      <h2 className="text-14">What would the same recipe find on {day(to)}?</h2>
      {asked ? (
        <Compared />
      ) : (
        <>
          <p className="mt-1 text-12 text-quiet">
            The customers of that window are grouped anew into as many groups, and each new group is
            matched to the segment that it shares most customers with. Nothing changes by that.
          </p>
          <Button className="mt-2" onClick={() => setAsked(true)}>
            Group anew and compare
          </Button>
        </>
      )}
    </section>
  );
}

function Compared() {
  const refit = useStation("refit", ({ study, query, signal }) =>
    data(
      api.GET("/api/studies/{study}/crossings/refit", {
        params: { path: { study }, query },
        signal,
      }),
    ),
  );
  if (refit.isPending) return <Waiting height={120} />;
  if (refit.isError) return <Failed words={refit.error.message} />;
  const page = refit.data;
  if (page.lacks) return <p className="mt-1 text-12 text-quiet">{page.lacks}</p>;
  if (page.rows.length === 0) return <StatusBanner status={page.status} />;
  const vanished = page.rows.filter((row) => row.group === null).length;
  const fresh = page.rows.filter((row) => row.segment === null).length;
  return (
    <>
      <p className="mt-1">
        They are {page.likeness}:{" "}
        <b className="font-semibold">
          {percent(page.agree, page.customers, 0)} of {count(page.customers)} customers
        </b>{" "}
        would stay with their segment (adjusted Rand index {page.rand.toFixed(2)}).{" "}
        {vanished > 0 && `${vanished === 1 ? "One segment finds" : `${vanished} find`} no heir. `}
        {fresh > 0 && `${fresh === 1 ? "One group is" : `${fresh} groups are`} new.`}
      </p>
      <Table label="Segments and new groups" className="mt-1 w-full">
        <thead>
          <tr className="text-11 text-quiet">
            <Column>segment in use</Column>
            <Column figures>customers</Column>
            <Column className="pl-4">carried on by</Column>
            <Column figures>customers</Column>
            <Column figures className="pl-3">
              in both
            </Column>
          </tr>
        </thead>
        <tbody>
          {page.rows.map((row) => (
            <Match key={`${row.segment}:${row.group}`} page={page} row={row} />
          ))}
        </tbody>
      </Table>
      <Adopt page={page} />
    </>
  );
}

function Match({ page, row }: { page: Page; row: Schemas["Matched"] }) {
  const state = row.segment === null ? undefined : page.states[row.segment];
  return (
    <tr className="border-t border-line">
      <RowHead className="py-1">
        {state ? (
          <span className="inline-flex items-center gap-1.5">
            <SegmentMark mark={state.mark ?? 0} size={14} />
            {state.name}
          </span>
        ) : (
          <span className="text-quiet">–</span>
        )}
      </RowHead>
      <td className="text-right">{state ? count(row.before) : ""}</td>
      <td className="pl-4">
        {row.group === null ? (
          <span className="text-below">no new group: it vanishes</span>
        ) : state ? (
          `new group ${row.group + 1}`
        ) : (
          <span className="text-above">new group {row.group + 1}, which is new</span>
        )}
      </td>
      <td className="text-right">{row.group === null ? "" : count(row.now)}</td>
      <td className="pl-3 text-right">{state && row.group !== null ? count(row.both) : ""}</td>
    </tr>
  );
}

/** Take the new groups for the old ones, identities carried over; only of a newer window. */
function Adopt({ page }: { page: Page }) {
  const { study, canChange, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const adopt = useMutation({
    mutationFn: (grouping: number) =>
      data(
        api.POST("/api/studies/{study}/groups/adopt", {
          params: { path: { study: study.id } },
          body: { grouping },
          headers: mark(page.in_use),
        }),
      ),
    onSuccess: (adopted) =>
      say(
        `Adopted ${adopted.k} groups; ${adopted.segments.filter((each) => each.carried).length} carry on earlier segments.`,
        { undo },
      ),
    onError: (problem: Error) => say(problem.message, { trouble: true }),
    onSettled: () => void askAnew(queries, study.id),
  });
  const { grouping } = page;
  if (page.older)
    return (
      <p className="mt-2 text-11 text-quiet">
        This window is older than the one that the segments were adopted on ({day(page.home)}), so
        it is for comparing. With a later one in view, its groups can be adopted here.
      </p>
    );
  if (!canChange || grouping === null) return null;
  return (
    <div className="mt-2 flex items-center gap-3">
      <Button disabled={adopt.isPending} onClick={() => adopt.mutate(grouping)}>
        Adopt the new groups
      </Button>
      <p className="text-11 text-quiet">
        Names, marks and notes go over to the groups that carry segments on. Watches speak of the
        segments in use, and rest then.
      </p>
    </div>
  );
}
