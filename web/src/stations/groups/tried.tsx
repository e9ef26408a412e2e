import { count, day, percent } from "@/charts/format";
import { withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { Candidate } from "@/stations/groups/candidate";
import { MapView } from "@/stations/groups/map";
import type { Page, Row } from "@/stations/groups/queries";
import { Recipe } from "@/stations/groups/recipe";
import { Steadier } from "@/stations/groups/steadier";
import { StringOfK } from "@/stations/groups/string-of-k";
import type { GroupsView, InView } from "@/stations/groups/view";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Empty } from "@/ui/status";
import { unit } from "@/study/unit";

/** The rows that were tried, as a string of k beside the recipe or as a map. */
export function Tried({ page, view }: InView) {
  const { look, recipe, row } = view;
  if (look === "map") {
    const columns = recipe.numeric.filter((each) => each.picked).map((each) => each.name);
    return (
      <div className="grid items-start gap-3">
        {row ? (
          <MapView rows={page.candidates} row={row} columns={columns} />
        ) : (
          <First page={page} view={view} />
        )}
      </div>
    );
  }
  return (
    <div className="grid grid-cols-[226px_minmax(0,1fr)] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
      <div className="grid gap-3">
        <Recipe
          recipe={recipe}
          madeFrom={page.made_from}
          k={view.k ?? 6}
          busy={page.status.state === "working"}
          current={page.status.state === "whole" && !page.foreign}
          onDraft={view.onDraft}
          onRun={view.begin}
        />
        {row && <Steadier key={row.id} row={row} />}
      </div>
      {row ? <Judged page={page} view={view} row={row} /> : <First page={page} view={view} />}
    </div>
  );
}

/** The string of k, what is suggested, and the groups that are opened. */
function Judged({ page, view, row }: InView & { row: Row }) {
  const { k, stale, go, at } = view;
  return (
    <div className="grid min-w-0 gap-3">
      <Rows page={page} k={k} stale={stale} go={go} />
      <Suggestion page={page} row={row} stale={stale} go={go} />
      {at.open === "1" && (
        <Candidate row={row} lit={at.group < 0 ? null : at.group} onClose={() => go({})} />
      )}
    </div>
  );
}

interface Go {
  go: GroupsView["go"];
}

function Rows({ page, k, stale, go }: { page: Page; k: number | null; stale: boolean } & Go) {
  const lens = useLens();
  const thread = (above: Row, a: number, below: Row, b: number) => {
    const next = withValues(lens.clauses, above.field, [`${a + 1}`]);
    lens.set(withValues(next, below.field, [`${b + 1}`]));
  };
  return (
    <StringOfK
      candidates={page.candidates}
      criteria={page.criteria}
      chosen={k}
      suggested={page.suggestion?.k ?? null}
      knee={page.knee}
      stale={stale}
      onChoose={(next) => go({ k: next })}
      onOpen={(row, group) => go({ k: row.k, open: "1", group })}
      onThread={thread}
    />
  );
}

/** What is suggested and why, what to know, and the next looks. */
function Suggestion({ page, row, stale, go }: { page: Page; row: Row; stale: boolean } & Go) {
  const { window } = useStudy();
  const { candidates, suggestion } = page;
  const before = candidates.find((each) => each.k === row.k - 1);
  return (
    <section className="card flex items-start gap-4 p-3" aria-label="Suggestion">
      <div className="flex-1">
        <p>
          {suggestion
            ? suggestion.words
            : stale
              ? "These rows are from before the change; group again for a suggestion."
              : "The suggestion comes when every row is judged."}{" "}
          <span className="text-quiet">
            {count(page.customers)} {unit.many} were grouped{window && `, up to ${day(window.to)}`}
            {page.left_out > 0 &&
              `; ${count(page.left_out)} have no visit or lack a value and stay out`}
            {page.dropped.length > 0 &&
              `; ${page.dropped.map((name) => name.replace("trait:", "")).join(", ")} says the same of everyone and was dropped`}
            . The smallest of {row.k} has {percent(Math.min(...row.counts), page.customers)}.
            {row.moved > 0.005 && ` ${percent(row.moved, 1, 0)} went to a nearer centre.`}
          </span>
        </p>
        {row.refusal && <p className="mt-1 text-12 text-below">{row.refusal}</p>}
        {row.equals && <p className="mt-1 text-12 text-below">{row.equals}</p>}
      </div>
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => go({ k: row.k, open: "1" })}>Open these {row.k}</Button>
        {before && (
          <Button
            onClick={() => go({ look: "kept", first: `g${before.id}`, second: `g${row.id}` })}
          >
            Compare {before.k} with {row.k}
          </Button>
        )}
      </div>
    </section>
  );
}

/** Before anything was tried. */
function First({ page, view }: InView) {
  const { canChange } = useStudy();
  const { least, most } = view.recipe.draft;
  const working = page.status.state === "working";
  return (
    <Empty
      title={working ? "The first rows are coming" : "No groups have been tried yet"}
      action={
        !working && (
          <Button kind="main" disabled={!canChange || view.run.isPending} onClick={view.begin}>
            Try {least} to {most} groups
          </Button>
        )
      }
    >
      Here rows of {least} to {most} groups will hang as rings, appearing as they finish. What goes
      in stands at the left: the measures that shape groups, prepared as at Measures, and the traits
      beside them.
    </Empty>
  );
}
