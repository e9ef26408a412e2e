import { Link } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, within } from "@/charts/format";
import { AlikeMatrix } from "@/stations/measures/alike";
import { LevelTable } from "@/stations/measures/level-table";
import { OverTime } from "@/stations/measures/over-time";
import { OwnMeasure } from "@/stations/measures/own-measure";
import { Pairs } from "@/stations/measures/pairs";
import { Preparations } from "@/stations/measures/preparations";
import { RowsOf } from "@/stations/measures/rows-of";
import { SecondWindow } from "@/stations/measures/second-window";
import { Threads } from "@/stations/measures/threads";
import { useUse } from "@/stations/measures/use-measures";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { Stale, StatusBanner } from "@/study/status-banner";
import { useAddress, useElsewhere, word } from "@/study/address";
import { Button } from "@/ui/button";
import { chosen } from "@/ui/chosen";
import { PageHeader } from "@/ui/page-header";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Views } from "@/ui/views";
import { unit } from "@/study/unit";

const VIEWS = [
  ["threads", "Threads"],
  ["alike", "Alike"],
  ["pairs", "Pairs"],
  ["time", "Over time"],
] as const;

/** A series is of customers with a log; levels are few enough for a table. */
const LEVEL_VIEWS = [...VIEWS.slice(0, 3), ["table", "Table"]] as const;

const LOOKED_AT = { look: word, beside: word, of: word };

/** Measures: one thread per measure, everyone's shape and the same after its preparation. */
export function Measures() {
  const { study, window, canChange } = useStudy();
  const [at, put] = useAddress(LOOKED_AT);
  const { beside, of } = at;
  const page = useStation(
    "measures",
    ({ study: id, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/measures", {
          params: {
            path: { study: id },
            query: { ...query, ...(beside && { beside }), ...(of && { of }) },
          },
          signal,
        }),
      ),
    true,
    `${beside} ${of}`,
  );
  const use = useUse();
  if (page.isPending) return <Waiting />;
  if (page.isError) return <Failed words={page.error.message} />;
  const { status, threads } = page.data;
  const used = threads.filter((thread) => thread.role === "shapes").length;
  // Of what is shown, which lags behind the address while other rows are on their way.
  const views = page.data.of ? LEVEL_VIEWS : page.data.has_log ? VIEWS : VIEWS.slice(0, 3);
  const look = chosen(views, at.look);
  return (
    <div className="grid gap-3">
      <PageHeader title="Measures" words={inWords(page.data, window)}>
        {canChange && threads.length > 0 && !of && (
          <Button kind="main" disabled={used === 0 || use.isPending} onClick={() => use.mutate()}>
            Use {used === 1 ? "this measure" : `these ${used} measures`}
          </Button>
        )}
      </PageHeader>
      {status.state === "empty" && <NothingYet words={status.words ?? ""} />}
      <StatusBanner status={status} />
      {threads.length > 0 && (
        <nav className="flex flex-wrap items-center gap-2" aria-label="Views of the measures">
          <Views
            views={views}
            view={look}
            onView={(view) => void put({ look: view === "threads" ? null : view })}
          />
          <span className="flex-1" />
          <RowsOf page={page.data} of={of} onRows={(value) => void put({ of: value })} />
          <SecondWindow
            page={page.data}
            beside={beside}
            onBeside={(value) => void put({ beside: value })}
          />
          <Preparations page={page.data} />
          {canChange && <OwnMeasure revision={page.data.own_revision} />}
        </nav>
      )}
      <Stale status={status}>
        {threads.length > 0 && look === "threads" && <Threads page={page.data} beside={beside} />}
        {threads.length > 0 && look === "alike" && <AlikeMatrix page={page.data} />}
        {threads.length > 0 && look === "pairs" && <Pairs page={page.data} />}
        {threads.length > 0 && look === "table" && <LevelTable page={page.data} />}
        {threads.length > 0 && look === "time" && <OverTime page={page.data} />}
      </Stale>
      {study.role === "reader" && threads.length > 0 && (
        <p className="px-1 text-12 text-quiet">
          You have read-only access. An owner can make you an analyst, who chooses roles and
          preparations.
        </p>
      )}
    </div>
  );
}

function inWords(page: Schemas["MeasuresPage"], window: Schemas["WindowRow"] | null): string {
  if (!window || page.threads.length === 0)
    return `What each ${unit.one} did within the window, as figures one can defend.`;
  const trait = page.populations.find((each) => each.name === page.of);
  if (trait)
    return `${count(page.with_purchase)} of ${count(trait.levels)} by ${within(trait.label)}, each with the purchases of its ${unit.many} in the window to ${day(window.to)}.`;
  if (!page.has_log)
    return `${count(page.customers)} ${unit.many} from the ${unit.one} table as it was on ${day(window.to)}. Its columns are the measures.`;
  const second = page.beside === null ? "" : ` Dashed: ${count(page.beside)} in the second window.`;
  return `${count(page.with_purchase)} of ${count(page.customers)} ${unit.many} bought in the window to ${day(window.to)}: they are the table.${second}`;
}

function NothingYet({ words }: { words: string }) {
  const search = useElsewhere();
  return (
    <Empty
      title="No measures yet"
      action={
        <Link
          className="text-copper underline"
          to={{ pathname: "../ledger", search }}
          relative="path"
        >
          Go to the Ledger
        </Link>
      }
    >
      {words} Here each measure will lie on a thread of its own: days since the last visit, visits,
      spend and more, with everyone&rsquo;s shape and the proposed preparation.
    </Empty>
  );
}
