import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useRows } from "@/stations/measures/use-rows";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite, latest, remembered } from "@/study/write-queue";
import { useAddress, word } from "@/study/address";
import { useNotice } from "@/ui/notices";

export type Page = Schemas["ScoresPage"];
export type Draft = Schemas["ScoreDraft"];
export type MeasureDraft = Schemas["MeasureDraft"];
export type Banded = Schemas["BandedMeasure"];
export type TierDraft = Schemas["TierDraft"];
export type Tier = Schemas["TierRow"];

/** Which measures lie where on the field, what shades it, and whom its rows stand for. */
export const FIELD = { across: word, up: word, third: word, shade: word, of: word };

/** The station's page, as this tab looks at it. */
export function useScores() {
  const [{ of, ...look }] = useAddress(FIELD);
  return useStation(
    "scores",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/scores", {
          params: {
            path: { study },
            query: { ...query, ...look, ...(of && { of }) },
          },
          signal,
        }),
      ),
    true,
    `${of} ${Object.values(look).join(" ")}`,
  );
}

/** The measures of a page as a draft that can be changed. */
export function measuresOf(page: Page): MeasureDraft[] {
  return (
    page.draft.measures ??
    page.measures.map((measure) => ({
      name: measure.name,
      higher_is_better: null,
      bands: measure.asked,
      weight: measure.weight,
      cut: "equal customers" as const,
      own: [],
    }))
  );
}

/** The tiers of a page as drafts; ranges by the measures' names. */
export function tiersOf(page: Page): Schemas["TierDraft"][] {
  const names = page.measures.map((measure) => measure.name);
  return (page.ladder?.tiers ?? []).map((tier) => ({
    name: tier.name,
    low: tier.low,
    high: tier.high,
    strategy: tier.strategy,
    notes: tier.notes,
    ranges: Object.fromEntries(tier.ranges.map((range, n) => [names[n] ?? "", range])),
  }));
}

/** Change bands, directions, weights or the ladder; undoable. */
export function useScoreChange(page: Page) {
  const { study, undo } = useStudy();
  const view = useRows();
  const queries = useQueryClient();
  const say = useNotice();
  const thing = `scores ${study.id} ${page.of}`;
  const now = () => latest(thing, page.revision, page.draft);
  const change = useMutation({
    mutationFn: ({ draft }: { draft: Draft; words: string }) =>
      remembered(
        thing,
        draft,
        queueWrite(thing, page.revision, (headers) =>
          data(
            api.PUT("/api/studies/{study}/scores/recipe", {
              params: { path: { study: study.id }, query: view },
              body: draft,
              headers,
            }),
          ),
        ),
      ),
    onSuccess: (_, { words }) => say(words, { undo }),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
  return {
    busy: change.isPending,
    measures: (next: (measures: MeasureDraft[]) => MeasureDraft[], words: string) => {
      const draft = now();
      const measures = draft.measures ?? measuresOf(page);
      change.mutate({ draft: { ...draft, measures: next(measures) }, words });
    },
    tiers: (next: (tiers: TierDraft[]) => TierDraft[], words: string) => {
      const draft = now();
      const tiers = draft.ladder.tiers ?? tiersOf(page);
      const kind = draft.ladder.kind;
      change.mutate({ draft: { ...draft, ladder: { kind, tiers: next(tiers) } }, words });
    },
    ladder: (ladder: Draft["ladder"], words: string) =>
      change.mutate({ draft: { ...now(), ladder }, words }),
    gaps: (close_gaps: boolean) =>
      change.mutate({
        draft: { ...now(), close_gaps },
        words: close_gaps ? "Gaps closed." : "Gaps kept.",
      }),
  };
}
