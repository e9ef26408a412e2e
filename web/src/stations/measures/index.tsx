import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, money } from "@/charts/format";
import { ThreadRow } from "@/stations/measures/thread-row";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { inTurn } from "@/study/in-turn";
import { Stale, Standing } from "@/study/standing";
import { Head } from "@/ui/head";
import { useNotice } from "@/ui/notices";
import { Empty, Failed, Waiting } from "@/ui/status";

/** Measures: one thread a measure, everyone's shape and the same after its preparation. */
export function Measures() {
  const { study, window } = useStudy();
  const { search } = useLocation();
  const [open, setOpen] = useState("");
  const page = useStation(
    "measures",
    ({ study: id, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/measures", {
          params: { path: { study: id }, query },
          signal,
        }),
      ),
    true,
  );
  const choose = useChoice(page.data?.plan_revision ?? 0);
  if (page.isPending) return <Waiting />;
  if (page.isError) return <Failed words={page.error.message} />;
  const { status, threads, reconciliation } = page.data;
  const used = threads.filter((thread) => thread.role === "shapes").length;
  const cash = (value: number) => money(value, study.scale, study.currency, false);
  return (
    <div className="grid gap-3">
      <Head
        title="Measures"
        words={
          window && threads.length
            ? `${count(page.data.with_purchase)} of ${count(page.data.customers)} customers bought in the window up to and including ${day(window.to)}. ${used} measures shape the groups.`
            : "What each customer did within the window, as figures one can defend."
        }
      />
      {status.state === "empty" && (
        <Empty
          title="Measures come from a log"
          action={
            <Link
              className="text-copper underline"
              to={{ pathname: "../ledger", search }}
              relative="path"
            >
              Go to the Ledger
            </Link>
          }
        >
          Here each measure will lie on a thread of its own: days since the last visit, visits,
          spend and more, with everyone&rsquo;s shape, the middle half and the proposed preparation.
        </Empty>
      )}
      <Standing status={status} />
      <Stale status={status}>
        {threads.length > 0 && (
          <section className="card overflow-hidden" aria-label="Threads">
            <div className="grid grid-cols-[190px_minmax(220px,1fr)_minmax(120px,170px)_92px_104px] items-end gap-3 border-b border-line px-3 py-2 text-11 text-quiet">
              <span className="text-13 font-semibold text-ink">Measure</span>
              <span>
                <b className="font-semibold text-ink">On its own scale</b>
                <br />
                thick: the middle half, line: the median
              </span>
              <span>
                <b className="font-semibold text-ink">As prepared</b>
                <br />
                what groups will see
              </span>
              <span className="text-right">missing, zero</span>
              <span>role</span>
            </div>
            {threads.map((thread) => (
              <ThreadRow
                key={thread.name}
                thread={thread}
                open={open === thread.name}
                onOpen={() => setOpen(open === thread.name ? "" : thread.name)}
                onChoose={(choice) => choose.mutate({ thread, choice })}
              />
            ))}
          </section>
        )}
        {reconciliation && threads.length > 0 && (
          <p className="px-1 text-12 text-quiet">
            The window&rsquo;s ledger, {cash(reconciliation.ledger)}, is{" "}
            {cash(reconciliation.table)} in this table, {cash(reconciliation.without_purchase)} of
            customers without a purchase, and {cash(reconciliation.without_customer)} of lines
            without a customer.
          </p>
        )}
      </Stale>
    </div>
  );
}

export type Choice = { role?: string; steps?: Schemas["StepsBody"] };

function useChoice(revision: number) {
  const { study, view, takeBack } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: ({ thread, choice }: { thread: Schemas["Thread"]; choice: Choice }) =>
      inTurn(`plan ${study.id}`, revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/measures/{name}", {
            params: { path: { study: study.id, name: thread.name }, query: view as never },
            body: { role: choice.role ?? null, steps: choice.steps ?? null },
            headers,
          }),
        ),
      ),
    onSuccess: (_, { thread, choice }) => {
      const words = choice.steps
        ? "is prepared otherwise"
        : choice.role === "out"
          ? "is left out"
          : `${choice.role} the groups`;
      say(`${thread.label} ${words}.`, { undo: takeBack });
    },
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => queries.invalidateQueries({ queryKey: ["study", study.id] }),
  });
}
