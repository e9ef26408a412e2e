import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { mark } from "@/study/write-queue";
import { useNotice } from "@/ui/notices";
import { Select } from "@/ui/select";

/** Which kept list holds those who asked not to be written to. */
export function DoNotContact({ list }: { list: Schemas["DoNotContact"] }) {
  const { study, canChange, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const choose = useMutation({
    mutationFn: (kept: number | null) =>
      data(
        api.PUT("/api/studies/{study}/campaigns/do-not-contact", {
          params: { path: { study: study.id } },
          body: { kept },
          headers: mark(list.revision),
        }),
      ),
    onSuccess: (next) =>
      say(
        next.kept === null
          ? "No list keeps customers from mail now."
          : `${count(next.customers)} on the list are never written to.`,
        { undo },
      ),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
  if (list.lists.length === 0)
    return (
      <p className="px-1 text-12 text-quiet">
        No do-not-contact list: keep those who asked not to be written to as a list with the lens,
        then choose it here.
      </p>
    );
  return (
    <label className="flex items-center gap-2 px-1 text-12 text-quiet">
      Do-not-contact list
      <Select
        look="word"
        value={String(list.kept ?? "")}
        disabled={!canChange || choose.isPending}
        options={[["", "none"], ...list.lists.map((each) => [String(each.id), each.name] as const)]}
        onChange={(kept) => choose.mutate(kept ? Number(kept) : null)}
      />
      {list.kept !== null && `${count(list.customers)} customers are never written to.`}
    </label>
  );
}
