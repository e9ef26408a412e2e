import { useState } from "react";

import { day } from "@/charts/format";
import { planOf } from "@/stations/campaigns/types";
import type { PlanBody, Row } from "@/stations/campaigns/types";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";
import { Select } from "@/ui/select";

interface Props {
  row: Row;
  canChange: boolean;
  onChange: (body: Partial<PlanBody>) => Promise<unknown>;
  onDrop: () => void;
}

const SPLITS: [string, string][] = [
  ["1", "one"],
  ["0.5:0.5", "A and B, half each"],
  ["0.7:0.3", "A 70%, B 30%"],
  ["0.8:0.2", "A 80%, B 20%"],
  ["0.34:0.33:0.33", "A, B and C"],
];

const splitOf = (shares: number[]) => shares.join(":");

/** The usual ways to divide those written to, and the one that is in use. */
function splitsFor(shares: number[]): [string, string][] {
  const now = splitOf(shares);
  if (SPLITS.some(([split]) => split === now)) return SPLITS;
  return [...SPLITS, [now, shares.map((share) => `${(100 * share).toFixed(0)}%`).join(", ")]];
}

function whomWords({ clauses }: Row): string {
  if (clauses.length === 0) return "Everyone";
  return `${clauses.length} clause${clauses.length > 1 ? "s" : ""} of the lens`;
}

/** Name, dates and days of rest; fixed once the holdout is drawn. */
export function Plan({ row, canChange, onChange, onDrop }: Props) {
  // What is being typed; the record shows again as soon as it is kept or refused.
  const [edits, setEdits] = useState<Partial<PlanBody>>({});
  const plan: PlanBody = { ...planOf(row), ...edits };
  const draft = row.state === "draft" && canChange;
  const edit = (change: Partial<PlanBody>) => setEdits({ ...edits, ...change });
  const keep = (change: Partial<PlanBody> = {}) => {
    const next = { ...plan, ...change };
    if (!next.name.trim()) return;
    edit(change);
    const kept = () =>
      setEdits((now) =>
        Object.fromEntries(
          Object.entries(now).filter(([key, value]) => value !== next[key as keyof PlanBody]),
        ),
      );
    onChange({ ...edits, ...change }).then(kept, kept);
  };
  const [to] = row.window.split(":");
  return (
    <section
      className="card grid grid-cols-[1.5fr_1fr_1fr_0.8fr_1fr_auto] narrow:grid-cols-[repeat(auto-fit,minmax(min(150px,100%),1fr))] items-end gap-4 p-3"
      aria-label="Plan"
    >
      <label className="grid gap-1 text-12 text-quiet">
        Name
        <Input
          className="text-13"
          value={plan.name}
          maxLength={80}
          disabled={!draft}
          onChange={(event) => edit({ name: event.target.value })}
          onBlur={() => plan.name !== row.name && keep()}
        />
      </label>
      <label className="grid gap-1 text-12 text-quiet">
        Sent on
        <Input
          type="date"
          className="text-13"
          value={plan.send_on}
          disabled={!draft}
          onChange={(event) => event.target.value && keep({ send_on: event.target.value })}
        />
      </label>
      <label className="grid gap-1 text-12 text-quiet">
        Result read on
        <Input
          type="date"
          className="text-13"
          value={plan.read_on}
          disabled={!draft}
          onChange={(event) => event.target.value && keep({ read_on: event.target.value })}
        />
      </label>
      <label className="grid gap-1 text-12 text-quiet">
        Days of rest before
        <Input
          type="number"
          min={0}
          max={365}
          className="text-13"
          value={plan.rest_days ?? 0}
          disabled={!draft}
          title="Whoever was written to in so many days before is left in peace"
          onChange={(event) => edit({ rest_days: Number(event.target.value) })}
          onBlur={() => plan.rest_days !== row.rest_days && keep()}
        />
      </label>
      <label className="grid gap-1 text-12 text-quiet">
        Versions
        <Select
          className="py-1 text-13"
          value={splitOf(plan.versions ?? [1])}
          options={splitsFor(plan.versions ?? [1])}
          disabled={!draft}
          onChange={(split) => keep({ versions: split.split(":").map((part) => Number(part)) })}
        />
      </label>
      {canChange && row.state !== "handed over" && <Button onClick={onDrop}>Delete</Button>}
      <p className="col-span-6 text-12 text-quiet">
        {row.brought_in
          ? "Sent from elsewhere, and brought in with its list."
          : `${whomWords(row)}, as known on ${day(to ?? "")}. The draw is stratified by segment and band of spend, seed ${row.seed}.`}
      </p>
    </section>
  );
}
