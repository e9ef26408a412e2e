import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite, latest, mark, remembered } from "@/study/write-queue";
import { useNotice } from "@/ui/notices";

export type Draft = Schemas["Draft"];
export type Page = Schemas["GroupsPage"];
export type Recipe = Schemas["RecipeBody"];
/** The recipe as it shall be, from what it is then. */
export type Change = (draft: Draft) => Draft;
export type Row = Schemas["CandidateRow"];

/** The station's page; `run`: the rows of something that was tried before. */
export function useGroups(run: string) {
  const { study, view } = useStudy();
  return useQuery({
    queryKey: ["study", study.id, "groups", view, run],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups", {
          params: {
            path: { study: study.id },
            query: { ...view, ...(run && { run }) },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** Everything that was tried and adopted. */
export function useKept() {
  const { study, view } = useStudy();
  return useQuery({
    queryKey: ["study", study.id, "kept groupings", view],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups/kept", {
          params: { path: { study: study.id }, query: view },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** After a change everything of the study is asked anew. */
export function useFresh() {
  const { study } = useStudy();
  const queries = useQueryClient();
  return () =>
    Promise.all([
      askAnew(queries, study.id),
      queries.invalidateQueries({ queryKey: ["pulse", study.id] }),
    ]);
}

/** What a mutation here has in common: trouble is said, and everything asked anew. */
export function useTold() {
  const say = useNotice();
  const fresh = useFresh();
  return {
    onError: (problem: Error) => say(problem.message, { trouble: true }),
    onSettled: fresh,
  };
}

/** Change the recipe, run it, adopt a candidate. */
export function useGroupActions(recipe: Recipe, inUse: number) {
  const queries = useQueryClient();
  const { study, view, undo } = useStudy();
  const say = useNotice();
  const told = useTold();
  const path = { path: { study: study.id } };
  const thing = `recipe ${study.id}`;
  const draft = useMutation({
    mutationFn: ({ change }: { change: Change; words?: string }) => {
      const body = change(latest(thing, recipe.revision, draftOf(recipe)));
      return remembered(
        thing,
        body,
        queueWrite(thing, recipe.revision, (headers) =>
          data(api.PUT("/api/studies/{study}/groups/recipe", { params: path, body, headers })),
        ),
      );
    },
    onSuccess: (_, { words }) => words && say(words, { undo }),
    ...told,
  });
  const run = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/groups/run", {
          params: { ...path, query: view },
        }),
      ),
    onError: told.onError,
    // Ask for this station only, so that the workers keep the machine to themselves.
    onSettled: () =>
      Promise.all([
        askAnew(queries, study.id, "groups"),
        queries.invalidateQueries({ queryKey: ["pulse", study.id] }),
      ]),
  });
  const adopt = useMutation({
    mutationFn: (grouping: number) =>
      data(
        api.POST("/api/studies/{study}/groups/adopt", {
          params: path,
          body: { grouping },
          headers: mark(inUse),
        }),
      ),
    onSuccess: (adopted) => {
      const kept = adopted.segments.filter((segment) => segment.carried).length;
      const words = kept
        ? `Adopted ${adopted.k} groups; ${kept} carry on earlier segments.`
        : `Adopted ${adopted.k} groups. They are named at Portraits.`;
      say(words, { undo });
    },
    ...told,
  });
  return { draft, run, adopt };
}

/** The picked columns of a recipe as a draft that can be changed. */
export function draftOf(recipe: Recipe): Draft {
  return {
    ...recipe.draft,
    numeric: recipe.numeric.filter((row) => row.picked).map((row) => row.name),
    categories: recipe.categories.filter((row) => row.picked).map((row) => row.name),
  };
}
