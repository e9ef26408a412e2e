import { useState } from "react";

import type { Schemas } from "@/api/client";
import { placeOf, ticksOf } from "@/charts/axis";
import { Picture } from "@/charts/picture";
import type { Result, Row } from "@/stations/campaigns/types";
import { inHundred } from "@/stations/campaigns/words";
import { useMoney, useStudy } from "@/study/context";
import { Input } from "@/ui/input";
import { Select } from "@/ui/select";

type Costs = Schemas["CostsBody"];
type Worth = Schemas["WorthBody"];

interface Props {
  row: Row;
  result: Result | null;
  onCosts?: ((costs: Costs) => Promise<unknown>) | undefined;
}

/** What a campaign costs, from when on it pays, and what it was worth. */
export function WhatItWasWorth({ row, result, onCosts }: Props) {
  const worth = result?.worth ?? null;
  return (
    <section className="card p-3" aria-label="What it was worth">
      <h2 className="text-14">{result ? "What it was worth" : "What it costs"}</h2>
      {worth ? (
        <OnAnAxis worth={worth} final={result?.final ?? false} />
      ) : (
        <PaysWords row={row} read={result !== null} />
      )}
      <CostsForm key={`${row.id}:${row.revision}`} row={row} onCosts={onCosts} />
    </section>
  );
}

function PaysWords({ row, read }: { row: Row; read: boolean }) {
  const inMoney = useMoney("short");
  if (row.costs.margin === null && row.margin_known === null)
    return (
      <p className="mt-1 text-12 text-quiet">
        Say what is left of a sale after the cost of goods, and Sortija tells{" "}
        {read ? "what it was worth." : "from which rise on it pays."}
      </p>
    );
  if (read)
    return <p className="mt-1 text-12 text-quiet">Without a holdout its worth cannot be told.</p>;
  if (!row.pays) return null;
  const { cost, basket, rise } = row.pays;
  return (
    <p className="mt-1">
      Writing costs <b className="font-semibold">{inMoney(cost)}</b>; a purchase of theirs comes to{" "}
      {inMoney(basket)}.{" "}
      {rise === null ? (
        <b className="font-semibold">It never pays: a purchase leaves nothing.</b>
      ) : (
        <>
          It pays from a rise of <b className="font-semibold">{inHundred(rise)} points</b> on
          {row.smallest_effect !== null &&
            (row.smallest_effect > rise
              ? `; this fork finds ${inHundred(row.smallest_effect)} or more, so that it may pay without your being able to tell`
              : ", and this fork would find that")}
          .
        </>
      )}
      {row.offer?.share != null && row.offer.low !== null && row.offer.high !== null && (
        <span className="text-quiet">
          {" "}
          Like offers were taken up by {inHundred(row.offer.share, 0)} in 100 (
          {inHundred(row.offer.low, 0)} to {inHundred(row.offer.high, 0)}), which is no rise: some
          would have come anyway.
        </span>
      )}
    </p>
  );
}

const WIDTH = 460;
const HEIGHT = 84;
const LINE = 46;

function OnAnAxis({ worth, final }: { worth: Worth; final: boolean }) {
  const inMoney = useMoney("short");
  const spent = worth.cost + worth.given;
  const ends = [0, spent, worth.won, worth.won_low ?? worth.won, worth.won_high ?? worth.won];
  const span = Math.max(...ends) - Math.min(...ends) || 1;
  const axis = {
    low: Math.min(...ends) - span * 0.04,
    high: Math.max(...ends) + span * 0.04,
    log: false,
  };
  const x = (value: number) => 8 + placeOf(value, axis) * (WIDTH - 16);
  const told = worth.won_low !== null && worth.won_high !== null;
  return (
    <>
      <Picture
        width="100%"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        label={`margin won ${inMoney(worth.won)}, cost ${inMoney(spent)}`}
      >
        <path d={`M8 ${LINE}H${WIDTH - 8}`} stroke="var(--color-quiet)" />
        {ticksOf(axis).map((value) => (
          <g key={value}>
            <path d={`M${x(value)} ${LINE - 4}v8`} stroke="var(--color-quiet)" />
            <text
              x={x(value)}
              y={LINE + 22}
              fontSize={11}
              textAnchor="middle"
              style={{ fill: "var(--color-quiet)" }}
            >
              {inMoney(value)}
            </text>
          </g>
        ))}
        {told && (
          <path
            d={`M${x(worth.won_low ?? 0)} ${LINE}H${x(worth.won_high ?? 0)}`}
            stroke="var(--color-ink)"
            strokeWidth={3}
          />
        )}
        <circle cx={x(worth.won)} cy={LINE} r={6} fill="var(--color-ink)" />
        <text
          x={x(worth.won)}
          y={LINE - 12}
          fontSize={11}
          fontWeight={600}
          textAnchor={anchor(x(worth.won))}
        >
          margin won {inMoney(worth.won)}
        </text>
        <path
          d={`M${x(spent)} 16V${LINE + 5}`}
          stroke="var(--color-copper)"
          strokeDasharray="2 2"
        />
        <text
          x={x(spent)}
          y={12}
          fontSize={11}
          textAnchor={anchor(x(spent))}
          style={{ fill: "var(--color-copper)" }}
        >
          cost {inMoney(spent)}
        </text>
      </Picture>
      <p className="mt-0.5">{netWords(worth, final, inMoney)}</p>
      {worth.given > 0 && (
        <p className="text-11 text-quiet">
          Cost: {inMoney(worth.cost)} for writing, {inMoney(worth.given)} of discount for those who
          would have come anyway.
        </p>
      )}
    </>
  );
}

function anchor(x: number): "start" | "middle" | "end" {
  return x < 70 ? "start" : x > WIDTH - 70 ? "end" : "middle";
}

const VERDICTS = {
  "worth it": "it was worth it",
  likely: "likely worth it, not certain",
  hardly: "hardly worth it, not certain",
  "not worth it": "it was not worth it",
};

function netWords(worth: Worth, final: boolean, inMoney: (value: number) => string): string {
  const { net, low, high, verdict } = worth;
  const said = `Net ${inMoney(net)}`;
  if (low === null || high === null) return `${said}; too few bought for an interval.`;
  const between = `${said}, between ${inMoney(low)} and ${inMoney(high)}`;
  return verdict && final ? `${between}: ${VERDICTS[verdict]}.` : `${between}, so far.`;
}

const ORDERS = [
  ["expected value", "expected value first"],
  ["value", "highest spend first"],
  ["segment", "best segments first"],
] as const;

function CostsForm({ row, onCosts }: { row: Row; onCosts: Props["onCosts"] }) {
  const { costs } = row;
  const draft = row.state === "draft";
  const { study } = useStudy();
  const [edits, setEdits] = useState<Record<string, string>>({});
  const kept: Record<string, string> = {
    contact: String(costs.contact),
    fixed: String(costs.fixed),
    discount: String(costs.discount),
    margin:
      costs.margin === null || costs.margin === undefined
        ? ""
        : String(Number((100 * costs.margin).toFixed(2))),
    budget: costs.budget === null || costs.budget === undefined ? "" : String(costs.budget),
  };
  const shown = { ...kept, ...edits };
  const keep = () => {
    if (Object.keys(edits).every((key) => edits[key] === kept[key])) return;
    const number = (key: string) => Number((shown[key] ?? "").replace(",", ".") || 0);
    const margin = shown.margin?.trim() ? number("margin") / 100 : null;
    const budget = shown.budget?.trim() ? number("budget") : null;
    const next = {
      contact: number("contact"),
      fixed: number("fixed"),
      discount: number("discount"),
      margin,
      budget,
    };
    if (Object.values(next).some((value) => value !== null && !Number.isFinite(value))) return;
    const clear = () => setEdits({});
    onCosts?.({ ...costs, ...next }).then(clear, clear);
  };
  const field = (key: string, words: string, unit: string) => (
    <label className="grid gap-0.5 text-11 text-quiet">
      {words}
      <span className="flex items-center gap-1">
        {unit !== "%" && unit}
        <Input
          inputMode="decimal"
          className="w-16 text-12"
          value={shown[key] ?? ""}
          placeholder={
            key === "margin" && row.margin_known !== null ? inHundred(row.margin_known) : ""
          }
          disabled={!onCosts}
          onChange={(event) => setEdits({ ...edits, [key]: event.target.value })}
          onBlur={keep}
          onKeyDown={(event) => event.key === "Enter" && keep()}
        />
        {unit === "%" && unit}
      </span>
    </label>
  );
  return (
    <div className="mt-2 flex flex-wrap gap-3 border-t border-line pt-2">
      {field("contact", "a contact", study.currency)}
      {field("fixed", "fixed", study.currency)}
      {field("discount", "discount", study.currency)}
      {field("margin", "left of a sale", "%")}
      {(draft || costs.budget != null) && field("budget", "budget", study.currency)}
      {draft && costs.budget != null && (
        <label className="grid gap-0.5 text-11 text-quiet">
          who is written to
          <Select
            className="py-1 text-12"
            value={costs.order ?? "expected value"}
            options={ORDERS}
            disabled={!onCosts}
            onChange={(order) => void onCosts?.({ ...costs, order })}
          />
        </label>
      )}
      {costs.margin === null && row.margin_known !== null && (
        <p className="w-full text-11 text-quiet">
          What is left of a sale is taken from the costs in the Ledger:{" "}
          {inHundred(row.margin_known)}%.
        </p>
      )}
    </div>
  );
}
