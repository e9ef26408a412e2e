import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite } from "@/study/write-queue";
import { useNotice } from "@/ui/notices";

type Page = Schemas["PortraitsPage"];
type Segment = Schemas["SegmentHead"];
export type SegmentBody = Partial<
  Pick<Schemas["SegmentChange"], "name" | "short" | "notes" | "mark" | "owner">
>;

const UNCHANGED = { name: null, short: null, notes: null, mark: null, owner: null };

/** Change a segment. A new name stands on the page at once; the server's answer confirms it. */
export function useSegmentChange() {
  const { study, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const pages = { queryKey: ["study", study.id, "portraits"] };
  return useMutation({
    mutationFn: ({ segment, body }: { segment: Segment; body: SegmentBody }) =>
      queueWrite(`segment ${segment.id}`, segment.revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/portraits/segments/{segment}", {
            params: { path: { study: study.id, segment: segment.id } },
            body: { ...UNCHANGED, ...body },
            headers,
          }),
        ),
      ),
    onMutate: ({ segment, body }) => {
      const { name } = body;
      if (name) queries.setQueriesData<Page>(pages, (page) => page && renamed(page, segment, name));
    },
    onSuccess: (now, { segment, body }) =>
      say(
        body.name === undefined ? `${now.name} is changed.` : `${segment.name} is now ${now.name}.`,
        { undo },
      ),
    onError: (problem, { segment, body }) => {
      // A name that was refused does not stand until the page is asked for anew.
      if (body.name)
        queries.setQueriesData<Page>(pages, (page) => page && renamed(page, segment, segment.name));
      say(problem.message, { trouble: true });
    },
    onSettled: () => askAnew(queries, study.id),
  });
}

/** The page with a segment's new name wherever the old one stands. */
function renamed(page: Page, segment: Segment, name: string): Page {
  const call = <Named extends { number: number }>(each: Named) =>
    each.number === segment.number ? { ...each, name } : each;
  return {
    ...page,
    segments: page.segments.map(call),
    columns: page.against === "segments" ? page.columns.map(call) : page.columns,
  };
}
