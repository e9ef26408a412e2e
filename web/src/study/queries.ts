import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { QueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useNotice } from "@/ui/notices";

type Job = Schemas["JobRow"];

export interface View {
  to?: string;
  back?: string;
}

export function useSession() {
  return useQuery({ queryKey: ["session"], queryFn: () => data(api.GET("/api/session")) });
}

export function useStudies() {
  return useQuery({ queryKey: ["studies"], queryFn: () => data(api.GET("/api/studies")) });
}

export function useTrail(study: number, view: View) {
  return useQuery({
    queryKey: ["study", study, "trail", view],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/trail", {
          params: { path: { study }, query: view },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** Ask all of a study anew, or one part of it. What is on its way is stopped first: where a page is
 * asked for the first time its answer would be taken for a current one, even from before a change. */
export async function askAnew(queries: QueryClient, study: number, ...part: string[]) {
  const queryKey = ["study", study, ...part];
  await queries.cancelQueries({ queryKey });
  await queries.invalidateQueries({ queryKey });
}

/** Customers of the lens and what a recipe is made of do not change while a job gets on. */
const SETTLED = ["lens", "fields", "balance", "populations"];

/** Look again at a study's pages while a job gets on: what they show is not out of date, there may
 * be more of it. An answer that is on its way is waited for: it would never come where the server
 * takes longer than the time between two looks. */
export function lookAgain(queries: QueryClient, study: number, settled = SETTLED) {
  const queryKey = ["study", study];
  void queries.invalidateQueries({ queryKey, type: "inactive", refetchType: "none" });
  return queries.refetchQueries(
    {
      queryKey,
      type: "active",
      predicate: ({ queryKey: [, , key] }) => !settled.includes(String(key)),
    },
    { cancelRefetch: false },
  );
}

/** What somebody else changed is seen within two seconds, its answer included. */
const QUIET = 1000;
const SLOW = 2000;
const QUICK = 300;
/** A job's first results are waited for with the eyes on the screen. */
const AT_FIRST = 100;
const FIRST_SECONDS = 3;

type Pulse = Schemas["Pulse"];

function pulseOf(study: number) {
  return {
    queryKey: ["pulse", study],
    queryFn: () => data(api.GET("/api/studies/{study}/pulse", { params: { path: { study } } })),
    staleTime: 0,
  };
}

/** What a pulse says to do: ask all anew, look again, or look at what a job has just kept. */
export type Beat = "outdated" | "more" | "kept" | "nothing";

/** What changed between two pulses. A change of the study or a job that ended outdates answers,
 * also those on their way; what a job keeps as it goes adds to them. */
export function beat(before: Pulse, now: Pulse, sinceLook: number): Beat {
  const open = new Set(now.jobs.map((job) => job.id));
  const had = new Map(before.jobs.map((job) => [job.id, job.kept]));
  if (before.revision !== now.revision || before.jobs.some((job) => !open.has(job.id)))
    return "outdated";
  if (now.jobs.some((job) => job.kept > (had.get(job.id) ?? 0))) return "kept";
  return before.jobs.length > 0 && sinceLook >= SLOW ? "more" : "nothing";
}

/** One poll per screen; what is shown is asked anew as its beats say. */
export function usePulse(study: number) {
  const queries = useQueryClient();
  const seen = useRef<{ pulse: Pulse; looked: number; began: number } | null>(null);
  const pulse = useQuery({
    ...pulseOf(study),
    refetchInterval: (query) => {
      if (!query.state.data?.jobs.length) return QUIET;
      const seconds = (Date.now() - (seen.current?.began ?? 0)) / 1000;
      return seconds < FIRST_SECONDS ? AT_FIRST : QUICK;
    },
  });
  const now = pulse.data;
  useEffect(() => {
    if (!now) return;
    const time = Date.now();
    const last = seen.current;
    const known = new Set(last?.pulse.jobs.map((job) => job.id));
    const fresh = now.jobs.some((job) => !known.has(job.id));
    const began = fresh ? time : (last?.began ?? time);
    seen.current = { pulse: now, looked: fresh ? time : (last?.looked ?? time), began };
    if (!last) return;
    const found = beat(last.pulse, now, time - last.looked);
    if (found === "nothing") return;
    seen.current.looked = time;
    if (found === "outdated") void askAnew(queries, study);
    else void lookAgain(queries, study, found === "kept" ? [...SETTLED, "trail"] : SETTLED);
  }, [now, pulse.dataUpdatedAt, queries, study]);
  return pulse;
}

/** A job as the last pulse has it: how far it is changes more often than a page is asked for. */
export function useNewest(study: number, job: Job | null | undefined): Job | null {
  const { data: pulse } = useQuery({ ...pulseOf(study), enabled: false });
  return pulse?.jobs.find((each) => each.id === job?.id) ?? job ?? null;
}

/** Stop a job, or do again what was stopped or failed. */
export function useJobActions(study: number) {
  const queries = useQueryClient();
  const say = useNotice();
  const onSuccess = () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ["pulse", study] }),
      askAnew(queries, study),
    ]);
  const onError = (problem: Error) => say(problem.message, { trouble: true });
  const at = (job: number) => ({ params: { path: { study, job } } });
  const cancel = useMutation({
    mutationFn: (job: number) => data(api.POST("/api/studies/{study}/jobs/{job}/cancel", at(job))),
    onSuccess,
    onError,
  });
  const again = useMutation({
    mutationFn: (job: number) => data(api.POST("/api/studies/{study}/jobs/{job}/again", at(job))),
    onSuccess,
    onError,
  });
  return { cancel, again };
}

/** Undo and redo: `z` and Shift+`z`. */
export function useHistorySteps(study: number) {
  const queries = useQueryClient();
  const say = useNotice();
  const fresh = () =>
    Promise.all([
      askAnew(queries, study),
      queries.invalidateQueries({ queryKey: ["pulse", study] }),
    ]);
  const path = { params: { path: { study } } };
  const undo = useMutation({
    mutationFn: () => data(api.POST("/api/studies/{study}/history/undo", path)),
    onSuccess: async (step) => {
      say(`Undone: ${step.words}`);
      await fresh();
    },
    onError: (problem) => say(problem.message, { trouble: true }),
  });
  const redo = useMutation({
    mutationFn: () => data(api.POST("/api/studies/{study}/history/redo", path)),
    onSuccess: async (step) => {
      say(`Redone: ${step.words}`);
      await fresh();
    },
    onError: (problem) => say(problem.message, { trouble: true }),
  });
  return { undo: () => undo.mutate(), redo: () => redo.mutate() };
}
