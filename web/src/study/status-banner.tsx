import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import type { ReactNode } from "react";

import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { Arc } from "@/marks/state-mark";
import { useStudy } from "@/study/context";
import { lookAgain, useJobActions, useNewest } from "@/study/queries";
import { Button } from "@/ui/button";
import { Failed, Working } from "@/ui/status";

type Status = Schemas["Status"];

const OPEN = ["waiting", "running"];

/** How a station stands, at its head: being made, from before a change, or broken off. */
export function StatusBanner({ status, offer }: { status: Status; offer?: ReactNode }) {
  const { study, canChange } = useStudy();
  const { cancel, again } = useJobActions(study.id);
  const job = useNewest(study.id, status.job);
  const open = !!job && OPEN.includes(job.state);
  const queries = useQueryClient();
  // The pulse sees jobs that are there when it looks; one that ends sooner would be missed here.
  useEffect(() => {
    if (!open) return;
    const timer = window.setInterval(() => void lookAgain(queries, study.id), 2000);
    return () => window.clearInterval(timer);
  }, [open, queries, study.id]);
  const begin = (words: string) =>
    job && (
      <Button disabled={!canChange || again.isPending} onClick={() => again.mutate(job.id)}>
        {words}
      </Button>
    );
  if (status.state === "working" && job) {
    return <Working job={job} onStop={() => cancel.mutate(job.id)} stopping={cancel.isPending} />;
  }
  if (status.state === "failed") {
    return <Failed words={status.words ?? ""} action={offer ?? begin("Try again")} />;
  }
  if (status.state !== "out of date") return null;
  const share = job && job.of > 0 ? Math.min(1, job.done / job.of) : 0;
  return (
    <section className="card stale flex items-center gap-3 p-3" aria-live="polite">
      {open && <Arc share={share} size={26} />}
      <p className="flex-1">
        <b className="font-semibold">{status.words}</b>{" "}
        {open ? (
          <span className="text-quiet">
            Being brought up to date
            {job.of > 0 && `: ${job.stage}, ${count(job.done)} of ${count(job.of)}`}
            {timeLeft(job, status)}. Figures below are hatched until then.
          </span>
        ) : (
          <span className="text-quiet">
            Figures below are out of date (hatched).
            {status.seconds && ` Bringing it up to date takes ${seconds(status.seconds)}.`}
          </span>
        )}
      </p>
      {open ? (
        <Button disabled={cancel.isPending} onClick={() => cancel.mutate(job.id)}>
          Stop
        </Button>
      ) : (
        (offer ?? begin("Bring up to date"))
      )}
    </section>
  );
}

function timeLeft(job: Schemas["JobRow"], status: Status): string {
  const left = job.seconds_left ?? status.seconds ?? null;
  return left === null ? "" : `, ${seconds(left)} to go`;
}

function seconds(value: number): string {
  return value < 90 ? `about ${value} s` : `about ${Math.round(value / 60)} minutes`;
}

/** Figures from before a change: readable, but hatched. */
export function Stale({ status, children }: { status: Status; children: ReactNode }) {
  const old = status.state === "out of date" || status.state === "failed";
  return (
    <div
      className={`grid grid-cols-[minmax(0,1fr)] gap-3 ${old ? "stale-over" : ""}`}
      data-testid={old ? "out-of-date" : undefined}
    >
      {children}
    </div>
  );
}
