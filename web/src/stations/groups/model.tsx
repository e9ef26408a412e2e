import { useMutation } from "@tanstack/react-query";
import { useRef } from "react";

import { api, data, fileForFile } from "@/api/client";
import { count } from "@/charts/format";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { useNotice } from "@/ui/notices";
import { fileName, saveFile } from "@/ui/save";
import { SaveMenu } from "@/ui/save-menu";

/** The groups in use as a model: taken away, or a file placed by it that never comes in. */
export function Model({ ladder }: { ladder: boolean }) {
  const { study } = useStudy();
  const say = useNotice();
  const input = useRef<HTMLInputElement>(null);
  const take = async (kind: "recipe" | "pmml") => {
    const file = await data(
      api.GET("/api/studies/{study}/groups/model", {
        params: { path: { study: study.id }, query: { kind } },
        parseAs: "blob",
      }),
    );
    saveFile(file, fileName(`segments of ${study.name}`, kind === "pmml" ? "pmml" : "json"));
  };
  const place = useMutation({
    mutationFn: async (file: File) => {
      const query = new URLSearchParams({ name: file.name, kind: "csv" });
      const answer = await fileForFile(`/api/studies/${study.id}/groups/place?${query}`, file);
      saveFile(await answer.blob(), fileName(`${file.name.replace(/\.[^.]*$/, "")} placed`, "csv"));
      return [answer.headers.get("X-Placed"), answer.headers.get("X-Rows")].map(Number);
    },
    onSuccess: ([placed = 0, rows = 0]) =>
      say(
        `${count(placed)} of ${count(rows)} rows are placed, and the file is saved.` +
          (placed < rows ? ` ${count(rows - placed)} lack a value and have no segment.` : ""),
      ),
    onError: (problem) => say(problem.message, { trouble: true }),
  });
  return (
    <div className="mt-3 border-t border-line pt-2">
      <h3 className="text-13">Use them elsewhere</h3>
      <p className="mb-2 text-12 text-quiet">
        A table with a column <i>customer</i> and these measures gets its segments, and never comes
        into the study. The recipe places at a terminal{!ladder && ", PMML in other programs"}.
      </p>
      <div className="flex flex-wrap items-center gap-2">
        <Button
          aria-disabled={place.isPending}
          onClick={() => !place.isPending && input.current?.click()}
        >
          {place.isPending ? "Placing …" : "Place a file"}
        </Button>
        <input
          ref={input}
          type="file"
          aria-label="File to place"
          className="hidden"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) place.mutate(file);
          }}
        />
        <SaveMenu
          label="Take the model away"
          large
          ways={[
            ["Recipe (JSON)", () => take("recipe")],
            ...(ladder
              ? []
              : ([["PMML 4.4", () => take("pmml")]] as [string, () => Promise<void>][])),
          ]}
        />
      </div>
    </div>
  );
}
