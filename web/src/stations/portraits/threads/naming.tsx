import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { moment } from "@/charts/format";
import { HUES } from "@/marks/hues";
import { colourOf, markOf, markWords, SegmentMark, shapeOf } from "@/marks/segment-mark";
import type { SegmentBody } from "@/stations/portraits/use-segment-change";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";
import { Select } from "@/ui/select";

type Segment = Schemas["SegmentHead"];
type Change = (body: SegmentBody) => Promise<unknown>;
type Typed = Partial<Record<"name" | "short" | "notes", string>>;

/** What is typed, less what was kept; what was typed while it was on its way stays. */
function without(now: Typed, then: Typed, kept: SegmentBody): Typed {
  const names = ["name", "short", "notes"] as const;
  const left = names.filter((name) => kept[name] === undefined || now[name] !== then[name]);
  return Object.fromEntries(left.filter((name) => name in now).map((name) => [name, now[name]]));
}

/** A segment's name and why, its short form, mark, owner, notes, and what it was called before. */
export function Naming({ segment, onChange }: { segment: Segment; onChange: Change }) {
  const { canChange } = useStudy();
  // What is being typed; the record shows again as soon as it is kept.
  const [typed, setTyped] = useState<Typed>({});
  const { name, short, notes } = { ...segment, ...typed };
  const type = (part: typeof typed) => setTyped((now) => ({ ...now, ...part }));
  const keep = (body: SegmentBody) =>
    onChange(body).then(
      () => setTyped((now) => without(now, typed, body)),
      () => undefined, // said beside; what was typed stays
    );
  const reason = segment.proposals.find((proposal) => proposal.name === segment.name)?.reason;
  const others = segment.proposals.filter((proposal) => proposal.name !== segment.name);
  const renamed = name !== segment.name || short !== segment.short;
  return (
    <section className="card p-3" aria-label="The segment">
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (!name.trim() || !renamed) return;
          void keep({
            ...(name !== segment.name && { name }),
            ...(short !== segment.short && { short }),
          });
        }}
      >
        <MarkChoice segment={segment} disabled={!canChange} onMark={(mark) => keep({ mark })} />
        <Input
          aria-label="Name of the segment"
          value={name}
          maxLength={40}
          disabled={!canChange}
          onChange={(event) => type({ name: event.target.value })}
          look="bare"
          className="min-w-0 flex-1 font-head text-14 font-semibold"
        />
        <Input
          aria-label="Short name"
          title="Short name, for narrow places"
          value={short}
          maxLength={12}
          disabled={!canChange}
          onChange={(event) => type({ short: event.target.value })}
          look="bare"
          className="w-24 text-12 text-quiet"
        />
        {renamed && (
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
        maxLength={4000}
        onChange={(event) => type({ notes: event.target.value })}
        onBlur={() => notes !== segment.notes && void keep({ notes })}
        rows={2}
        className="mt-2 w-full rounded-md border border-line px-2 py-1"
      />
      <p className="mt-1 flex items-center justify-between gap-2 text-12 text-quiet">
        <Owner segment={segment} disabled={!canChange} onOwner={(owner) => keep({ owner })} />
        <FormerNames segment={segment} canChange={canChange} onChange={keep} />
      </p>
    </section>
  );
}

/** Shape and colour; who has one of them already takes the former one in exchange. */
function MarkChoice(props: {
  segment: Segment;
  disabled: boolean;
  onMark: (mark: number) => Promise<unknown>;
}) {
  const { segment, disabled, onMark } = props;
  const [shape, colour] = [shapeOf(segment.mark), colourOf(segment.mark)];
  const choice = "grid size-8 place-items-center rounded-md border hover:border-quiet";
  const look = (on: boolean) => `${choice} ${on ? "border-ink" : "border-line"}`;
  return (
    <Popover.Root>
      <Popover.Trigger
        disabled={disabled}
        aria-label={`Mark: ${markWords(segment.mark)}`}
        title="Change the mark"
        className="grid size-7 shrink-0 place-items-center rounded-md border border-transparent hover:border-line"
      >
        <SegmentMark mark={segment.mark} size={20} />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={6} className="card z-40 w-64 p-3 shadow-lg">
          <h3 className="text-12">Shape</h3>
          <div className="mt-1 grid grid-cols-6 gap-1" role="group" aria-label="Shape">
            {Array.from({ length: 12 }, (_, each) => (
              <button
                key={each}
                type="button"
                aria-pressed={each === shape}
                aria-label={markWords(each)}
                className={look(each === shape)}
                onClick={() => void onMark(markOf(each, colour))}
              >
                <SegmentMark mark={markOf(each, colour)} size={18} />
              </button>
            ))}
          </div>
          <h3 className="mt-2 text-12">Colour</h3>
          <div className="mt-1 grid grid-cols-6 gap-1" role="group" aria-label="Colour">
            {HUES.map((hue, each) => (
              <button
                key={hue}
                type="button"
                aria-pressed={each === colour}
                aria-label={`Colour ${each + 1}`}
                className={look(each === colour)}
                onClick={() => void onMark(markOf(shape, each))}
              >
                <span aria-hidden className="block size-4 rounded-sm" style={{ background: hue }} />
              </button>
            ))}
          </div>
          <p className="mt-2 text-11 text-quiet">
            A segment that has it already takes this one’s in exchange.
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Who of the study looks after the segment. */
function Owner(props: {
  segment: Segment;
  disabled: boolean;
  onOwner: (member: number) => Promise<unknown>;
}) {
  const { segment, disabled, onOwner } = props;
  const { study } = useStudy();
  const members = useQuery({
    queryKey: ["study", study.id, "members"],
    queryFn: () =>
      data(api.GET("/api/studies/{study}/members", { params: { path: { study: study.id } } })),
  });
  const people = members.data?.members ?? [];
  const present = people.find((member) => member.name === segment.owner);
  const gone = segment.owner && !present ? ([["gone", segment.owner]] as const) : [];
  return (
    <label className="flex items-center gap-1.5">
      Looked after by
      <Select
        look="word"
        value={present ? String(present.id) : segment.owner ? "gone" : "0"}
        disabled={disabled}
        options={[
          ["0", "nobody"],
          ...gone,
          ...people.map((member) => [String(member.id), member.name] as const),
        ]}
        onChange={(member) => member !== "gone" && void onOwner(Number(member))}
      />
    </label>
  );
}

/** What the segment was called before; any of it can be taken again. */
function FormerNames(props: { segment: Segment; canChange: boolean; onChange: Change }) {
  const { segment, canChange, onChange } = props;
  const { study } = useStudy();
  const [open, setOpen] = useState(false);
  const names = useQuery({
    queryKey: ["study", study.id, "portraits names", segment.id],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/portraits/segments/{segment}/names", {
          params: { path: { study: study.id, segment: segment.id } },
        }),
      ),
    enabled: open,
  });
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="underline hover:text-ink">names before</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          className="card z-40 w-72 p-3 text-12 shadow-lg"
        >
          {names.data?.names.length === 0 && (
            <p className="text-quiet">It has had no other name.</p>
          )}
          {names.isError && <p className="text-alarm">{names.error.message}</p>}
          <ul className="grid gap-1.5">
            {names.data?.names.map((former) => (
              <li key={former.name} className="flex items-center justify-between gap-2">
                <span>
                  <b className="block font-semibold">{former.name}</b>
                  <span className="text-11 text-quiet">
                    until {moment(former.until)}, renamed by {former.who}
                  </span>
                </span>
                {canChange && (
                  <Button
                    className="py-0.5"
                    onClick={() => {
                      setOpen(false);
                      void onChange({ name: former.name, short: former.short });
                    }}
                  >
                    Take again
                  </Button>
                )}
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
