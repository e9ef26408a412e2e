import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { mark } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Input } from "@/ui/input";
import { useNotice } from "@/ui/notices";

/** Which service delivers the letters of a study. */
export function Service({ host }: { host: string }) {
  const [open, setOpen] = useState(false);
  return (
    <section
      className="flex flex-wrap items-center gap-2 px-1 text-12 text-quiet"
      aria-label="Delivery service"
    >
      <p>
        {host
          ? `Letters are delivered by ${host}.`
          : "No delivery service: lists leave as files, and what became of them comes back as files."}
      </p>
      <Button onClick={() => setOpen(true)}>{host ? "The service" : "Connect a service"}</Button>
      <Card title="Delivery service" open={open} wide onClose={() => setOpen(false)}>
        {open && <Known onDone={() => setOpen(false)} />}
      </Card>
    </section>
  );
}

function Known({ onDone }: { onDone: () => void }) {
  const { study } = useStudy();
  const found = useQuery({
    queryKey: ["study", study.id, "delivery service"],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/campaigns/delivery", {
          params: { path: { study: study.id } },
        }),
      ),
  });
  if (found.isError) return <p role="alert">{found.error.message}</p>;
  return found.data ? <Form service={found.data} onDone={onDone} /> : null;
}

function Form({ service, onDone }: { service: Schemas["ServiceBody"]; onDone: () => void }) {
  const { study } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const owner = study.role === "owner";
  const [url, setUrl] = useState(service.url);
  const [token, setToken] = useState("");
  const [wait, setWait] = useState(service.wait_minutes);
  const keep = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/api/studies/{study}/campaigns/delivery", {
          params: { path: { study: study.id } },
          body: { url, token: token || null, wait_minutes: wait },
          headers: mark(service.revision),
        }),
      ),
    onSuccess: (next) => {
      say(next.host ? `Letters are delivered by ${next.host}.` : "No service delivers letters.");
      onDone();
    },
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
  return (
    <form
      className="mt-3 grid gap-3 text-12"
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate();
      }}
    >
      {service.url && (
        <p>
          <a className="text-copper underline" href={service.url} target="_blank" rel="noreferrer">
            {service.host}
          </a>{" "}
          <span className="text-quiet">opens what the service itself shows.</span>
        </p>
      )}
      <label className="grid gap-1 text-quiet">
        Address; letters are posted to it with /messages behind
        <Input
          type="url"
          placeholder="https://post.example.org"
          value={url}
          disabled={!owner}
          className="text-13"
          onChange={(event) => setUrl(event.target.value)}
        />
      </label>
      <label className="grid gap-1 text-quiet">
        Token that it knows us by
        <Input
          type="password"
          autoComplete="off"
          placeholder={service.has_token ? "kept as it is" : "none"}
          value={token}
          disabled={!owner}
          className="text-13"
          onChange={(event) => setToken(event.target.value)}
        />
      </label>
      <label className="flex items-center gap-2 text-quiet">
        Minutes that letters wait in the outbox
        <Input
          type="number"
          min={0}
          max={1440}
          value={wait}
          disabled={!owner}
          className="w-20 text-13"
          onChange={(event) => setWait(Number(event.target.value))}
        />
      </label>
      {service.secret && (
        <div className="grid gap-1 text-quiet">
          <p>
            It tells what became of letters at this address, signed with this secret (Standard
            Webhooks):
          </p>
          <code className="text-11 break-all text-ink">{service.events_to}</code>
          <code className="text-11 break-all text-ink">{service.secret}</code>
        </div>
      )}
      {owner ? (
        <div className="flex justify-end">
          <Button kind="main" type="submit" disabled={keep.isPending}>
            Keep it
          </Button>
        </div>
      ) : (
        <p className="text-quiet">Owners of the study can change this.</p>
      )}
    </form>
  );
}
