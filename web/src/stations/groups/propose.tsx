import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, fixed } from "@/charts/format";
import { PickPicture } from "@/charts/picture";
import { Dissolves, Rings } from "@/stations/groups/rings";
import { layout } from "@/stations/groups/layout";
import { useTold } from "@/stations/groups/queries";
import type { Row } from "@/stations/groups/queries";
import { Arc } from "@/marks/state-mark";
import { useStudy } from "@/study/context";
import { useJobActions, useNewest } from "@/study/queries";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";

type Body = Schemas["GroupProposal"];
const KINDS: Record<string, string> = {
  "what tells apart": "By what tells apart",
  "all alike": "All columns alike",
  "a tree": "As a tree",
};
const TIMES = [
  [30, "half a minute"],
  [60, "a minute"],
  [180, "three minutes"],
] as const;

interface Props {
  onRun: (run: string, k: number) => void;
  onCompare: (first: string, second: string) => void;
  onAdopt: (row: Row) => void;
}

/** Three groupings that differ in kind, made while one watches, with reasons and doubts. */
export function Propose({ onRun, onCompare, onAdopt }: Props) {
  const { study, view, canChange } = useStudy();
  const told = useTold();
  const { cancel } = useJobActions(study.id);
  const [seconds, setSeconds] = useState(60);
  const path = { params: { path: { study: study.id }, query: view } };
  const proposals = useQuery({
    queryKey: ["study", study.id, "proposals", view],
    queryFn: ({ signal }) =>
      data(api.GET("/api/studies/{study}/groups/proposals", { ...path, signal })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) =>
      ["waiting", "running"].includes(query.state.data?.job?.state ?? "") ? 2000 : false,
  });
  const begin = useMutation({
    mutationFn: () =>
      data(api.POST("/api/studies/{study}/groups/proposals", { ...path, body: { seconds } })),
    ...told,
  });
  const job = useNewest(study.id, proposals.data?.job);
  if (proposals.isError) return <Failed words={proposals.error.message} />;
  if (!proposals.data) return <Waiting />;
  const page = proposals.data;
  const open = !!job && ["waiting", "running"].includes(job.state);
  const [first, second] = page.proposals;
  return (
    <section className="grid gap-3" aria-label="Proposals">
      <div className="card flex items-center gap-4 p-3">
        {open && <Arc share={job.of > 0 ? job.done / job.of : 0} size={30} />}
        <p className="flex-1 text-12">
          {open ? (
            <>
              <b className="font-semibold">
                {page.proposals.length === 0
                  ? "Looking for groupings"
                  : `${page.proposals.length} of 3 are there`}
                : {job.stage || "beginning"}.
              </b>{" "}
              <span className="text-quiet">
                Each appears as soon as it is judged. No further kind is begun after {page.budget}{" "}
                seconds.
              </span>
            </>
          ) : page.proposals.length > 0 ? (
            <>
              <b className="font-semibold">
                {page.proposals.length === 1
                  ? "One proposal"
                  : `${page.proposals.length} proposals that differ in kind`}
                .
              </b>{" "}
              <span className="text-quiet">
                {!page.done && "Time was up before the other kinds were tried. "}
                Measures that are not left out were tried with the picked traits, k from 2 to 11.
                {page.left_out.length > 0 &&
                  ` Left out: ${page.left_out
                    .slice(0, 4)
                    .map((each) => `${each.label} (${each.why})`)
                    .join(
                      ", ",
                    )}${page.left_out.length > 4 ? ` and ${page.left_out.length - 4} more` : ""}.`}
              </span>
            </>
          ) : (
            <span className="text-quiet">
              <b className="font-semibold text-ink">Let Sortija propose groupings.</b> It prepares
              every measure that is not left out, tries three kinds of grouping with every k from 2
              to 11, and says what speaks for and against each.
            </span>
          )}
        </p>
        {open ? (
          <Button disabled={cancel.isPending} onClick={() => cancel.mutate(job.id)}>
            Stop
          </Button>
        ) : (
          canChange &&
          !page.done && (
            <span className="flex items-center gap-2">
              <Select
                label="How long it may take"
                value={String(seconds)}
                className="text-12"
                onChange={(value) => setSeconds(Number(value))}
                options={TIMES.map(([value, words]) => [String(value), `within ${words}`] as const)}
              />
              <Button
                kind={page.proposals.length ? "plain" : "main"}
                disabled={begin.isPending}
                onClick={() => begin.mutate()}
              >
                {page.proposals.length ? "Go on" : "Begin"}
              </Button>
            </span>
          )
        )}
      </div>
      {job?.state === "failed" && <Failed words={job.error} />}
      <div className="grid grid-cols-3 items-stretch gap-3">
        {page.proposals.map((proposal) => (
          <Card
            key={proposal.run}
            proposal={proposal}
            canChange={canChange}
            onRun={onRun}
            onAdopt={onAdopt}
          />
        ))}
        {open &&
          Array.from({ length: 3 - page.proposals.length }, (_, n) => (
            <div key={n} className="card min-h-[300px] animate-pulse" aria-hidden />
          ))}
      </div>
      {first && second && (
        <p className="px-1 text-12">
          {page.proposals.slice(1).map((other) => (
            <button
              key={other.run}
              type="button"
              className="mr-4 underline"
              onClick={() => onCompare(`g${first.candidate.id}`, `g${other.candidate.id}`)}
            >
              Compare “{KINDS[first.kind]}” with “{KINDS[other.kind]}”
            </button>
          ))}
        </p>
      )}
    </section>
  );
}

function Card({
  proposal,
  canChange,
  onRun,
  onAdopt,
}: {
  proposal: Body;
  canChange: boolean;
} & Pick<Props, "onRun" | "onAdopt">) {
  const row = proposal.candidate;
  const rings = layout([row], 250)[0] ?? [];
  return (
    <article className="card flex flex-col p-3">
      <h2 className="text-14">{KINDS[proposal.kind] ?? proposal.kind}</h2>
      <p className="text-12 text-quiet">
        {row.k} groups, {proposal.method}, {proposal.columns.length} columns
      </p>
      <PickPicture viewBox="0 0 262 56" className="my-2 block w-full" label={`${row.k} groups`}>
        <Dissolves />
        <Rings row={row} rings={rings} left={6} y={28} onOpen={() => onRun(proposal.run, row.k)} />
      </PickPicture>
      <dl className="grid grid-cols-3 gap-2 text-12">
        <Figure
          words="silhouette"
          value={row.silhouette === null ? "–" : fixed(row.silhouette)}
          more={proposal.bound === null ? "" : `without groups ${fixed(proposal.bound)}`}
        />
        <Figure words="weakest" value={row.weakest.toFixed(2)} more="comes back" />
        <Figure
          words="smallest"
          value={`${(100 * row.smallest).toFixed(0)}%`}
          more={count(Math.min(...row.counts))}
        />
      </dl>
      <h3 className="mt-3 text-12">For it</h3>
      <ul className="text-12">
        {proposal.reasons.map((reason) => (
          <li key={reason} className="mt-1 border-l-2 border-everyone pl-2">
            {reason}
          </li>
        ))}
      </ul>
      <h3 className="mt-3 text-12">Against it</h3>
      <ul className="flex-1 text-12">
        {proposal.doubts.map((doubt) => (
          <li key={doubt} className="mt-1 border-l-2 border-below pl-2">
            {doubt}
          </li>
        ))}
        {row.equals && <li className="mt-1 border-l-2 border-below pl-2">{row.equals}</li>}
        {row.refusal && <li className="mt-1 border-l-2 border-below pl-2">{row.refusal}</li>}
        {proposal.doubts.length === 0 && !row.refusal && (
          <li className="mt-1 text-quiet">Nothing found.</li>
        )}
      </ul>
      <div className="mt-3 flex gap-2">
        <Button className="flex-1" onClick={() => onRun(proposal.run, row.k)}>
          See every k
        </Button>
        {canChange && (
          <Button className="flex-1" disabled={row.refusal !== ""} onClick={() => onAdopt(row)}>
            Adopt these {row.k}
          </Button>
        )}
      </div>
    </article>
  );
}

function Figure({ words, value, more }: { words: string; value: string; more: string }) {
  return (
    <div>
      <dt className="text-11 text-quiet">{words}</dt>
      <dd className="text-14 font-semibold">{value}</dd>
      <dd className="text-11 text-quiet">{more}</dd>
    </div>
  );
}
