import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { day, percent } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import { Model } from "@/stations/groups/model";
import { useKept, useTold } from "@/stations/groups/queries";
import { mark } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { useNotice } from "@/ui/notices";
import { Empty, Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

/** The yardstick in use with the identities of its segments, and the earlier ones. */
export function AdoptedView({ adopted }: { adopted: Schemas["Adopted"] | null }) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_360px] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
      {adopted ? (
        <Identities adopted={adopted} />
      ) : (
        <Empty title="Nothing is adopted yet">
          What is adopted becomes the yardstick: it places any {unit.one} at any date, and
          Portraits, Crossings and Campaigns go by it until another takes its place.
        </Empty>
      )}
      <Earlier />
    </div>
  );
}

function Identities({ adopted }: { adopted: Schemas["Adopted"] }) {
  const { study, canChange, undo } = useStudy();
  const [held, setHeld] = useState<number | null>(null);
  const say = useNotice();
  const told = useTold();
  const swap = useMutation({
    mutationFn: (pair: { first: number; second: number }) =>
      data(
        api.POST("/api/studies/{study}/groups/swap", {
          params: { path: { study: study.id } },
          body: pair,
          headers: mark(adopted.id),
        }),
      ),
    onSuccess: () => say("Names, marks and notes swapped.", { undo }),
    ...told,
    onMutate: () => setHeld(null),
  });
  const carried = adopted.segments.some((segment) => segment.carried);
  return (
    <section className="card p-3" aria-label="Segments in use">
      <h2 className="text-14">
        {adopted.k} {adopted.ladder ? "tiers" : "segments"} in use
      </h2>
      <p className="mb-2 text-12 text-quiet">
        {adopted.person && `${adopted.person}, `}
        {day(adopted.at.slice(0, 10))}, on the window to {day(adopted.home_to)}.
        {adopted.since && ` Decided before: ${adopted.since}.`}{" "}
        {carried
          ? `Identities were carried over from the yardstick before, by shared ${unit.many}.`
          : `The next yardstick will carry their names and marks over where it shares their ${unit.many}.`}
      </p>
      <ul>
        {adopted.segments.map((segment) => (
          <li
            key={segment.id}
            className="flex items-center gap-2 border-t border-line py-1.5 text-13"
          >
            <SegmentMark mark={segment.mark} size={16} />
            <span
              data-testid="segment"
              className="min-w-0 flex-1 truncate font-semibold"
              title={segment.name}
            >
              {segment.name}
            </span>
            <span className="text-12 text-quiet">
              {segment.carried
                ? `carries on ${segment.carried === segment.name ? "the earlier one" : segment.carried}, ${percent(segment.carried_share ?? 0, 1, 0)} shared`
                : carried || adopted.vanished.length > 0
                  ? "new"
                  : ""}
            </span>
            {canChange && adopted.segments.length > 1 && (
              <button
                type="button"
                aria-label={
                  held === null
                    ? `Swap ${segment.name} with another`
                    : held === segment.id
                      ? "Cancel"
                      : `Swap with ${segment.name}`
                }
                className={`rounded border px-2 py-0.5 text-12 ${held === segment.id ? "border-ink" : "border-line hover:border-quiet"}`}
                onClick={() => {
                  if (held === null) setHeld(segment.id);
                  else if (held === segment.id) setHeld(null);
                  else swap.mutate({ first: held, second: segment.id });
                }}
              >
                {held === null ? "swap" : held === segment.id ? "leave" : "with this one"}
              </button>
            )}
          </li>
        ))}
      </ul>
      {adopted.vanished.length > 0 && (
        <p className="mt-2 text-12 text-quiet">
          Gone since the yardstick before: {adopted.vanished.join(", ")}.
        </p>
      )}
      <Model ladder={adopted.ladder} />
    </section>
  );
}

function Earlier() {
  const { study, canChange, undo } = useStudy();
  const say = useNotice();
  const told = useTold();
  const kept = useKept();
  const take = useMutation({
    mutationFn: (yardstick: number) =>
      data(
        api.POST("/api/studies/{study}/groups/take-up", {
          params: { path: { study: study.id } },
          body: { yardstick },
          headers: mark(kept.data?.yardsticks.find((row) => row.in_use)?.id ?? 0),
        }),
      ),
    onSuccess: (adopted) => say(`${adopted.k} segments are in use again.`, { undo }),
    ...told,
  });
  if (kept.isError) return <Failed words={kept.error.message} />;
  if (!kept.data) return <Waiting height={160} />;
  return (
    <section className="card p-3" aria-label="Earlier yardsticks">
      <h2 className="text-14">Yardsticks so far</h2>
      {kept.data.yardsticks.length === 0 && <p className="mt-1 text-12 text-quiet">None yet.</p>}
      <ol>
        {kept.data.yardsticks.map((row) => (
          <li key={row.id} className="mt-2 border-t border-line pt-2 text-12">
            <div className="flex items-baseline justify-between gap-2">
              <b className="font-semibold">
                {row.k} {row.ladder ? "tiers of a ladder" : "groups"}
              </b>
              {row.in_use ? (
                <span className="text-quiet">in use</span>
              ) : (
                canChange && (
                  <button type="button" className="underline" onClick={() => take.mutate(row.id)}>
                    Use again
                  </button>
                )
              )}
            </div>
            <p className="text-quiet">
              {row.person && `${row.person}, `}
              {day(row.at.slice(0, 10))}, window to {day(row.home_to)}
              {row.since && `; ${row.since}`}
            </p>
            <p className="line-clamp-2" title={row.names.join(", ")}>
              {row.names.join(", ")}
            </p>
          </li>
        ))}
      </ol>
    </section>
  );
}
