import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { QueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";

import { api, data } from "@/api/client";
import { useNotice } from "@/ui/notices";

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
          params: { path: { study }, query: view as never },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** Customers of the lens and what a recipe is made of do not change while a job gets on. */
const SETTLED = ["lens", "fields", "balance", "populations"];

/** Look again at a study's pages while a job gets on: what they show is not out of date, there may
 * be more of it. An answer that is on its way is waited for: it would never come where the server
 * takes longer than the time between two looks. */
export function lookAgain(queries: QueryClient, study: number) {
  const queryKey = ["study", study];
  void queries.invalidateQueries({ queryKey, type: "inactive", refetchType: "none" });
  return queries.refetchQueries(
    {
      queryKey,
      type: "active",
      predicate: ({ queryKey: [, , key] }) => !SETTLED.includes(`${key}`),
    },
    { cancelRefetch: false },
  );
}

const SLOW = 2000;
const QUICK = 500;

/** One poll a screen. When the study's revision moves, or a job ends, what is shown is asked anew. */
export function usePulse(study: number) {
  const queries = useQueryClient();
  const seen = useRef<{ revision: number; jobs: string } | null>(null);
  const pulse = useQuery({
    queryKey: ["pulse", study],
    queryFn: () => data(api.GET("/api/studies/{study}/pulse", { params: { path: { study } } })),
    refetchInterval: (query) => ((query.state.data?.jobs.length ?? 0) > 0 ? QUICK : SLOW),
    staleTime: 0,
  });
  const revision = pulse.data?.revision;
  const jobs = pulse.data?.jobs.map((job) => job.id).join() ?? "";
  useEffect(() => {
    if (revision === undefined) return;
    const before = seen.current;
    seen.current = { revision, jobs };
    if (!before) return;
    const now = jobs.split(",");
    const ended = before.jobs !== "" && before.jobs.split(",").some((job) => !now.includes(job));
    // A change of the study, or a job that ended, outdates answers on their way; progress does not.
    if (before.revision !== revision || ended)
      void queries.invalidateQueries({ queryKey: ["study", study] });
    else if (jobs) void lookAgain(queries, study);
  }, [revision, jobs, pulse.dataUpdatedAt, queries, study]);
  return pulse;
}

/** Stop a job, or do again what was stopped or failed. */
export function useJobActions(study: number) {
  const queries = useQueryClient();
  const say = useNotice();
  const onSuccess = () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ["pulse", study] }),
      queries.invalidateQueries({ queryKey: ["study", study] }),
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

/** Take back and bring back: `z` and Shift+`z`. */
export function useHistorySteps(study: number) {
  const queries = useQueryClient();
  const say = useNotice();
  const fresh = () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ["study", study] }),
      queries.invalidateQueries({ queryKey: ["pulse", study] }),
    ]);
  const path = { params: { path: { study } } };
  const takeBack = useMutation({
    mutationFn: () => data(api.POST("/api/studies/{study}/history/take-back", path)),
    onSuccess: async (step) => {
      say(`Taken back: ${step.words}`);
      await fresh();
    },
    onError: (problem) => say(problem.message, { trouble: true }),
  });
  const bringBack = useMutation({
    mutationFn: () => data(api.POST("/api/studies/{study}/history/bring-back", path)),
    onSuccess: async (step) => {
      say(`Brought back: ${step.words}`);
      await fresh();
    },
    onError: (problem) => say(problem.message, { trouble: true }),
  });
  return { takeBack: () => takeBack.mutate(), bringBack: () => bringBack.mutate() };
}
