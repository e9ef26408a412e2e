import { count, day } from "@/charts/format";
import type { Page } from "@/stations/groups/queries";
import type { InView } from "@/stations/groups/view";
import { useStudy } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { Button } from "@/ui/button";
import { unit } from "@/study/unit";

/** Whether the rows tried are of another recipe, out of date or still coming. */
export function Notices({ page, view }: InView) {
  const { canChange } = useStudy();
  const { tried, run, begin, go } = view;
  if (!tried) return null;
  if (page.foreign) {
    return (
      <p className="card flex items-baseline gap-3 px-3 py-2 text-12">
        <span className="flex-1">
          You are looking at groups tried before: {page.method}, {count(page.customers)} {unit.many}
          . The recipe at the left is a different one.
        </span>
        <button type="button" className="underline" onClick={() => go({ run: null, k: null })}>
          Back to the current recipe
        </button>
      </p>
    );
  }
  return (
    <StatusBanner
      status={page.status}
      offer={
        <Button disabled={run.isPending || !canChange} onClick={begin}>
          {page.status.state === "out of date" ? "Group again" : "Try again"}
        </Button>
      }
    />
  );
}

/** Which groups are in use, whatever is tried meanwhile. */
export function AdoptedNote({ page: { adopted } }: { page: Page }) {
  return (
    adopted && (
      <p className="px-1 text-12 text-quiet">
        Adopted: {adopted.k} {adopted.ladder ? "tiers of the ladder" : "groups"} of the window to{" "}
        {day(adopted.home_to)}. {adopted.since && `Decided before: ${adopted.since}.`} They stay as
        they were decided, whatever is tried here.
      </p>
    )
  );
}
