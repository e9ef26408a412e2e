import { useRef } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { gridOf } from "@/stations/portraits/rules/grid";
import { RuleList } from "@/stations/portraits/rules/list";
import { RuleTree } from "@/stations/portraits/rules/tree";
import { WhereItErrs } from "@/stations/portraits/rules/where-it-errs";
import { AgainstChoice, useCompared } from "@/stations/portraits/compared";
import { useStation } from "@/stations/use-station";
import { TakeAway } from "@/study/take-away";
import { Stale } from "@/study/status-banner";
import { useAddress, whole, word } from "@/study/address";
import { Choice } from "@/ui/choice";
import { Select } from "@/ui/select";
import { Empty, Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

type Page = Schemas["RulesPage"];

const DEPTHS = [
  ["1", "1"],
  ["2", "2"],
  ["3", "3"],
  ["4", "4"],
] as const;
const ABOUT = [
  ["shaping", "what shaped the groups"],
  ["others", "anything else known"],
  ["both", "both"],
] as const;
const NUMBERS = ["No", "One", "Two", "Three", "Four"];
const RULES = { depth: whole.withDefault(3), about: word.withDefault("shaping") };

function useRuleAddress() {
  const [at, put] = useAddress(RULES);
  const about = ABOUT.find(([key]) => key === at.about)?.[0] ?? "shaping";
  return { about, depth: Math.min(4, Math.max(1, at.depth)) as 1 | 2 | 3 | 4, put };
}

/** How many questions, and about what. */
export function RuleChoices() {
  const { about, depth, put } = useRuleAddress();
  const { byLens } = useCompared();
  const options = ABOUT.map(
    ([key, words]) =>
      [key, byLens && key === "shaping" ? "what the lens asks about" : words] as const,
  );
  return (
    <div className="flex flex-wrap items-center gap-2 text-12 text-quiet">
      <AgainstChoice />
      questions in a row
      <Choice
        label="Questions in a row"
        choices={DEPTHS}
        value={`${depth}`}
        onChoose={(next) => void put({ depth: Number(next) })}
      />
      about
      <Select
        label="What the questions are about"
        value={about}
        options={options}
        onChange={(next) => void put({ about: next })}
      />
    </div>
  );
}

/** Rules: the tree, a line a segment, and where it errs. */
export function Rules() {
  const { about, depth } = useRuleAddress();
  const { asked, byLens } = useCompared();
  const frame = useRef<HTMLDivElement>(null);
  const rules = useStation(
    "rules",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/rules", {
          params: { path: { study }, query: { ...query, ...asked, depth, about } },
          signal,
        }),
      ),
    byLens,
    JSON.stringify([depth, about, asked]),
  );
  if (rules.isPending) return <Waiting />;
  if (rules.isError) return <Failed words={rules.error.message} />;
  const page = rules.data;
  if (page.rules.length === 0)
    return (
      <Empty title={`No question parts these ${unit.many}`}>
        A rule needs a question that leaves at least twenty {unit.many}, and one in a hundred, on
        either side. Ask about something else, or look at a longer window.
      </Empty>
    );
  return (
    <Stale status={page.status}>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(240px,280px)] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
        <section className="card p-3" aria-label="Questions">
          <div className="flex items-start justify-between gap-3">
            <p>{sentence(page)}</p>
            <TakeAway name="rules" grid={() => gridOf(page)} picture={() => frame.current} />
          </div>
          <div ref={frame}>
            <RuleTree page={page} />
          </div>
          <p className="text-11 text-quiet">{small(page)}</p>
        </section>
        <RuleList page={page} />
      </div>
      <WhereItErrs page={page} />
    </Stale>
  );
}

function sentence(page: Page) {
  const questions = new Map<number, number>();
  for (const node of page.nodes)
    questions.set(node.id, node.parent === null ? 0 : (questions.get(node.parent) ?? 0) + 1);
  const deepest = Math.max(...questions.values());
  const right = Math.round(100 * (page.right.share ?? 0));
  const usual = Math.round(100 * (page.usual.share ?? 0));
  const asked = `${NUMBERS[deepest] ?? deepest} question${deepest === 1 ? "" : "s"}`;
  return (
    <>
      <b className="font-semibold">
        {asked} {deepest === 1 ? "places" : "place"} {right} of 100 {unit.many}
      </b>{" "}
      whom the tree had not seen; calling everybody the largest{" "}
      {page.against === "segments" ? "segment" : "column"} would place {usual}. {mistaken(page)}
    </>
  );
}

/** Segments of which the tree tells less than half rightly, and what it takes them for. */
function mistaken(page: Page): string {
  const told = page.columns.flatMap((segment, is) => {
    const row = page.errs[is] ?? [];
    const whole = row.reduce((sum, each) => sum + each, 0);
    if (whole === 0 || (row[is] ?? 0) >= whole / 2) return [];
    const others = row.map((value, at) => (at === is ? -1 : value));
    const rival = page.columns[others.indexOf(Math.max(...others))];
    return [`${segment.name} are mostly taken for ${rival?.name}.`];
  });
  return told.join(" ");
}

function small(page: Page): string {
  const parts = ["A tree retells the grouping; it explains no behaviour."];
  if (page.steady !== null && page.steady < 0.9)
    parts.push(
      `Asked of redrawn ${unit.many}, the first question is about the same thing ${Math.round(20 * page.steady)} times in 20.`,
    );
  if (page.in_order.length > 0)
    parts.push(`Of ${page.in_order.join(", ")} not every way to part the values was tried.`);
  if (page.too_many.length > 0)
    parts.push(
      `Not asked about, for nearly everybody has another value: ${page.too_many.join(", ")}.`,
    );
  return parts.join(" ");
}
