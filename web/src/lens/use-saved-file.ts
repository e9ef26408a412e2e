import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data, Trouble } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { useNotice } from "@/ui/notices";
import { fetchFile } from "@/ui/save";

type Export = Schemas["ExportRow"];

const LOOK_AGAIN = 500;

/** Ask for a file that a job writes, wait for it, and hand it to the person's browser. */
export function useSavedFile<T>(
  ask: (input: T) => Promise<Export>,
  words: (row: Export, input: T) => string,
  name: (input: T) => string,
  onSettled?: () => unknown,
) {
  const { study } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: async (input: T) => {
      const asked = await ask(input);
      void queries.invalidateQueries({ queryKey: ["pulse", study.id] });
      const row = await written(study.id, asked);
      fetchFile(`/api/studies/${study.id}/exports/${row.id}/file`, name(input));
      return row;
    },
    onSuccess: (row, input) => say(words(row, input)),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled,
  });
}

async function written(study: number, asked: Export): Promise<Export> {
  let row = asked;
  while (!row.ready) {
    if (row.job && !["waiting", "running", "done"].includes(row.job.state))
      throw new Trouble(row.job.error || "Writing the file was stopped.", 409);
    await new Promise((resume) => setTimeout(resume, LOOK_AGAIN));
    row = await data(
      api.GET("/api/studies/{study}/exports/{export}", {
        params: { path: { study, export: asked.id } },
      }),
    );
  }
  return row;
}
