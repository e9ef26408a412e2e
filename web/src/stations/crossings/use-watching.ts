import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { mark } from "@/study/write-queue";
import { useNotice } from "@/ui/notices";

type NewWatch = Schemas["NewWatch"];
type Row = Schemas["WatchRow"];

/** What can be watched as it stands on the screen. */
export interface Subject {
  /** its name unless somebody gives it another. */
  name: string;
  /** How many it is about now. */
  customers: number | null;
  /** Whether chance is told of it. */
  told: boolean;
  body: Pick<NewWatch, "kind" | "dates" | "origin" | "target" | "pattern" | "clauses">;
}

/** Make, change and delete watches. */
export function useWatching() {
  const { study, view, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const onError = (problem: Error) => say(problem.message, { trouble: true });
  const onSettled = () => void askAnew(queries, study.id);
  const add = useMutation({
    mutationFn: (body: NewWatch) =>
      data(
        api.POST("/api/studies/{study}/watches", {
          params: { path: { study: study.id }, query: view },
          body,
        }),
      ),
    onSuccess: (row) => say(`${row.name} is watched.`, { undo }),
    onError,
    onSettled,
  });
  const change = useMutation({
    mutationFn: ({ row, body }: { row: Row; body: Schemas["WatchChange"] }) =>
      data(
        api.PUT("/api/studies/{study}/watches/{watch}", {
          params: { path: { study: study.id, watch: row.id } },
          headers: mark(row.revision),
          body,
        }),
      ),
    onSuccess: (row) => say(`${row.name} is changed.`, { undo }),
    onError,
    onSettled,
  });
  const drop = useMutation({
    mutationFn: (row: Row) =>
      data(
        api.DELETE("/api/studies/{study}/watches/{watch}", {
          params: { path: { study: study.id, watch: row.id } },
          headers: mark(row.revision),
        }),
      ),
    onSuccess: (_, row) => say(`${row.name} is no longer watched.`, { undo }),
    onError,
    onSettled,
  });
  return { add, change, drop };
}
