import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Input } from "@/ui/input";
import { useNotice } from "@/ui/notices";

/** Attach a log that is too large to bring in, or that others keep: it is read where it lies. */
export function Attach({ places }: { places: string[] }) {
  const { study, canChange } = useStudy();
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [url, setUrl] = useState("");
  const attach = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/attachments", {
          params: { path: { study: study.id } },
          body: { url },
        }),
      ),
    onSuccess: () => setOpen(false),
    onSettled: () => askAnew(queries, study.id),
  });
  const [first] = places;
  if (!canChange || first === undefined) return null;
  return (
    <>
      <Button onClick={() => setOpen(true)}>Attach a log</Button>
      <Card title="A log that stays where it lies" open={open} wide onClose={() => setOpen(false)}>
        <form
          className="mt-3 grid gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            attach.mutate();
          }}
        >
          <label className="grid gap-1 text-12 text-quiet">
            Its folder or prefix
            <Input
              required
              className="text-13"
              placeholder={`${first}/…`}
              value={url}
              onChange={(event) => setUrl(event.target.value)}
            />
          </label>
          <p className="text-12 text-quiet">
            All files below it are read, CSV or Parquet, packed or not, and none is copied here for
            good. You see the first one before anything counts; new files are found by themselves.
          </p>
          <p className="text-12 text-quiet">
            Below {places.join(" or ")}, as whoever runs this server allows.
          </p>
          {attach.isError && (
            <p role="alert" className="text-12 break-words text-alarm">
              {attach.error.message}
            </p>
          )}
          <div className="flex justify-end">
            <Button kind="main" type="submit" disabled={attach.isPending || !url.trim()}>
              Look at it
            </Button>
          </div>
        </form>
      </Card>
    </>
  );
}

/** An attached log among the files that count. */
export function Attached({ attachment }: { attachment: Schemas["AttachmentRow"] }) {
  const { study, canChange } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const path = { params: { path: { study: study.id, attachment: attachment.id } } };
  const detach = useLedgerChange(
    () =>
      queueWrite(`attachment ${attachment.id}`, attachment.revision, (headers) =>
        data(api.DELETE("/api/studies/{study}/attachments/{attachment}", { ...path, headers })),
      ),
    () => `${attachment.url} no longer counts.`,
  );
  const look = useMutation({
    mutationFn: () => data(api.POST("/api/studies/{study}/attachments/{attachment}/look", path)),
    onSuccess: ({ job }) => say(job ? `${job.words}.` : `Nothing is new at ${attachment.url}.`),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () =>
      Promise.all([
        askAnew(queries, study.id),
        queries.invalidateQueries({ queryKey: ["pulse", study.id] }),
      ]),
  });
  const { files, there, lines, receipts, trouble, note } = attachment;
  const looked = `looked at ${day(attachment.looked_at.slice(0, 10))}`;
  return (
    <li className="border-t border-line py-1.5">
      <div className="flex items-baseline gap-2">
        <span className="min-w-0 flex-1">
          <span className="block font-semibold break-words">{attachment.url}</span>
          <span className="block text-12 text-quiet">
            {`Attached: ${count(files)} file${files === 1 ? "" : "s"}, ${count(lines)} lines, ${count(receipts)} receipts; ${looked}`}
            {there < files &&
              `. Only ${count(there)} are still there; what was read of the others counts on`}
            {note && `. ${note}`}
          </span>
        </span>
        {canChange && (
          <>
            <button
              type="button"
              className="shrink-0 text-12 text-quiet underline hover:text-ink"
              disabled={look.isPending}
              onClick={() => look.mutate()}
            >
              Look for new files
            </button>
            <button
              type="button"
              className="shrink-0 text-12 text-quiet underline hover:text-ink"
              onClick={() => detach.mutate(undefined)}
            >
              Detach
            </button>
          </>
        )}
      </div>
      {trouble && <p className="text-12 break-words text-alarm">{trouble}</p>}
    </li>
  );
}
