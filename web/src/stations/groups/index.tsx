import { count, day, percent } from "@/charts/format";
import { withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { AdoptedView } from "@/stations/groups/adopted";
import { Candidate } from "@/stations/groups/candidate";
import { Compare } from "@/stations/groups/compare";
import { KeptList } from "@/stations/groups/kept";
import { MapView } from "@/stations/groups/map";
import { Merges } from "@/stations/groups/merges";
import { Propose } from "@/stations/groups/propose";
import { useGroupActions, useGroups } from "@/stations/groups/queries";
import type { Change, Draft, Page, Row } from "@/stations/groups/queries";
import { Recipe } from "@/stations/groups/recipe";
import { StringOfK } from "@/stations/groups/string-of-k";
import { useStudy } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { useUrlState } from "@/study/url-state";
import { Button } from "@/ui/button";
import { PageHeader } from "@/ui/page-header";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Views } from "@/ui/views";

/** Groups: the recipe, the string of k and other looks at it; adopt one. */
export function Groups() {
  const [search] = useUrlState();
  const groups = useGroups(search.get("run") ?? "");
  if (groups.isPending) return <Waiting />;
  if (groups.isError) return <NotFound words={groups.error.message} />;
  return groups.data.recipe ? <Whole page={groups.data} /> : <NothingYet page={groups.data} />;
}

/** A kept run that is gone is left, so that the present one is seen. */
function NotFound({ words }: { words: string }) {
  const [search, put] = useUrlState();
  const again = search.get("run") && (
    <Button onClick={() => put({ run: "", k: "" })}>Show the current recipe</Button>
  );
  return <Failed words={words} action={again} />;
}

function NothingYet({ page }: { page: Page }) {
  return (
    <div className="grid gap-3">
      <PageHeader
        title="Groups"
        words="Customers who are alike, found together from measures and traits."
      />
      {page.status.state !== "empty" ? (
        <StatusBanner status={page.status} />
      ) : (
        <Empty
          title="Groups are made from measures"
          action={<NextStep to="ledger">Import a log first</NextStep>}
        >
          Here rows of 2 to 8 groups will hang as rings, with threads that show who stays together
          from one number of groups to the next.
        </Empty>
      )}
    </div>
  );
}

function Whole({ page }: { page: Page }) {
  const { canChange } = useStudy();
  const [search, put] = useUrlState();
  const look = search.get("look") ?? "string";
  const recipe = page.recipe as NonNullable<Page["recipe"]>;
  const { draft, run, adopt } = useGroupActions(recipe, page.adopted?.id ?? 0);
  const { status, candidates, suggestion, adopted } = page;
  const asked = Number(search.get("k") ?? 0);
  const k = candidates.some((row) => row.k === asked)
    ? asked
    : (suggestion?.k ?? candidates[0]?.k ?? null);
  const row = candidates.find((each) => each.k === k);
  const old = status.state === "out of date" || status.state === "failed";
  const stale = old && !page.foreign && page.run !== page.made_from;
  const standing = !!row && adopted?.grouping === row.id;
  const open = search.get("open") === "1";
  const lit = search.get("group");
  const go = (values: Record<string, string>) => put({ open: "", group: "", ...values });
  const begin = () => {
    go({ run: "", k: "", look: "" });
    run.mutate();
  };
  const onDraft = (change: Change, words: string) => {
    if (page.foreign) go({ run: "" });
    draft.mutate({ change, words });
  };
  const views = [
    ["string", "String of k"],
    ["map", "Map"],
    ["merges", "Merges"],
    ["kept", `Kept ${page.kept || ""}`.trim()],
    ["adopted", "In use"],
  ] as const;
  return (
    <div className="grid gap-3">
      <PageHeader
        title="Groups"
        words="Each row splits the customers once more; threads show who stays together."
      >
        {canChange && (
          <Button aria-pressed={look === "propose"} onClick={() => go({ look: "propose" })}>
            Propose three
          </Button>
        )}
        {canChange && row && (look === "string" || look === "map") && (
          <Button
            kind="main"
            disabled={stale || adopt.isPending || standing || row.refusal !== ""}
            title={row.refusal}
            onClick={() => adopt.mutate(row.id)}
          >
            {standing ? `These ${row.k} are adopted` : `Adopt these ${row.k} groups`}
          </Button>
        )}
      </PageHeader>
      <nav className="flex items-center gap-3" aria-label="Views of the groups">
        <Views
          views={views}
          view={look}
          onView={(view) => put({ look: view === "string" ? "" : view, first: "", second: "" })}
        />
      </nav>
      {page.foreign && look !== "kept" && look !== "adopted" && look !== "propose" && (
        <p className="card flex items-baseline gap-3 px-3 py-2 text-12">
          <span className="flex-1">
            You are looking at groups tried before: {page.method}, {count(page.customers)}{" "}
            customers. The recipe at the left is a different one.
          </span>
          <button type="button" className="underline" onClick={() => go({ run: "", k: "" })}>
            Back to the current recipe
          </button>
        </p>
      )}
      {look !== "kept" && look !== "adopted" && look !== "propose" && !page.foreign && (
        <StatusBanner
          status={status}
          offer={
            <Button disabled={run.isPending || !canChange} onClick={begin}>
              {status.state === "out of date" ? "Group again" : "Try again"}
            </Button>
          }
        />
      )}
      {look === "propose" ? (
        <Propose
          onRun={(id, at) => go({ run: id, k: String(at), look: "" })}
          onCompare={(first, second) => go({ look: "kept", first, second })}
          onAdopt={(chosen) => adopt.mutate(chosen.id)}
        />
      ) : look === "adopted" ? (
        <AdoptedView adopted={adopted} />
      ) : look === "kept" ? (
        search.get("first") && search.get("second") ? (
          <Compare
            first={search.get("first") ?? ""}
            second={search.get("second") ?? ""}
            onPick={(first, second) => put({ first, second })}
            onClose={() => put({ first: "", second: "" })}
          />
        ) : (
          <KeptList
            onRun={(id, at) =>
              go({ run: id === page.made_from ? "" : id, k: String(at), look: "" })
            }
            onCompare={(first, second) => put({ first, second })}
          />
        )
      ) : look === "merges" ? (
        <Merges
          onJudge={(linkage, groups) => {
            draft.mutate(
              {
                change: (now) => ({
                  ...now,
                  method: "hierarchical",
                  linkage: linkage as Draft["linkage"],
                  most: Math.max(now.most, groups),
                }),
              },
              {
                onSuccess: () => {
                  go({ look: "", run: "", k: String(groups) });
                  run.mutate();
                },
              },
            );
          }}
        />
      ) : (
        <div
          className={`grid items-start gap-3 ${look === "map" ? "" : "grid-cols-[226px_minmax(0,1fr)]"}`}
        >
          {look !== "map" && (
            <Recipe
              recipe={recipe}
              madeFrom={page.made_from}
              k={k ?? 6}
              busy={status.state === "working"}
              current={status.state === "whole" && !page.foreign}
              onDraft={onDraft}
              onRun={begin}
            />
          )}
          {!row ? (
            <First
              status={status.state}
              canChange={canChange}
              most={recipe.draft.most}
              busy={run.isPending}
              onRun={begin}
            />
          ) : look === "map" ? (
            <MapView
              rows={candidates}
              row={row}
              columns={recipe.numeric.filter((each) => each.picked).map((each) => each.name)}
            />
          ) : (
            <div className="grid min-w-0 gap-3">
              <Rows page={page} k={k} stale={stale} go={go} />
              <Suggestion page={page} row={row} stale={stale} go={go} />
              {open && (
                <Candidate
                  row={row}
                  lit={lit === null ? null : Number(lit)}
                  onClose={() => go({})}
                />
              )}
            </div>
          )}
        </div>
      )}
      {adopted && look !== "adopted" && (
        <p className="px-1 text-12 text-quiet">
          Adopted: {adopted.k} {adopted.ladder ? "tiers of the ladder" : "groups"} of the window to{" "}
          {day(adopted.home_to)}. {adopted.since && `Decided before: ${adopted.since}.`} They stay
          as they were decided, whatever is tried here.
        </p>
      )}
    </div>
  );
}

interface Go {
  go: (values: Record<string, string>) => void;
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
      onChoose={(next) => go({ k: `${next}` })}
      onOpen={(row, group) => go({ k: `${row.k}`, open: "1", group: `${group}` })}
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
            {count(page.customers)} customers were grouped{window && `, up to ${day(window.to)}`}
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
      <div className="flex shrink-0 gap-2">
        <Button onClick={() => go({ k: `${row.k}`, open: "1" })}>Open these {row.k}</Button>
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

function First({
  status,
  canChange,
  most,
  busy,
  onRun,
}: {
  status: string;
  canChange: boolean;
  most: number;
  busy: boolean;
  onRun: () => void;
}) {
  return (
    <Empty
      title={status === "working" ? "The first rows are coming" : "No groups have been tried yet"}
      action={
        status !== "working" && (
          <Button kind="main" disabled={!canChange || busy} onClick={onRun}>
            Try 2 to {most} groups
          </Button>
        )
      }
    >
      Here rows of 2 to {most} groups will hang as rings, appearing as they finish. What goes in
      stands at the left: the measures that shape groups, prepared as at Measures, and the traits
      beside them.
    </Empty>
  );
}
