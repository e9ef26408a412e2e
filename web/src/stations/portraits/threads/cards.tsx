import { useState } from "react";

import type { Schemas } from "@/api/client";
import { count, inUnit } from "@/charts/format";
import { useLens } from "@/lens/context";
import { SegmentMark } from "@/marks/segment-mark";
import type { SegmentBody } from "@/stations/portraits";
import { MoneyCurve } from "@/stations/portraits/threads/money-curve";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";

interface Props {
  page: Schemas["PortraitsPage"];
  segment: Schemas["SegmentHead"];
  onChange: (body: SegmentBody) => Promise<unknown>;
}

/** The chosen segment: its name and why, who is typical, who stands on the border. */
export function SegmentCards({ page, segment, onChange }: Props) {
  const { study, canChange } = useStudy();
  const lens = useLens();
  const rival = page.segments.find((other) => other.number === segment.border_towards);
  const rows = page.numeric.filter((row) => row.shaped).slice(0, 3);
  const places = rows.map((row) => page.numeric.indexOf(row));
  return (
    <div
      className={`grid gap-3 ${page.curve ? "grid-cols-[1.3fr_1fr_1fr_1.1fr]" : "grid-cols-[1.3fr_1fr_1fr]"}`}
    >
      <Naming key={segment.id} segment={segment} canChange={canChange} onChange={onChange} />
      <section className="card p-3">
        <h2 className="text-14">Most typical</h2>
        <ul className="mt-1">
          {segment.typical.map((customer) => (
            <li key={customer.card} className="border-t border-line py-1 first:border-t-0">
              <span className="font-semibold">{customer.card}</span>{" "}
              <span className="text-12 text-quiet">
                {rows
                  .map(
                    (row, index) =>
                      `${row.label.toLowerCase()} ${inUnit(customer.values[places[index] ?? 0], row.unit, study.currency)}`,
                  )
                  .join(", ")}
              </span>
            </li>
          ))}
        </ul>
      </section>
      <section className="card flex flex-col p-3">
        <h2 className="text-14">On the border</h2>
        <p className="mt-1 flex-1">
          {segment.border === 0 ? (
            <>Nobody of {segment.name} stands almost as close to another group.</>
          ) : (
            <>
              <b className="font-semibold">
                {count(segment.border)} of {count(segment.customers)}
              </b>{" "}
              stand almost as close to another group
              {rival && (
                <>
                  , most of them ({count(segment.border_towards_customers)}) to{" "}
                  <span className="inline-flex items-center gap-1 align-bottom">
                    <SegmentMark mark={rival.mark} size={14} /> {rival.name}
                  </span>
                </>
              )}
              .
            </>
          )}
        </p>
        <Button
          className="mt-2 w-fit"
          onClick={() => lens.pick("segment:now", { value: String(segment.number) }, false)}
        >
          Look at these {count(segment.customers)}
        </Button>
      </section>
      <MoneyCurve page={page} />
    </div>
  );
}

function Naming({
  segment,
  canChange,
  onChange,
}: {
  segment: Schemas["SegmentHead"];
  canChange: boolean;
  onChange: (body: SegmentBody) => Promise<unknown>;
}) {
  // What is being typed; the record shows again as soon as it is kept.
  const [typedName, setName] = useState<string | null>(null);
  const [typedNotes, setNotes] = useState<string | null>(null);
  const name = typedName ?? segment.name;
  const notes = typedNotes ?? segment.notes;
  const keep = (body: SegmentBody) =>
    onChange(body).then(
      () => {
        if (body.name !== undefined) setName(null);
        if (body.notes !== undefined) setNotes((now) => (now === body.notes ? null : now));
      },
      () => undefined, // said beside; what was typed stays
    );
  const reason = segment.proposals.find((proposal) => proposal.name === segment.name)?.reason;
  const others = segment.proposals.filter((proposal) => proposal.name !== segment.name);
  return (
    <section className="card p-3">
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim() && name !== segment.name) void keep({ name });
        }}
      >
        <SegmentMark mark={segment.mark} size={20} />
        <Input
          aria-label="Name of the segment"
          value={name}
          maxLength={40}
          disabled={!canChange}
          onChange={(event) => setName(event.target.value)}
          look="bare"
          className="min-w-0 flex-1 font-head text-14 font-semibold"
        />
        {name !== segment.name && (
          <Button type="submit" className="py-1">
            Rename
          </Button>
        )}
      </form>
      <p className="mt-1 text-12 text-quiet">
        {reason ? `Name proposed ${reason}.` : "Named by hand."}
      </p>
      {canChange && others.length > 0 && (
        <p className="mt-1.5 flex flex-wrap gap-1.5 text-12">
          <span className="text-quiet">or</span>
          {others.map((proposal) => (
            <button
              key={proposal.name}
              type="button"
              title={proposal.reason}
              className="min-h-[24px] rounded-md border border-line px-1.5 hover:border-quiet"
              onClick={() => void keep({ name: proposal.name })}
            >
              {proposal.name}
            </button>
          ))}
        </p>
      )}
      <textarea
        aria-label="Notes"
        placeholder="Notes for the marketing team"
        value={notes}
        disabled={!canChange}
        onChange={(event) => setNotes(event.target.value)}
        onBlur={() => notes !== segment.notes && void keep({ notes })}
        rows={2}
        className="mt-2 w-full rounded-md border border-line px-2 py-1"
      />
    </section>
  );
}
