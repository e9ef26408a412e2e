import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import { count } from "@/charts/format";
import { useLens } from "@/lens/context";
import { BringIn } from "@/stations/campaigns/bring-in";
import { ByVersion } from "@/stations/campaigns/by-version";
import { BySegment } from "@/stations/campaigns/by-segment";
import { HandOver } from "@/stations/campaigns/hand-over";
import { Later } from "@/stations/campaigns/later";
import { WhatBecameOfIt } from "@/stations/campaigns/letters";
import { OfSize } from "@/stations/campaigns/of-size";
import { Outbox } from "@/stations/campaigns/outbox";
import { DoNotContact } from "@/stations/campaigns/do-not-contact";
import { Offered } from "@/stations/campaigns/offered";
import { Pace } from "@/stations/campaigns/pace";
import { Plan } from "@/stations/campaigns/plan";
import { Report } from "@/stations/campaigns/report";
import { Service } from "@/stations/campaigns/service";
import { Standing } from "@/stations/campaigns/standing";
import { Stream } from "@/stations/campaigns/stream";
import type { Page, Result, Row } from "@/stations/campaigns/types";
import { useActions } from "@/stations/campaigns/use-campaigns";
import { proofWords, whenWords } from "@/stations/campaigns/words";
import { WhatWorked } from "@/stations/campaigns/worked";
import { WhatItWasWorth } from "@/stations/campaigns/worth";
import { Year } from "@/stations/campaigns/year";
import { useStation } from "@/stations/use-station";
import { useAddress, whole } from "@/study/address";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { NextStep } from "@/ui/next-step";
import { PageHeader } from "@/ui/page-header";
import { Select } from "@/ui/select";
import { Empty, Failed, Waiting } from "@/ui/status";

/** The campaign that is looked at; none: the newest. */
const CAMPAIGN = { campaign: whole };

/** Campaigns: one stream from the lens to a proven effect. */
export function Campaigns() {
  const { window, canChange } = useStudy();
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
  const inLens = lens.answer?.lens.customers ?? 0;
  const begin = canChange && window && (
    <Button
      kind={row ? "plain" : "main"}
      disabled={act.plan.isPending || !lens.answer?.ready || inLens === 0}
      onClick={() => act.plan.mutate({ name: "New campaign" })}
    >
      {row ? "Plan for" : "Plan a campaign for"}{" "}
      {lens.clauses.length ? `these ${count(inLens)}` : "everyone"}
    </Button>
  );
  if (!row)
    return (
      <div className="grid gap-3">
        <PageHeader
          title="Campaigns"
          words="From a lens to a proven effect: who falls away, who is written to, who is held out."
        />
        <Empty title="No campaign is planned yet" action={begin || undefined}>
          Pick customers anywhere with the lens, then plan a campaign for them. Here their stream
          will run from left to right: who has no consent or no address falls away, the rest forks
          into written to and held out, and once purchases are in, both arms end in what came of it.
        </Empty>
        <Foot page={campaigns.data} onBrought={choose} />
      </div>
    );
  return (
    <div className="grid gap-3">
      <header className="flex min-h-9 flex-wrap items-center gap-3">
        <h1 className="text-20">Campaigns</h1>
        <Select
          label="Campaign"
          look="word"
          className="max-w-56 py-1"
          value={String(row.id)}
          options={rows.map((each) => [String(each.id), each.name] as const)}
          onChange={(id) => choose(Number(id))}
        />
        <p className="min-w-[min(100%,12rem)] flex-1 text-12 text-quiet">{whenWords(row)}</p>
        {begin}
        {canChange && row.state !== "draft" && (
          <Button disabled={act.copy.isPending} onClick={() => act.copy.mutate(row)}>
            Copy as a new plan
          </Button>
        )}
        {canChange && <MainAction row={row} page={campaigns.data} act={act} />}
      </header>
      <Outbox rows={campaigns.data.outbox} service={campaigns.data.service} onChoose={choose} />
      {row.trouble ? (
        <Failed words={row.trouble} action={<NextStep to="measures">Look at Measures</NextStep>} />
      ) : (
        <OneCampaign key={`stream ${row.id}`} row={row} page={campaigns.data} act={act} />
      )}
      <Year
        rows={rows}
        row={row}
        today={campaigns.data.today}
        overlaps={campaigns.data.overlaps}
        onChoose={choose}
        onMove={canChange ? (each, days) => act.move.mutate({ row: each, days }) : undefined}
      />
      <Plan
        key={`plan ${row.id}`}
        row={row}
        canChange={canChange}
        onChange={(body) => act.change.mutateAsync({ row, body })}
        onDrop={() => act.drop.mutate(row)}
      />
      <WhatWorked onChoose={choose} />
      <Foot page={campaigns.data} onBrought={choose} />
    </div>
  );
}

/** What holds for all campaigns, and a way in for those sent from elsewhere. */
function Foot({ page, onBrought }: { page: Page; onBrought: (id: number) => void }) {
  const { window, canChange } = useStudy();
  return (
    <footer className="flex flex-wrap items-center justify-between gap-2">
      <div className="grid gap-1.5">
        <Standing standing={page.standing} />
        <DoNotContact list={page.do_not_contact} />
        <Service host={page.service} />
      </div>
      {canChange && window && <BringIn onBrought={onBrought} />}
    </footer>
  );
}

type Act = ReturnType<typeof useActions>;

/** What is next for a campaign. */
function MainAction({ row, page, act }: { row: Row; page: Page; act: Act }) {
  if (row.state === "draft")
    return (
      <Button
        kind="main"
        disabled={act.draw.isPending || row.written + row.held === 0}
        onClick={() => act.draw.mutate(row)}
      >
        Draw the holdout
      </Button>
    );
  const leaving = page.outbox.some((each) => each.campaign === row.id);
  if (row.state === "drawn")
    return leaving ? null : (
      <HandOver row={row} page={page} act={act} words="Hand over the list" main fileOnly={false} />
    );
  return (
    <>
      {row.left !== "service" && !row.brought_in && (
        <HandOver row={row} page={page} act={act} words="The list again" main={false} fileOnly />
      )}
      {row.left === "service" && row.unsent > 0 && !leaving && (
        <Button
          disabled={act.send.isPending}
          onClick={() => act.send.mutate({ row, columns: [], pseudonyms: false })}
        >{`Send the other ${count(row.unsent)}`}</Button>
      )}
      {row.told_to !== "" && <Report row={row} main={row.read} />}
      {!row.read && (
        <NextStep to="ledger" look="main">
          Bring in responses
        </NextStep>
      )}
    </>
  );
}

/** One campaign as a stream, with what came of it. */
function OneCampaign({ row, page, act }: { row: Row; page: Page; act: Act }) {
  const { study, canChange } = useStudy();
  const [tried, setTried] = useState<number | null>(null);
  const drawn = row.state !== "draft";
  const found = useQuery({
    queryKey: ["study", study.id, "campaign result", row.id, row.revision, row.told_to],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/campaigns/{campaign}/result", {
          params: { path: { study: study.id, campaign: row.id } },
          signal,
        }),
      ),
    enabled: drawn,
  });
  const result = found.data?.written ? found.data : null;
  const share = tried ?? row.holdout;
  const fork = row.fork.find((each) => Math.abs(each.share - share) < 1e-6) ?? null;
  const draft = !drawn && canChange;
  return (
    <>
      <section className="card p-3" aria-label="From the lens to the arms">
        <Stream
          row={row}
          result={result}
          fork={result ? null : fork}
          onTry={setTried}
          onShare={draft ? (holdout) => act.change.mutate({ row, body: { holdout } }) : undefined}
        />
        <div className="mt-1 border-t border-line pt-2" aria-live="polite">
          {found.isError ? (
            <p role="alert">{found.error.message}</p>
          ) : (
            <Told row={row} result={result} lacks={found.data?.lacks ?? ""}>
              {proofWords(row, fork)}
            </Told>
          )}
          {found.data?.balance && <p className="text-12 text-quiet">{found.data.balance.words}</p>}
        </div>
        {!drawn && row.base_rate !== null && <OfSize row={row} />}
        {row.offer && <Offered offer={row.offer} />}
      </section>
      <div className="gap-3 lg:columns-2 *:mb-3 *:break-inside-avoid">
        {result && <Pace row={row} result={result} />}
        {(row.arms.length > 1 || !result) && (
          <BySegment row={row} result={result?.returned ? result : null} />
        )}
        {result && <ByVersion result={result} />}
        <WhatItWasWorth
          row={row}
          result={result}
          onCosts={canChange ? (body) => act.costs.mutateAsync({ row, body }) : undefined}
        />
        {row.read && <Later row={row} />}
        {drawn && <WhatBecameOfIt row={row} moved={movedBy(page, row)} />}
      </div>
    </>
  );
}

/** What changes while letters leave. */
function movedBy(page: Page, row: Row): string {
  const leaving = page.outbox.find((each) => each.campaign === row.id);
  return leaving ? `${leaving.state} ${leaving.sent}` : "";
}

interface ToldProps {
  row: Row;
  result: Result | null;
  lacks: string;
  children: string[];
}

/** The sentence below the stream. */
function Told({ row, result, lacks, children }: ToldProps) {
  if (!result) {
    const [first, ...rest] = children;
    return (
      <>
        {first && <p className="text-14 font-semibold">{first}</p>}
        {rest.length > 0 && <p className="text-12 text-quiet">{rest.join(" ")}</p>}
        {row.state !== "draft" && (
          <p className="text-12 text-quiet">
            {row.brought_in
              ? "Brought in with its list. "
              : `Drawn with seed ${row.seed}; who is held out stays so until the result is read. `}
            {lacks}
          </p>
        )}
      </>
    );
  }
  if (!result.told) return <p className="text-14">{result.lacks}</p>;
  return (
    <>
      <p className="text-14">
        <b className="font-semibold">{result.told.lead}</b>
        {result.told.rest}
      </p>
      <p className="text-12 text-quiet">{result.told.beside}</p>
    </>
  );
}
