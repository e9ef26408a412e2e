import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, percent } from "@/charts/format";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { mark } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { useNotice } from "@/ui/notices";
import { Select } from "@/ui/select";

const SHARES = [
  ["0.02", "2 in 100"],
  ["0.03", "3 in 100"],
  ["0.04", "4 in 100"],
  ["0.05", "5 in 100"],
] as const;

/** The standing control: customers whom no campaign writes to. */
export function Standing({ standing }: { standing: Schemas["StandingBody"] | null }) {
  const { study, canChange, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const [share, setShare] = useState<(typeof SHARES)[number][0]>("0.03");
  const onError = (problem: Error) => say(problem.message, { trouble: true });
  const onSettled = () => askAnew(queries, study.id);
  const path = { params: { path: { study: study.id } } };
  const draw = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/campaigns/standing", {
          ...path,
          body: { share: Number(share) },
        }),
      ),
    onSuccess: (row) => say(`${count(row.customers)} are never written to from now on.`, { undo }),
    onError,
    onSettled,
  });
  const end = useMutation({
    mutationFn: (revision: number) =>
      data(
        api.DELETE("/api/studies/{study}/campaigns/standing", {
          ...path,
          headers: mark(revision),
        }),
      ),
    onSuccess: () => say("The standing control has ended.", { undo }),
    onError,
    onSettled,
  });
  return (
    <section
      className="flex flex-wrap items-center gap-2 px-1 text-12 text-quiet"
      aria-label="Standing control"
    >
      {standing ? (
        <>
          <p>
            Standing control: {count(standing.customers)} of {count(standing.of)} customers (
            {percent(standing.customers, standing.of)}) are never written to, since{" "}
            {day(standing.since.slice(0, 10))}. Newcomers are drawn by the same share.
          </p>
          {canChange && (
            <Button disabled={end.isPending} onClick={() => end.mutate(standing.revision)}>
              End it
            </Button>
          )}
        </>
      ) : (
        <>
          <p>
            No standing control: a few customers whom no campaign ever writes to show what all
            campaigns together come to.
          </p>
          {canChange && (
            <>
              <Select
                label="Share never written to"
                look="word"
                value={share}
                options={SHARES}
                onChange={setShare}
              />
              <Button disabled={draw.isPending} onClick={() => draw.mutate()}>
                Draw a standing control
              </Button>
            </>
          )}
        </>
      )}
    </section>
  );
}
