import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { useEffect, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { useNotice } from "@/ui/notices";
import type { PickedLines, Step } from "@/stations/ledger/picked";

/** Milliseconds without a key before what is written is tried. */
const SETTLES = 250;

export function useLedger(preview: string, step: Step, around: number | null) {
  const { study: of, view } = useStudy();
  const study = of.id;
  return useQuery({
    queryKey: ["study", study, "ledger", preview, step, around, view],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/ledger", {
          params: {
            path: { study },
            query: {
              ...view,
              step,
              ...(preview && { preview }),
              ...(step === "day" && around !== null && { around }),
            },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useLines(study: number, picked: PickedLines, after: number) {
  return useQuery({
    queryKey: ["study", study, "lines", picked, after],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/ledger/lines", {
          params: {
            path: { study },
            query: {
              ...linesOf(picked),
              after,
            },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** Picked lines as an address tells them. */
export function linesOf({ first, last, rule, by, number }: PickedLines) {
  return {
    ...(first !== null && { first }),
    ...(last !== null && { last }),
    ...(by && { by, number }),
    rule,
  };
}

/**
 * What a rule would set aside, a moment after it was last written on; nothing while it says
 * nothing, or waits: while it is kept the lines are ordered anew, and there are none to try it on.
 */
export function useTriedRule(body: Schemas["OwnBody"], waits: boolean) {
  const { study } = useStudy();
  const [settled, setSettled] = useState(body);
  const written = JSON.stringify({ ...body, name: "" });
  useEffect(() => {
    const timer = window.setTimeout(() => {
      setSettled(JSON.parse(written) as Schemas["OwnBody"]);
    }, SETTLES);
    return () => window.clearTimeout(timer);
  }, [written]);
  const { words = [], low, high, first, last } = settled;
  return useQuery({
    queryKey: ["study", study.id, "ledger", "tried", settled],
    queryFn: ({ signal }) =>
      data(
        api.POST("/api/studies/{study}/ledger/own/try", {
          params: { path: { study: study.id } },
          body: settled,
          signal,
        }),
      ),
    enabled:
      !waits &&
      (words.some((word) => word.trim() !== "") ||
        (low ?? high ?? null) !== null ||
        Boolean(first) ||
        Boolean(last)),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

/**
 * A change of the Ledger: it says what it did, offers to take it back, and asks all anew. It is
 * pending until the new figures are here; `taken` is called before, as soon as the change is made:
 * a card closes then, and not over a page that somebody has begun to read.
 */
export function useLedgerChange<T>(
  change: (input: T) => Promise<unknown>,
  words?: (input: T) => string,
  taken?: () => void,
) {
  const { study, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: change,
    scope: { id: "ledger" }, // one after the other, in the order in which they were asked for
    onSuccess: async (_, input) => {
      if (words) say(words(input), { undo });
      taken?.();
      await Promise.all([
        askAnew(queries, study.id),
        queries.invalidateQueries({ queryKey: ["pulse", study.id] }),
      ]);
    },
    onError: (problem) => {
      say(problem.message, { trouble: true });
      void askAnew(queries, study.id);
    },
  });
}
