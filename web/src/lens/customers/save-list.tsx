import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { useStudy } from "@/study/context";
import { useJobActions } from "@/study/queries";
import { Button } from "@/ui/button";
import { unit } from "@/study/unit";

const KINDS = [
  ["xlsx", "XLSX", "a sheet, the dictionary on a second one"],
  ["csv", "CSV", "for any program; text cannot act as a formula"],
  ["parquet", "Parquet", "for data tools: types and definitions kept"],
] as const;
const OPEN = ["waiting", "running"];

/** The list as a file: which form, and the files made before. */
export function SaveList({
  query,
  total,
  onClose,
}: {
  query: Record<string, string | undefined>;
  total: number;
  onClose: () => void;
}) {
  const { study } = useStudy();
  const queries = useQueryClient();
  const key = ["study", study.id, "exports"];
  const files = useQuery({
    queryKey: key,
    queryFn: () =>
      data(api.GET("/api/studies/{study}/exports", { params: { path: { study: study.id } } })),
    refetchInterval: (asked) =>
      asked.state.data?.exports.some((row) => row.job && OPEN.includes(row.job.state))
        ? 500
        : false,
  });
  const ask = useMutation({
    mutationFn: (kind: string) =>
      data(
        api.POST("/api/studies/{study}/exports", {
          params: { path: { study: study.id }, query: query },
          body: { kind },
        }),
      ),
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: key }),
        queries.invalidateQueries({ queryKey: ["pulse", study.id] }),
      ]),
  });
  return (
    <section className="card grid gap-3 p-3" aria-label="Save as a file">
      <div className="flex items-start gap-3">
        <h2 className="text-14">
          Save {count(total)} {unit.many} with the columns below
        </h2>
        <span className="flex-1" />
        <Button kind="quiet" onClick={onClose}>
          Done
        </Button>
      </div>
      <div className="grid grid-cols-3 gap-2">
        {KINDS.map(([kind, name, words]) => (
          <button
            key={kind}
            type="button"
            disabled={ask.isPending}
            className="rounded-md border border-line px-3 py-2 text-left hover:border-quiet disabled:opacity-45"
            onClick={() => ask.mutate(kind)}
          >
            <b className="font-semibold">{name}</b>
            <span className="block text-12 text-quiet">{words}</span>
          </button>
        ))}
      </div>
      {ask.isError && (
        <p role="alert" className="text-alarm">
          {ask.error.message}
        </p>
      )}
      {(files.data?.exports.length ?? 0) > 0 && (
        <ul className="grid gap-1 text-12">
          {files.data?.exports.slice(0, 4).map((row) => (
            <Row key={row.id} row={row} />
          ))}
        </ul>
      )}
      <p className="text-11 text-quiet">
        Files are kept for a few days. That a list was saved, by whom and when, stays on record.
      </p>
    </section>
  );
}

function Row({ row }: { row: Schemas["ExportRow"] }) {
  const { study } = useStudy();
  const { cancel, again } = useJobActions(study.id);
  const base = `/api/studies/${study.id}/exports/${row.id}`;
  const job = row.job;
  const open = !!job && OPEN.includes(job.state);
  return (
    <li className="flex items-center gap-3">
      <span className="w-[220px]">
        {count(row.rows)} {row.what}, {row.kind.toUpperCase()}
        {row.ready && <span className="text-quiet">, {size(row.size)}</span>}
      </span>
      {row.ready ? (
        <>
          <a className="font-semibold underline" href={`${base}/file`} download>
            Get the file
          </a>
          {row.what === "customers" && (
            <a className="text-quiet underline" href={`${base}/dictionary`} download>
              its data dictionary
            </a>
          )}
        </>
      ) : open ? (
        <>
          <span className="text-quiet">
            {job.of > 0 ? `${count(job.done)} of ${count(job.of)} written` : "being written"}
          </span>
          <button type="button" className="underline" onClick={() => cancel.mutate(job.id)}>
            Stop
          </button>
        </>
      ) : (
        <>
          <span className="text-alarm">{job?.error || "Stopped."}</span>
          {job && (
            <button type="button" className="underline" onClick={() => again.mutate(job.id)}>
              Try again
            </button>
          )}
        </>
      )}
    </li>
  );
}

function size(bytes: number): string {
  if (bytes < 1e6) return `${Math.max(1, Math.round(bytes / 1e3))} kB`;
  return `${(bytes / 1e6).toFixed(1)} MB`;
}
