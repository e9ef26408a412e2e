import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { useNotice } from "@/ui/notices";

/** Plan a campaign for whom the lens shows; where it is known already, with what is offered. */
export function usePlan(onPlanned: (row: Schemas["CampaignRow"]) => void) {
  const { study, view, undo } = useStudy();
  const lens = useLens();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: (asked: { name: string; offer?: Record<string, string> }) =>
      data(
        api.POST("/api/studies/{study}/campaigns", {
          params: { path: { study: study.id }, query: view },
          body: { holdout: 0.2, clauses: lens.clauses, ...asked },
        }),
      ),
    onSuccess: (row) => {
      say(`Planned ${row.name}.`, { undo });
      onPlanned(row);
    },
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
}
