import { useState } from "react";

import { day } from "@/charts/format";
import type { PlanBody, Row } from "@/stations/campaigns";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";

interface Props {
  row: Row;
  canChange: boolean;
  onChange: (body: PlanBody) => Promise<unknown>;
  onDrop: () => void;
}

/** Name, dates and the share held out; fixed once the holdout is drawn. */
export function Plan({ row, canChange, onChange, onDrop }: Props) {
  // What is being typed or dragged; the record shows again as soon as it is kept or refused.
  const [edits, setEdits] = useState<Partial<PlanBody>>({});
  const plan: PlanBody = {
    name: row.name,
    send_on: row.send_on,
    read_on: row.read_on,
    holdout: row.holdout,
    ...edits,
  };
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
    onChange(next).then(kept, kept);
  };
  const [to] = row.window.split(":");
  return (
    <section
      className="card grid grid-cols-[1.4fr_1fr_1fr_1.4fr_auto] items-end gap-4 p-3"
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
        Held out: {(100 * (plan.holdout ?? 0)).toFixed(0)}%
        <input
          type="range"
          min={0}
          max={0.5}
          step={0.05}
          value={plan.holdout}
          disabled={!draft}
          aria-label="Share held out"
          className="accent-ink"
          onChange={(event) => edit({ holdout: Number(event.target.value) })}
          onPointerUp={() => plan.holdout !== row.holdout && keep()}
          onKeyUp={() => plan.holdout !== row.holdout && keep()}
        />
      </label>
      {canChange && row.state !== "handed over" && <Button onClick={onDrop}>Delete</Button>}
      <p className="col-span-5 text-12 text-quiet">
        {row.clauses.length === 0
          ? "Everyone"
          : `${row.clauses.length} clause${row.clauses.length > 1 ? "s" : ""} of the lens`}
        , as known on {day(to ?? "")}. The draw is stratified by segment and band of spend, seed{" "}
        {row.seed}.
      </p>
    </section>
  );
}
