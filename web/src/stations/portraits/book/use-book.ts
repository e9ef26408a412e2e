import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite } from "@/study/write-queue";
import { useNotice } from "@/ui/notices";

export type Page = Schemas["BookPage"];
export type Part = Schemas["PartBody"];
export type Sentence = Schemas["SentenceBody"];
export type Figure = Schemas["FigureOption"];
export type Change = Partial<Schemas["BookChange"]>;

export function useBook() {
  return useStation("book", ({ study, query, signal }) =>
    data(
      api.GET("/api/studies/{study}/portraits/book", {
        params: { path: { study }, query },
        signal,
      }),
    ),
  );
}

/** What is written is confirmed by the server's own page. */
function useWriting() {
  const { study, view, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return {
    study: study.id,
    view,
    settled: {
      onError: (problem: Error) => say(problem.message, { trouble: true }),
      onSettled: () => askAnew(queries, study.id),
    },
    said: (words: string) => say(words, { undo }),
  };
}

/** Write the book, for the first time or anew. */
export function useWrite() {
  const { study, view, settled, said } = useWriting();
  return useMutation({
    mutationFn: (revision: number) =>
      queueWrite(`book ${study}`, revision, (headers) =>
        data(
          api.POST("/api/studies/{study}/portraits/book", {
            params: { path: { study }, query: view },
            headers,
          }),
        ),
      ),
    onSuccess: () => said("The book is written."),
    ...settled,
  });
}

const UNCHANGED = {
  part: "",
  text: null,
  anew: false,
  settle: null,
  sentence: null,
  order: null,
  left_out: null,
};

/** Change one thing of the book. */
export function useChange() {
  const { study, view, settled, said } = useWriting();
  return useMutation({
    mutationFn: ({ page, change }: { page: Page; change: Change }) =>
      queueWrite(`book ${study}`, page.revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/portraits/book", {
            params: { path: { study }, query: view },
            body: { ...UNCHANGED, ...change },
            headers,
          }),
        ),
      ),
    onSuccess: () => said("The book is changed."),
    ...settled,
  });
}

/** Figures that a text of a page can hold, asked for when a list of them is opened. */
export function useFigures(page: string, wanted: boolean) {
  const { study, view } = useStudy();
  return useQuery({
    queryKey: ["study", study.id, "book figures", page, view],
    enabled: wanted,
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/book/figures", {
          params: { path: { study: study.id }, query: { ...view, page } },
          signal,
        }),
      ),
  });
}
