import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite, mark } from "@/study/write-queue";
import { useNotice } from "@/ui/notices";
import { useElsewhere } from "@/study/address";

export type Thread = Schemas["Thread"];
export type Page = Schemas["MeasuresPage"];

export interface Choice {
  role?: string;
  steps?: Schemas["StepsBody"];
  proposed?: boolean;
}

function wordsOf(choice: Choice): string {
  if (choice.proposed) return "is prepared as proposed";
  if (choice.steps) return "is prepared differently";
  return choice.role === "out" ? "is left out" : `${choice.role} the groups`;
}

/** Choose a measure's role or preparation; undoable. */
export function useChoice(revision: number) {
  const { study, undo } = useStudy();
  const view = useRows();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: ({ thread, choice }: { thread: Thread; choice: Choice }) =>
      queueWrite(`plan ${study.id}`, revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/measure/{name}", {
            params: { path: { study: study.id, name: thread.name }, query: view },
            body: {
              role: choice.role ?? null,
              steps: choice.steps ?? null,
              proposed: choice.proposed ?? false,
            },
            headers,
          }),
        ),
      ),
    onSuccess: (_, { thread, choice }) => say(`${thread.label} ${wordsOf(choice)}.`, { undo }),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
}

/** Prepare every measure at once, by a preset or by what was kept under a name. */
export function useWhole(revision: number) {
  const { study, undo } = useStudy();
  const view = useRows();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: (choice: { preset?: string; kept?: string; keep_as?: string; words: string }) =>
      queueWrite(`plan ${study.id}`, revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/measures", {
            params: { path: { study: study.id }, query: view },
            body: {
              preset: choice.preset ?? "",
              kept: choice.kept ?? "",
              keep_as: choice.keep_as ?? "",
            },
            headers,
          }),
        ),
      ),
    onSuccess: (_, choice) => say(choice.words, { undo }),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
}

/** Go on to Groups with just these measures: its recipe follows what is chosen here. */
export function useUse() {
  const { study } = useStudy();
  const view = useRows();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const search = useElsewhere();
  const say = useNotice();
  return useMutation({
    mutationFn: async () => {
      const path = { study: study.id };
      const page = await data(
        api.GET("/api/studies/{study}/groups", { params: { path, query: view } }),
      );
      const recipe = page.recipe;
      if (!recipe) return;
      await data(
        api.PUT("/api/studies/{study}/groups/recipe", {
          params: { path },
          body: { ...recipe.draft, numeric: null, categories: null },
          headers: mark(recipe.revision),
        }),
      );
    },
    onSuccess: async () => {
      await askAnew(queries, study.id);
      await navigate({ pathname: `/study/${study.id}/groups`, search });
    },
    onError: (problem) => say(problem.message, { trouble: true }),
  });
}
