import { useState } from "react";

import { count } from "@/charts/format";
import { Attach } from "@/stations/ledger/attached";
import { Balance } from "@/stations/ledger/balance";
import { BringIn } from "@/stations/ledger/bring-in";
import { Files } from "@/stations/ledger/files";
import { Lines } from "@/stations/ledger/lines";
import { Summaries } from "@/stations/ledger/summaries";
import { IN_ADDRESS, shownOf } from "@/stations/ledger/picked";
import type { PickedLines } from "@/stations/ledger/picked";
import { useLedger } from "@/stations/ledger/queries";
import { Review } from "@/stations/ledger/review";
import { Rules } from "@/stations/ledger/rules";
import { useUngrouped, WhatNext } from "@/stations/ledger/what-next";
import { Waterline } from "@/stations/ledger/waterline";
import { useMoney } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { IN_PLACE, useAddress, word } from "@/study/address";
import { chosen as chosenOf } from "@/ui/chosen";
import { PageHeader } from "@/ui/page-header";
import { Empty, Failed, Waiting } from "@/ui/status";

/** How it is looked at: the first of each is as usual. */
const LOOKED_AT = { side: word, unit: word };
const SIDES = [
  ["lines", "Lines"],
  ["looks", "When, where, who is new"],
] as const;
const UNITS = [
  ["money", "Money"],
  ["lines", "Lines"],
] as const;

/** The Ledger: what counts, what was set aside and why, and the lines behind it. */
export function Ledger() {
  const [hovered, setHovered] = useState("");
  const [chosen, setChosen] = useState<number | null>(null);
  const [at, put] = useAddress(LOOKED_AT);
  const [{ step, around, ...asked }, look] = useAddress(IN_ADDRESS);
  const side = chosenOf(SIDES, at.side);
  const unit = chosenOf(UNITS, at.unit);
  const setSide = (next: (typeof SIDES)[number][0]) => void put({ side: next }, IN_PLACE);
  const setUnit = (next: (typeof UNITS)[number][0]) => void put({ unit: next }, IN_PLACE);
  const ledger = useLedger(hovered, step, around);
  const inMoney = useMoney("short");
  const ungrouped = useUngrouped();
  if (ledger.isPending) return <Waiting />;
  if (ledger.isError) return <Failed words={ledger.error.message} />;
  const page = ledger.data;
  const picked = shownOf(asked, page);
  const waiting = page.intakes.filter(
    (intake) => intake.state === "review" || intake.state === "failed",
  );
  const review =
    waiting.find((intake) => intake.id === chosen) ??
    waiting.find((intake) => intake.state === "review") ??
    waiting[0];
  const empty = page.intakes.length === 0 && page.status.state === "empty";
  const alone = !page.steps && !review && !empty && page.status.state === "empty";
  const pick = (next: PickedLines) => {
    void look(next, IN_PLACE);
    setSide("lines");
  };
  return (
    <div className="grid gap-3">
      <PageHeader
        title="Ledger"
        words={
          page.steps
            ? `${count(page.counted)} of ${count(page.lines)} lines count, ${inMoney(page.counted_total)}. ${count(page.lines - page.counted)} were set aside.`
            : "Bring in the till's log and the table of members; see what counts and why."
        }
      >
        {page.steps && (
          <div
            role="group"
            aria-label="What the bars show"
            className="flex overflow-hidden rounded-md border border-line bg-card"
          >
            {UNITS.map(([each, name]) => (
              <button
                key={each}
                type="button"
                aria-pressed={unit === each}
                onClick={() => setUnit(each)}
                className={`px-3 py-1.5 ${unit === each ? "bg-ink text-white" : "hover:bg-paper"}`}
              >
                {name}
              </button>
            ))}
          </div>
        )}
        {!empty && <Attach places={page.attachable} />}
        {!empty && <BringIn quiet={review !== undefined || ungrouped} />}
      </PageHeader>
      {page.status.state === "working" && <StatusBanner status={page.status} />}
      {waiting.length > 1 && (
        <div role="group" aria-label="Files under review" className="-mb-3 flex flex-wrap gap-2">
          {waiting.map((intake) => (
            <button
              key={intake.id}
              type="button"
              aria-pressed={intake === review}
              onClick={() => setChosen(intake.id)}
              className={`rounded-t-md border border-b-0 border-line px-3 py-1 text-12 ${intake === review ? "bg-card font-semibold" : "text-quiet hover:text-ink"}`}
            >
              <span className="break-all">{intake.name}</span>
              {intake.state === "failed" && <span className="text-alarm"> failed</span>}
            </button>
          ))}
        </div>
      )}
      {review && <Review key={`${review.id} ${review.state}`} intake={review} />}
      {page.status.state === "failed" && !review && <Failed words={page.status.words ?? ""} />}
      {!review && <WhatNext lines={page.steps ? page.counted : null} alone={alone} />}
      {empty && (
        <Empty
          title="No log has been imported yet"
          action={
            <div className="flex flex-wrap gap-2">
              <BringIn />
              <Attach places={page.attachable} />
            </div>
          }
        >
          Here the months of your log will lie on a thread: above it the money that counts, below it
          what was set aside, one texture a reason. Drop an export of your till anywhere on this
          page, or choose it: CSV, XLSX, Parquet or JSON Lines, packed or not.
        </Empty>
      )}
      {!page.steps && !empty && <Files intakes={page.intakes} attachments={page.attachments} />}
      {page.steps && (
        <>
          {page.balance && <Balance balance={page.balance} />}
          <Waterline
            page={page}
            unit={unit}
            picked={picked}
            onPick={pick}
            step={step}
            onStep={(next, day) => {
              void look({ step: next, around: day }, IN_PLACE);
            }}
          />
          <div className="grid grid-cols-[minmax(420px,5fr)_6fr] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
            <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
              <Rules page={page} picked={picked} onPick={pick} onHover={setHovered} />
              <Files intakes={page.intakes} attachments={page.attachments} />
            </div>
            <section className="card min-w-0" aria-label="Below the waterline">
              <div role="group" aria-label="What is shown" className="flex gap-4 px-3 pt-3 pb-2">
                {SIDES.map(([each, name]) => (
                  <button
                    key={each}
                    type="button"
                    aria-pressed={side === each}
                    onClick={() => setSide(each)}
                    className={`border-b-2 text-14 ${side === each ? "border-ink font-semibold" : "border-transparent text-quiet hover:text-ink"}`}
                  >
                    {name}
                  </button>
                ))}
              </div>
              {side === "looks" ? (
                <Summaries madeFrom={page.made_from} />
              ) : (
                <Lines
                  key={`${picked.first}:${picked.last}:${picked.rule}:${picked.by}:${picked.number}`}
                  picked={picked}
                  onPick={pick}
                  page={page}
                />
              )}
            </section>
          </div>
        </>
      )}
    </div>
  );
}
