import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { inTurn } from "@/study/in-turn";
import { useNotice } from "@/ui/notices";

export type Draft = Schemas["Draft"];

export function useGroups() {
  const { study, view } = useStudy();
  return useQuery({
    queryKey: ["study", study.id, "groups", view],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups", {
          params: { path: { study: study.id }, query: view as never },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** What can be done at Groups; after each, everything is asked anew. */
export function useGroupActions(revision: number) {
  const { study, view, takeBack } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const fresh = () =>
    Promise.all([
      queries.invalidateQueries({ queryKey: ["study", study.id] }),
      queries.invalidateQueries({ queryKey: ["pulse", study.id] }),
    ]);
  const trouble = (problem: Error) => say(problem.message, { trouble: true });
  const path = { params: { path: { study: study.id } } };
  const draft = useMutation({
    mutationFn: (body: Draft) =>
      inTurn(`recipe ${study.id}`, revision, (headers) =>
        data(api.PUT("/api/studies/{study}/groups/recipe", { ...path, body, headers })),
      ),
    onError: trouble,
    onSettled: fresh,
  });
  const run = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/groups/run", {
          params: { ...path.params, query: view as never },
        }),
      ),
    onError: trouble,
    onSettled: fresh,
  });
  const adopt = useMutation({
    mutationFn: (candidate: Schemas["CandidateRow"]) =>
      data(
        api.POST("/api/studies/{study}/groups/adopt", {
          ...path,
          body: { grouping: candidate.id },
        }),
      ),
    onSuccess: (adopted) =>
      say(`Adopted ${adopted.k} groups. They are named at Portraits.`, { undo: takeBack }),
    onError: trouble,
    onSettled: fresh,
  });
  return { draft, run, adopt };
}
