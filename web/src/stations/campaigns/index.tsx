import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useLens } from "@/lens/context";
import { usePlan } from "@/lens/use-plan";
import { useSavedFile } from "@/lens/use-saved-file";
import { Plan } from "@/stations/campaigns/plan";
import { Stream } from "@/stations/campaigns/stream";
import { useStation } from "@/stations/use-station";
import { useAddress, whole } from "@/study/address";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite, mark } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { PageHeader } from "@/ui/page-header";
import { NextStep } from "@/ui/next-step";
import { useNotice } from "@/ui/notices";
import { fileName } from "@/ui/save";
import { Empty, Failed, Waiting } from "@/ui/status";

export type Row = Schemas["CampaignRow"];
export type PlanBody = Schemas["CampaignPlan"];

/** The campaign that is looked at; none: the newest. */
const CAMPAIGN = { campaign: whole };

/** Campaigns: one stream from the lens to the two arms, and the list. */
export function Campaigns() {
  const { window, canChange, study } = useStudy();
  const lens = useLens();
  const [{ campaign: chosen }, put] = useAddress(CAMPAIGN);
  const choose = (id: number) => void put({ campaign: id });
  const campaigns = useStation("campaigns", ({ study: id, signal }) =>
    data(api.GET("/api/studies/{study}/campaigns", { params: { path: { study: id } }, signal })),
  );
  const act = useActions(choose);
  if (campaigns.isPending) return <Waiting />;
  if (campaigns.isError) return <Failed words={campaigns.error.message} />;
  const rows = campaigns.data.campaigns;
  const row = rows.find((each) => each.id === chosen) ?? rows[0];
  const count = lens.answer?.lens.customers ?? 0;
  const begin = canChange && window && (
    <Button
      kind={row ? "plain" : "main"}
      disabled={act.plan.isPending || !lens.answer?.ready || count === 0}
      onClick={() => act.plan.mutate({ name: "New campaign" })}
    >
      Plan a campaign for{" "}
      {lens.clauses.length ? `these ${count.toLocaleString("en-GB")}` : "everyone"}
    </Button>
  );
  return (
    <div className="grid gap-3">
      <PageHeader
        title="Campaigns"
        words="From a lens to a list: who falls away, who is written to, who is held out so that the effect can be told."
      >
        {row && begin}
        {row && canChange && row.state === "draft" && (
          <Button
            kind="main"
            disabled={act.draw.isPending || row.written + row.held === 0}
            onClick={() => act.draw.mutate(row)}
          >
            Draw the holdout
          </Button>
        )}
        {row && canChange && row.state !== "draft" && (
          <Button kind="main" disabled={act.list.isPending} onClick={() => act.list.mutate(row)}>
            {row.state === "drawn" ? "Hand over the list" : "Download the list again"}
          </Button>
        )}
      </PageHeader>
      {!row && (
        <Empty title="No campaign is planned yet" action={begin || undefined}>
          Pick customers anywhere with the lens, then plan a campaign for them. Here their stream
          will run from left to right: who has no consent or no address falls away, the rest forks
          into written to and held out.
        </Empty>
      )}
      {row && (
        <>
          {rows.length > 1 && (
            <div className="flex flex-wrap gap-1.5" role="group" aria-label="Campaigns">
              {rows.map((each) => (
                <button
                  key={each.id}
                  type="button"
                  aria-pressed={each.id === row.id}
                  onClick={() => choose(each.id)}
                  className={`rounded-md border px-2.5 py-1 ${each.id === row.id ? "border-ink bg-card font-semibold" : "border-line bg-card text-quiet"}`}
                >
                  {each.name} <span className="text-11 font-normal text-quiet">{each.state}</span>
                </button>
              ))}
            </div>
          )}
          {row.trouble ? (
            <Failed
              words={row.trouble}
              action={<NextStep to="measures">Look at Measures</NextStep>}
            />
          ) : (
            <Stream row={row} />
          )}
          <Plan
            key={row.id}
            row={row}
            canChange={canChange}
            onChange={(body) => act.change.mutateAsync({ row, body })}
            onDrop={() => act.drop.mutate(row)}
          />
        </>
      )}
      <p className="px-1 text-12 text-quiet">
        {study.name} writes only to those who said yes. People held out of one campaign are in no
        other until its result is read.
      </p>
    </div>
  );
}

function useActions(onPlanned: (id: number) => void) {
  const { study, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const onError = (problem: Error) => say(problem.message, { trouble: true });
  const onSettled = () => askAnew(queries, study.id);
  const path = (row: Row) => ({ params: { path: { study: study.id, campaign: row.id } } });
  const plan = usePlan((row) => onPlanned(row.id));
  const change = useMutation({
    mutationFn: ({ row, body }: { row: Row; body: PlanBody }) =>
      queueWrite(`campaign ${row.id}`, row.revision, (headers) =>
        data(api.PUT("/api/studies/{study}/campaigns/{campaign}", { ...path(row), body, headers })),
      ),
    onError,
    onSettled,
  });
  const drop = useMutation({
    mutationFn: (row: Row) =>
      queueWrite(`campaign ${row.id}`, row.revision, (headers) =>
        data(api.DELETE("/api/studies/{study}/campaigns/{campaign}", { ...path(row), headers })),
      ),
    onSuccess: (_, row) => say(`${row.name} is deleted.`, { undo }),
    onError,
    onSettled,
  });
  const draw = useMutation({
    mutationFn: (row: Row) =>
      queueWrite(`campaign ${row.id}`, row.revision, (headers) =>
        data(api.POST("/api/studies/{study}/campaigns/{campaign}/draw", { ...path(row), headers })),
      ),
    onSuccess: (row) =>
      say(`Drawn: ${row.written} are written to, ${row.held} held out.`, { undo }),
    onError,
    onSettled,
  });
  const list = useSavedFile<Row>(
    (row) =>
      data(
        api.POST("/api/studies/{study}/campaigns/{campaign}/list", {
          ...path(row),
          headers: mark(row.revision),
        }),
      ),
    (_, row) => `The list of ${row.name} is handed over. That stays on record.`,
    (row) => fileName(row.name, "csv"),
    onSettled,
  );
  return { plan, change, drop, draw, list };
}
