import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { clock, count } from "@/charts/format";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { Button } from "@/ui/button";
import { useNotice } from "@/ui/notices";

type OutboxRow = Schemas["OutboxRow"];

const LOOK_AGAIN = 2000;

interface Props {
  rows: OutboxRow[];
  service: string;
  onChoose: (id: number) => void;
}

/** What is on its way out and can still be stopped, of every campaign. */
export function Outbox({ rows, service, onChoose }: Props) {
  const { study } = useStudy();
  const queries = useQueryClient();
  const some = rows.length > 0;
  useEffect(() => {
    if (!some) return;
    const timer = window.setInterval(() => void askAnew(queries, study.id), LOOK_AGAIN);
    return () => window.clearInterval(timer);
  }, [some, queries, study.id]);
  if (!some) return null;
  return (
    <section className="card border-l-4 border-l-copper px-3 py-2" aria-label="Outbox">
      <ul className="grid gap-1.5">
        {rows.map((row) => (
          <Leaving key={row.campaign} row={row} service={service} onChoose={onChoose} />
        ))}
      </ul>
    </section>
  );
}

function Leaving({
  row,
  service,
  onChoose,
}: {
  row: OutboxRow;
  service: string;
  onChoose: (id: number) => void;
}) {
  const { study } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const stop = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/campaigns/{campaign}/outbox/stop", {
          params: { path: { study: study.id, campaign: row.campaign } },
        }),
      ),
    onSuccess: () => say(`Stopped ${row.name}. What has not left can be sent later.`),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
  const going = row.state === "going";
  return (
    <li className="flex flex-wrap items-center gap-3">
      <p className="min-w-0 flex-1">
        <button
          type="button"
          className="font-semibold hover:underline"
          onClick={() => onChoose(row.campaign)}
        >
          {row.name}
        </button>
        {going
          ? `: ${count(row.sent)} of ${count(row.total)} letters have left for ${service}.`
          : `: ${count(row.total)} letters go to ${service} at ${clock(row.goes_at)}${soon(row.seconds)}. After that they cannot be taken back.`}
      </p>
      <Button disabled={stop.isPending} onClick={() => stop.mutate()}>
        {going ? "Stop the rest" : "Stop it"}
      </Button>
    </li>
  );
}

function soon(seconds: number): string {
  if (seconds < 60) return ", within a minute";
  const minutes = Math.ceil(seconds / 60);
  return minutes < 60 ? `, in ${minutes} minutes` : "";
}
