import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useRef, useState } from "react";

import { api, data } from "@/api/client";
import { count, day, inUnit, money } from "@/charts/format";
import { RowsOf } from "@/stations/measures/rows-of";
import { Codes } from "@/stations/scores/codes";
import { Field } from "@/stations/scores/field";
import { answers, countable } from "@/stations/scores/geometry";
import type { Box } from "@/stations/scores/geometry";
import { heads } from "@/stations/scores/heads";
import { LadderOf } from "@/stations/scores/ladder";
import { lost, MeasureChips } from "@/stations/scores/measure-chips";
import { dotFor, rangeOf } from "@/stations/scores/plots";
import { SmallFields } from "@/stations/scores/small-fields";
import { Totals } from "@/stations/scores/totals";
import { FIELD, tiersOf, useScoreChange, useScores } from "@/stations/scores/use-scores";
import type { Banded, Page, Tier } from "@/stations/scores/use-scores";
import { Worth } from "@/stations/scores/worth";
import { mark } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { Stale, StatusBanner } from "@/study/status-banner";
import { useAddress, word } from "@/study/address";
import { Button } from "@/ui/button";
import { chosen } from "@/ui/chosen";
import { PageHeader } from "@/ui/page-header";
import { NextStep } from "@/ui/next-step";
import { useNotice } from "@/ui/notices";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Views } from "@/ui/views";
import { Select } from "@/ui/select";
import { unit } from "@/study/unit";

const VIEWS = [
  ["field", "Field and ladder"],
  ["codes", "Codes"],
  ["worth", "Worth of bands"],
] as const;

const LOOKED_AT = { look: word };

/** Scores: bands drawn at their real sizes, and the ladder of tiers that stands on them. */
export function Scores() {
  const scores = useScores();
  if (scores.isPending) return <Waiting />;
  if (scores.isError) return <Failed words={scores.error.message} />;
  return <Whole page={scores.data} />;
}

function Whole({ page }: { page: Page }) {
  const { window, canChange, study } = useStudy();
  const [at, put] = useAddress(LOOKED_AT);
  const views = page.of ? VIEWS.slice(0, 2) : VIEWS;
  const look = chosen(views, at.look);
  const change = useScoreChange(page);
  const keep = useKeep(page.in_use);
  const kept = page.kept;
  const there = page.field !== null;
  return (
    <div className="grid gap-3">
      <PageHeader
        title="Scores"
        words={
          window && there
            ? `${heads(page.scored, page.of)} in bands up to ${day(window.to)}, the highest band best.${page.unscored > 0 ? ` ${count(page.unscored)} have no score: no visit in the window, or no value.` : ""}`
            : `${unit.Many} cut into bands, the highest the best, drawn at their real sizes.`
        }
      >
        {canChange && there && !page.of && (
          <Button
            kind="main"
            disabled={kept || keep.isPending || page.status.state !== "whole"}
            onClick={() => keep.mutate()}
          >
            {kept ? "This ladder is kept" : "Keep this ladder"}
          </Button>
        )}
      </PageHeader>
      <StatusBanner status={page.status} />
      {!there && page.status.state === "empty" && (
        <Empty
          title="Scores are cut from measures"
          action={<NextStep to="ledger">Import a log first</NextStep>}
        >
          Here plots of recency and frequency will lie as wide and as high as their bands really
          are, shaded by the money per {unit.one}, with fences that make a ladder of tiers.
        </Empty>
      )}
      {there && (
        <>
          <nav className="flex flex-wrap items-center gap-3" aria-label="Views of the scores">
            <Views
              views={views}
              view={look}
              onView={(view) => void put({ look: view === "field" ? null : view })}
            />
            <span className="flex-1" />
            <Rows />
          </nav>
          <MeasureChips page={page} onMeasures={change.measures} onGaps={change.gaps} />
          <Stale status={page.status}>
            {look === "codes" ? (
              <Codes page={page} />
            ) : look === "worth" ? (
              <Worth page={page} />
            ) : (
              <FieldAndLadder page={page} change={change} />
            )}
          </Stale>
        </>
      )}
      {study.role === "reader" && there && (
        <p className="px-1 text-12 text-quiet">
          You have read-only access. An owner can make you an analyst, who cuts bands and moves
          fences.
        </p>
      )}
    </div>
  );
}

function FieldAndLadder({
  page,
  change,
}: {
  page: Page;
  change: ReturnType<typeof useScoreChange>;
}) {
  const { study, canChange } = useStudy();
  const [lit, setLit] = useState<number | null>(null);
  const moving = useMoving(page, change);
  const words = page.measures
    .map((measure) => [measure.label, lost(measure, study.currency, page.of)] as const)
    .filter(([, why]) => why);
  const onCuts = (measure: Banded, own: number[]) =>
    change.measures(
      (drafts) =>
        drafts.map((draft) =>
          draft.name === measure.name ? { ...draft, cut: "own cuts", own } : draft,
        ),
      `Cut points of ${measure.label} changed.`,
    );
  if (!page.ladder) return null;
  return (
    <div className="grid grid-cols-[minmax(540px,1fr)_288px] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
      <section className="card p-3" aria-label="Field">
        <Axes page={page} />
        <Field
          page={page}
          fences={moving.fences}
          lit={lit}
          canChange={canChange}
          onFence={moving.fence}
          onLand={moving.land}
          onLift={moving.lift}
          onCuts={onCuts}
        />
        <ShadeLegend page={page} />
        <p className="mb-2 text-12 text-quiet">
          {!page.of && `Draw a box over plots to look at their ${unit.many}. `}
          Drag a cut on a ruler, a corner of a fence.{" "}
          {words.map(([label, why]) => (
            <span key={label}>
              <b className="font-semibold text-ink">{label}.</b> {why}{" "}
            </span>
          ))}
        </p>
        <SmallFields page={page} />
        <h2 className="mb-1 mt-3 border-t border-line pt-2 text-13">Total of the bands</h2>
        <Totals
          page={page}
          lows={moving.lows}
          canMove={canChange}
          onMove={moving.low}
          onLand={moving.land}
        />
      </section>
      <LadderOf
        page={page}
        ladder={moving.ladder ?? page.ladder}
        moving={moving.told}
        lit={lit}
        onLit={setLit}
        onLadder={change.ladder}
        onTiers={change.tiers}
      />
    </div>
  );
}

/** Fences while they are moved: what they hold is added up from the plots, and kept on landing. */
function useMoving(page: Page, change: ReturnType<typeof useScoreChange>) {
  const [tiers, setTiers] = useState<Tier[] | null>(null);
  const held = useRef(false);
  const shown = useMemo(() => tiers ?? page.ladder?.tiers ?? [], [tiers, page.ladder]);
  const names = page.measures.map((measure) => measure.name);
  const [x, y] = [names.indexOf(page.across), names.indexOf(page.up)];
  const fence = useCallback(
    (number: number, box: Box) =>
      setTiers((old) =>
        (old ?? page.ladder?.tiers ?? []).map((tier) =>
          tier.number === number
            ? {
                ...tier,
                ranges: tier.ranges.map<[number, number]>((range, n) =>
                  n === x ? box.across : n === y ? box.up : range,
                ),
              }
            : tier,
        ),
      ),
    [page.ladder, x, y],
  );
  const low = (place: number, bound: number) => {
    const above = shown[place - 1]?.low ?? Infinity;
    const below = shown[place + 1]?.low ?? -Infinity;
    if (bound >= above || bound <= below) return;
    setTiers(
      shown.map((tier, n) =>
        n === place ? { ...tier, low: bound } : n === place + 1 ? { ...tier, high: bound } : tier,
      ),
    );
  };
  const land = () => {
    if (!tiers || !page.ladder) return;
    held.current = false;
    const same = JSON.stringify(tiers) === JSON.stringify(page.ladder.tiers);
    const draft = tiersOf({ ...page, ladder: { ...page.ladder, tiers } });
    if (!same) change.tiers(() => draft, "Fence moved.");
    setTiers(null);
  };
  const told = useMemo(() => {
    if (!tiers || !page.ladder) return null;
    if (page.ladder.kind === "boxes") return countable(page) ? answers(page, tiers) : null;
    return tiers.map((tier) =>
      page.totals
        .filter(
          (row) => row.total >= (tier.low ?? -Infinity) && row.total < (tier.high ?? Infinity),
        )
        .reduce(
          (sum, row) => ({
            customers: sum.customers + row.customers,
            money: sum.money + row.money,
          }),
          { customers: 0, money: 0 },
        ),
    );
  }, [tiers, page]);
  return {
    told,
    ladder: tiers && page.ladder ? { ...page.ladder, tiers } : null,
    fence,
    low,
    land,
    lift: () => {
      held.current = true;
    },
    lows: shown.map((tier) => tier.low),
    fences: shown.map((tier) => ({
      number: tier.number,
      name: tier.name,
      box: {
        across: tier.ranges[x] ?? [1, 1],
        up: tier.ranges[y] ?? tier.ranges[x] ?? [1, 1],
      },
    })),
  };
}

/** What a dot and the shade of a plot say. */
function ShadeLegend({ page }: { page: Page }) {
  const { study } = useStudy();
  const each = dotFor(page.scored);
  const [low, high] = page.field ? rangeOf([page.field], page.shade) : [0, 1];
  const words = (value: number) =>
    page.shade === "customers"
      ? count(value)
      : page.shade === "heads" || page.shade === "money"
        ? money(Math.round(value), study.scale, study.currency)
        : inUnit(value, page.shade_unit, study.currency);
  return (
    <p className="flex items-center gap-1.5 text-12 text-quiet">
      <span className="size-[4px] rounded-full bg-quiet" />{" "}
      {each === 1 ? `a ${page.of ? "row" : "customer"}` : heads(each, page.of)}
      <span
        className="ml-3 h-[9px] w-16 rounded-sm"
        style={{
          background:
            "linear-gradient(90deg, color-mix(in srgb, var(--color-ink) 3%, var(--color-card)), color-mix(in srgb, var(--color-ink) 34%, var(--color-card)))",
        }}
      />
      {page.shaded.split(" from ")[0]}: {words(low)} to {words(high)}
    </p>
  );
}

/** Which measures lie where, and what the shade says. */
function Axes({ page }: { page: Page }) {
  const [, put] = useAddress(FIELD);
  const pick = (key: "across" | "up" | "third", words: string, value: string) => (
    <label className="flex items-center gap-1 text-12 text-quiet">
      {words}
      <Select
        value={value}
        className="field-sizing-content max-w-[168px]"
        onChange={(value) => {
          const next = { across: page.across, up: page.up, third: page.third };
          const other = (["across", "up", "third"] as const).find(
            (each) => each !== key && next[each] === value,
          );
          if (other) next[other] = next[key];
          void put({ ...next, [key]: value });
        }}
        options={page.measures.map((measure) => [measure.name, measure.label] as const)}
      />
    </label>
  );
  return (
    <div className="mb-2 flex flex-wrap items-center gap-x-2.5 gap-y-1.5">
      {pick("across", "across", page.across)}
      {page.measures.length > 1 && pick("up", "upwards", page.up)}
      {page.measures.length > 2 && pick("third", "small", page.third)}
      <label className="flex items-center gap-1 text-12 text-quiet">
        shade
        <Select
          value={page.shade}
          className="field-sizing-content max-w-[168px]"
          onChange={(value) => void put({ shade: value })}
          options={[
            ["heads", `money per ${unit.one}`],
            ["money", "money"],
            ["customers", "customers"],
            ...(!page.of ? [["back", "share that came back"] as const] : []),
            ...page.scorable.map(
              (each) => [`measure:${each.name}`, `mean of ${each.label}`] as const,
            ),
          ]}
        />
      </label>
      {page.shade === "back" && <p className="w-full text-12 text-quiet">Shade: {page.shaded}.</p>}
    </div>
  );
}

/** Whom the rows stand for; asked of Measures, which knows what can be rolled up. */
function Rows() {
  const { study, view } = useStudy();
  const [at, put] = useAddress(FIELD);
  const measures = useQuery({
    queryKey: ["study", study.id, "populations", view],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/measures", {
          params: { path: { study: study.id }, query: view },
        }),
      ),
    staleTime: 60_000,
  });
  if (!measures.data) return null;
  return (
    <RowsOf
      page={measures.data}
      of={at.of}
      onRows={(value) => void put({ of: value, across: null, up: null, third: null, shade: null })}
    />
  );
}

/** Make the ladder the yardstick: Portraits, Crossings and Campaigns then go by it. */
function useKeep(inUse: number) {
  const { study, view, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/ladder", {
          params: { path: { study: study.id }, query: view },
          headers: mark(inUse),
        }),
      ),
    onSuccess: (adopted) =>
      say(
        `The ladder of ${adopted.k} tiers is kept: Portraits, Crossings and Campaigns go by it.`,
        {
          undo,
        },
      ),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
}
