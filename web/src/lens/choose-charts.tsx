import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";

import { api, data } from "@/api/client";
import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";
import { FindList } from "@/ui/find-list";
import { useNotice } from "@/ui/notices";

/** Which charts stand in the dock: one's own choice, kept with the study. */
export function ChooseCharts() {
  const { study } = useStudy();
  const { charts, fields } = useLens();
  const queries = useQueryClient();
  const say = useNotice();
  const choose = useMutation({
    mutationFn: (chosen: string[]) =>
      data(
        api.PUT("/api/studies/{study}/dock", {
          params: { path: { study: study.id } },
          body: { fields: chosen },
        }),
      ),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => queries.invalidateQueries({ queryKey: ["study", study.id, "fields"] }),
  });
  const toggle = (field: string) =>
    choose.mutate(
      charts.includes(field) ? charts.filter((each) => each !== field) : [...charts, field],
    );
  return (
    <Popover.Root>
      <Popover.Trigger className="min-h-[24px] underline hover:text-ink">
        Choose charts
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          aria-label="Charts of the dock"
          className="card z-40 w-64 p-3 shadow-lg"
        >
          <FindList
            label="Find a chart for the dock"
            placeholder="Measure or trait"
            items={fields}
            keyOf={(row) => row.field}
            wordsOf={(row) => row.label}
            picked={(row) => charts.includes(row.field)}
            onPick={(row) => toggle(row.field)}
          >
            {(row) => (
              <span className="flex flex-1 justify-between gap-2">
                <span className={`truncate ${charts.includes(row.field) ? "font-semibold" : ""}`}>
                  {row.label}
                </span>
                <span className="text-quiet">{charts.includes(row.field) ? "shown" : ""}</span>
              </span>
            )}
          </FindList>
          <button
            type="button"
            className="mt-2 min-h-[24px] text-12 text-quiet underline hover:text-ink"
            onClick={() => choose.mutate([])}
          >
            Show the usual charts
          </button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
