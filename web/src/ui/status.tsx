import { useQueryClient } from "@tanstack/react-query";
import type { Query } from "@tanstack/react-query";
import { useEffect } from "react";
import type { ReactNode } from "react";

import { mayComeBack } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { Arc } from "@/marks/state-mark";
import { Button } from "@/ui/button";

/** A station that is still empty: what will be here, and the next step. */
export function Empty({
  title,
  children,
  action,
}: {
  title: string;
  children: ReactNode;
  action?: ReactNode;
}) {
  return (
    <section className="card grid min-h-[380px] place-items-center p-10">
      <div className="max-w-md text-center">
        <h2 className="text-14">{title}</h2>
        <div className="mt-2 text-quiet">{children}</div>
        {action && <div className="mt-5">{action}</div>}
      </div>
    </section>
  );
}

/** What failed, where, and what to do about it; an answer that did not come is asked for again. */
export function Failed({ words, action }: { words: string; action?: ReactNode }) {
  return (
    <section role="alert" className="card flex items-start gap-4 border-l-4 border-l-alarm p-4">
      <div className="flex-1">
        <h2 className="text-14">This did not work</h2>
        <p className="mt-1 text-quiet">{words}</p>
      </div>
      {action ?? <AskAgain />}
    </section>
  );
}

const UNANSWERED = {
  type: "active",
  predicate: (query: Query) => query.state.status === "error",
} as const;

const LATER = {
  type: "active",
  predicate: (query: Query) => query.state.status === "error" && mayComeBack(query.state.error),
} as const;
/** What the server could not answer, rather than would not, is asked for again so often. */
const AGAIN_AFTER = 10_000;

function AskAgain() {
  const queries = useQueryClient();
  useEffect(() => {
    const again = () => void queries.refetchQueries(LATER);
    const timer = window.setInterval(again, AGAIN_AFTER);
    window.addEventListener("online", again);
    return () => {
      window.clearInterval(timer);
      window.removeEventListener("online", again);
    };
  }, [queries]);
  if (queries.getQueryCache().findAll(UNANSWERED).length === 0) return null;
  return <Button onClick={() => void queries.refetchQueries(UNANSWERED)}>Try again</Button>;
}

/** A job under way: how far, how long still, and a way to stop it. */
export function Working({
  job,
  onStop,
  stopping,
}: {
  job: Schemas["JobRow"];
  onStop: () => void;
  stopping: boolean;
}) {
  const share = job.of > 0 ? Math.min(1, job.done / job.of) : 0;
  return (
    <section className="card flex items-center gap-4 p-4" aria-live="polite">
      <Arc share={share} size={34} />
      <div className="flex-1">
        <h2 className="text-14">{job.words}</h2>
        <p className="mt-0.5 text-quiet">
          {job.state === "waiting" ? "waiting in the queue" : job.stage || "beginning"}
          {job.of > 0 && `, ${count(job.done)} of ${count(job.of)}`}
          {job.seconds_left !== null && `, about ${job.seconds_left} s to go`}
        </p>
      </div>
      <Button onClick={onStop} disabled={stopping}>
        Stop
      </Button>
    </section>
  );
}

/** A block of the page while its figures are on their way. */
export function Waiting({ height = 380 }: { height?: number }) {
  return (
    <div className="card animate-pulse" style={{ height }} aria-label="Loading" role="status" />
  );
}
