import { useState } from "react";
import { Link, useLocation } from "react-router";

import { count, day, percent } from "@/charts/format";
import { Recipe } from "@/stations/groups/recipe";
import { StringOfK } from "@/stations/groups/string-of-k";
import { useGroupActions, useGroups } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { Standing } from "@/study/standing";
import { Button } from "@/ui/button";
import { Head } from "@/ui/head";
import { Empty, Failed, Waiting } from "@/ui/status";

/** Groups: the recipe, the string of k, the suggestion; adopt one. */
export function Groups() {
  const { window, canChange } = useStudy();
  const { search } = useLocation();
  const [chosen, setChosen] = useState<number | null>(null);
  const groups = useGroups();
  const { draft, run, adopt } = useGroupActions(groups.data?.recipe?.revision ?? 0);
  if (groups.isPending) return <Waiting />;
  if (groups.isError) return <Failed words={groups.error.message} />;
  const page = groups.data;
  const { status, candidates, suggestion, adopted } = page;
  const k = chosen ?? suggestion?.k ?? candidates[0]?.k ?? null;
  const candidate = candidates.find((row) => row.k === k);
  const stale = status.state === "out of date";
  const standing =
    adopted && candidates.some((row) => row.id === adopted.grouping) && adopted.k === k;
  if (!page.recipe) {
    return (
      <div className="grid gap-3">
        <Head
          title="Groups"
          words="Customers who are alike, found together from measures and traits."
        />
        {status.state !== "empty" ? (
          <Standing status={status} />
        ) : (
          <Empty
            title="Groups are made from measures"
            action={
              <Link
                className="text-copper underline"
                to={{ pathname: "../ledger", search }}
                relative="path"
              >
                Bring in a log first
              </Link>
            }
          >
            Here rows of 2 to 8 groups will hang as rings, with threads that show who stays together
            from one number of groups to the next.
          </Empty>
        )}
      </div>
    );
  }
  return (
    <div className="grid gap-3">
      <Head
        title="Groups"
        words="Each row splits the customers once more; threads show who stays together."
      >
        {canChange && candidate && (
          <Button
            kind="main"
            disabled={stale || adopt.isPending || !!standing}
            onClick={() => adopt.mutate(candidate)}
          >
            {standing ? `These ${candidate.k} are adopted` : `Adopt these ${candidate.k} groups`}
          </Button>
        )}
      </Head>
      <Standing
        status={status}
        offer={
          <Button disabled={run.isPending || !canChange} onClick={() => run.mutate()}>
            {stale ? "Group again" : "Try again"}
          </Button>
        }
      />
      <div className="grid grid-cols-[216px_1fr] items-start gap-3">
        <Recipe
          recipe={page.recipe}
          busy={status.state === "working"}
          onDraft={(next) => draft.mutate(next)}
          onRun={() => run.mutate()}
        />
        {candidates.length > 0 ? (
          <StringOfK candidates={candidates} chosen={k} stale={stale} onChoose={setChosen} />
        ) : (
          <Empty
            title={
              status.state === "working"
                ? "The first rows are coming"
                : "No groups have been tried yet"
            }
            action={
              status.state !== "working" && (
                <Button
                  kind="main"
                  disabled={!canChange || run.isPending}
                  onClick={() => run.mutate()}
                >
                  Try 2 to 8 groups
                </Button>
              )
            }
          >
            Here rows of 2 to 8 groups will hang as rings, appearing as they finish. What goes in
            stands at the left: the measures that shape groups, prepared as at Measures, and the
            traits beside them.
          </Empty>
        )}
      </div>
      {candidates.length > 0 && (
        <section className="card flex items-baseline gap-4 p-3">
          <p className="flex-1">
            {suggestion
              ? suggestion.words
              : stale
                ? "These rows are from before the change; group again for a suggestion."
                : "The suggestion comes when every row is judged."}{" "}
            <span className="text-quiet">
              {count(page.customers)} customers were grouped{window && `, up to ${day(window.to)}`}
              {page.left_out > 0 && `; ${count(page.left_out)} lack a value and stay out`}
              {page.dropped.length > 0 &&
                `; ${page.dropped.join(", ")} says the same of everyone and was dropped`}
              .
              {candidate &&
                ` The smallest of ${candidate.k} has ${percent(Math.min(...candidate.counts), page.customers)}.`}
            </span>
          </p>
        </section>
      )}
      {adopted && (
        <p className="px-1 text-12 text-quiet">
          Adopted: {adopted.k} groups of the window to {day(adopted.home_to)}.{" "}
          {adopted.since && `Decided before: ${adopted.since}.`} They stay as they were decided,
          whatever is tried here.
        </p>
      )}
    </div>
  );
}
