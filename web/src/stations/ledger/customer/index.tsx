import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useParams } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, inUnit, money, unitWords, within } from "@/charts/format";
import { Cards, Erase } from "@/stations/ledger/customer/cards";
import { Path } from "@/stations/ledger/customer/path";
import { Receipts } from "@/stations/ledger/customer/receipts";
import { Timeline } from "@/stations/ledger/customer/timeline";
import { Traits } from "@/stations/ledger/customer/traits";
import { Written } from "@/stations/ledger/customer/written";
import { useStudy } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { PageHeader } from "@/ui/page-header";
import { Failed, Waiting } from "@/ui/status";
import { useAddress, useHere, word } from "@/study/address";

/** One customer: measures with the purchases behind them, every receipt, traits with their past. */
const ASKED = { why: word.withDefault("frequency") };

export function Customer() {
  const { study, view } = useStudy();
  const { customer } = useParams();
  const search = useHere();
  const number = Number(customer);
  const [{ why }] = useAddress(ASKED);
  const [told, setTold] = useState(why.replace(/^measure:/, ""));
  const path = { study: study.id, customer: number };
  const page = useQuery({
    queryKey: ["study", study.id, "customer", number],
    queryFn: () => data(api.GET("/api/studies/{study}/customer/{customer}", { params: { path } })),
  });
  const measures = useQuery({
    queryKey: ["study", study.id, "customer", number, "measures", view],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/customer/{customer}/measures", {
          params: { path, query: view },
        }),
      ),
  });
  if (page.isPending || measures.isPending) return <Waiting />;
  if (page.isError) return <Failed words={page.error.message} />;
  if (measures.isError) return <Failed words={measures.error.message} />;
  const found = page.data;
  // The card that was asked for belongs to another one by now.
  if (found.number !== number)
    return (
      <Navigate replace to={{ pathname: `/study/${study.id}/customer/${found.number}`, search }} />
    );
  const picked =
    measures.data.measures.find((measure) => measure.name === told && measure.words) ??
    measures.data.measures.find((measure) => measure.words);
  const behind = new Set(picked?.receipts ?? []);
  return (
    <div className="grid gap-3">
      <PageHeader title={found.name} words={inWords(found)}>
        <Back />
      </PageHeader>
      <StatusBanner status={measures.data.status} />
      <div className="grid grid-cols-[1fr_280px] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
        <div className="grid min-w-0 gap-3">
          {picked && (
            <section className="card p-3" aria-label="Why" aria-live="polite">
              <h2 className="text-14">
                Why {within(picked.label)} is {inUnit(picked.value, picked.unit, study.currency)}
              </h2>
              <p className="mt-1">{picked.words}</p>
              {behind.size > 0 && (
                <p className="mt-1 text-12 text-quiet">
                  {behind.size === 1
                    ? "The receipt it rests on is"
                    : "The receipts it rests on are"}{" "}
                  marked below with a dark edge.
                </p>
              )}
            </section>
          )}
          <Path customer={number} />
          <Written customer={number} />
          {found.receipts.length > 0 && <Timeline receipts={found.receipts} behind={behind} />}
          <Receipts page={found} behind={behind} />
        </div>
        <div className="grid gap-3">
          <Measures
            measures={measures.data.measures}
            picked={picked?.name ?? ""}
            onPick={setTold}
          />
          <Cards key={found.number} page={found} />
          <Traits page={found} />
          <Erase page={found} />
        </div>
      </div>
    </div>
  );

  function inWords(of: Schemas["CustomerPage"]): string {
    const sum = of.receipts.reduce((before, receipt) => before + receipt.money, 0);
    if (of.total === 0) return "No line of any log names this customer.";
    const span = of.first && `, ${day(of.first)} to ${day(of.last)}`;
    return `${count(of.total)} receipts${span}; what counts of them comes to ${money(sum, study.scale, study.currency, false)}${of.left_out ? ` in the newest ${count(of.receipts.length)}` : ""}.`;
  }
}

function Back() {
  const { study } = useStudy();
  const search = useHere();
  return (
    <Link
      to={{ pathname: `/study/${study.id}/customers`, search }}
      className="rounded-md border border-line bg-card px-3 py-1.5 hover:border-quiet"
    >
      All in the lens
    </Link>
  );
}

/** Families of many alike measures, told when asked for. */
const SHARES = ["season", "weekday", "department", "channel", "site"];

function Measures({
  measures,
  picked,
  onPick,
}: {
  measures: Schemas["ToldMeasure"][];
  picked: string;
  onPick: (name: string) => void;
}) {
  const { study, window } = useStudy();
  const [all, setAll] = useState(false);
  const known = measures.filter((measure) => measure.words || measure.value !== null);
  const others = known.filter((measure) => SHARES.includes(measure.family));
  const told = known.filter((measure) => !others.includes(measure));
  return (
    <section className="card p-3" aria-label="Measures">
      <h2 className="text-14">Measures</h2>
      {window && <p className="text-11 text-quiet">up to and including {day(window.to)}</p>}
      <ul className="mt-1">
        {[...told, ...(all || others.some((each) => each.name === picked) ? others : [])].map(
          (measure) => (
            <li key={measure.name} className="border-t border-line first:border-t-0">
              <button
                type="button"
                aria-pressed={measure.name === picked}
                title={measure.definition}
                onClick={() => onPick(measure.name)}
                className={`flex w-full items-baseline gap-2 rounded px-1 py-1 text-left hover:bg-paper ${measure.name === picked ? "font-semibold" : ""}`}
              >
                <span className="flex-1">{measure.label}</span>
                <span>{inUnit(measure.value, measure.unit, study.currency)}</span>
                <span className="w-[66px] truncate text-11 font-normal text-quiet">
                  {measure.unit === "money" ? "" : unitWords(measure.unit, study.currency)}
                </span>
              </button>
            </li>
          ),
        )}
      </ul>
      {others.length > 0 && (
        <button
          type="button"
          className="min-h-[24px] mt-1 px-1 text-12 text-quiet underline"
          onClick={() => setAll(!all)}
        >
          {all ? "fewer" : `and ${others.length} more`}
        </button>
      )}
    </section>
  );
}
