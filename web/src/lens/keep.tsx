import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { useLens } from "@/lens/context";
import { mark } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { Button } from "@/ui/button";
import { useNotice } from "@/ui/notices";
import { Input } from "@/ui/input";
import { unit } from "@/study/unit";

type Kept = Schemas["KeptRow"];
type Kind = "rule" | "list";

function useKeeping() {
  const { study, view, undo } = useStudy();
  const { clauses } = useLens();
  const queries = useQueryClient();
  const say = useNotice();
  const onError = (problem: Error) => say(problem.message, { trouble: true });
  const onSettled = () => void askAnew(queries, study.id);
  const keep = useMutation({
    mutationFn: ({ name, kind }: { name: string; kind: Kind }) =>
      data(
        api.POST("/api/studies/{study}/kept", {
          params: { path: { study: study.id }, query: view },
          body: { name, kind, clauses },
        }),
      ),
    onSuccess: (row) => say(`${row.name} is kept.`, { undo }),
    onError,
    onSettled,
  });
  const drop = useMutation({
    mutationFn: (row: Kept) =>
      data(
        api.DELETE("/api/studies/{study}/kept/{kept}", {
          params: { path: { study: study.id, kept: row.id } },
          headers: mark(row.revision),
        }),
      ),
    onSuccess: (_, row) => say(`${row.name} is deleted.`, { undo }),
    onError,
    onSettled,
  });
  return { keep, drop };
}

/** Keep the lens under a name, as a rule or as a list, and open what was kept before. */
export function Keep({
  open,
  onOpenChange,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
}) {
  const { study, view, canChange } = useStudy();
  const lens = useLens();
  const kept = useQuery({
    queryKey: ["study", study.id, "kept", view],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/kept", {
          params: { path: { study: study.id }, query: view },
        }),
      ),
    enabled: open,
  });
  const { keep, drop } = useKeeping();
  const some = lens.clauses.length > 0 && canChange;
  const rows = kept.data?.kept ?? []; // the client loses pairs
  return (
    <Popover.Root open={open} onOpenChange={onOpenChange}>
      <Popover.Trigger className="rounded-md border border-line px-2 py-0.5 text-12 hover:border-quiet">
        {some ? "Keep" : "Kept"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Kept lenses"
          className="card z-40 w-72 p-3 shadow-lg"
        >
          {some && (
            <KeepForm
              customers={lens.answer?.lens.customers ?? 0}
              busy={keep.isPending}
              onKeep={(name, kind) =>
                keep.mutate({ name, kind }, { onSuccess: () => onOpenChange(false) })
              }
            />
          )}
          <h3 className={`text-13 ${some ? "mt-3 border-t border-line pt-3" : ""}`}>Kept before</h3>
          {kept.isError && <p className="text-alarm">{kept.error.message}</p>}
          {kept.data && rows.length === 0 && (
            <p className="mt-1 text-12 text-quiet">
              Nothing yet. Pick {unit.many}, then keep them under a name.
            </p>
          )}
          <ul className="mt-1 max-h-64 overflow-y-auto">
            {rows.map((row) => (
              <li key={row.id} className="group flex items-start gap-1 rounded hover:bg-paper">
                <button
                  type="button"
                  disabled={row.customers === null}
                  className="min-w-0 flex-1 px-1.5 py-1 text-left disabled:opacity-60"
                  onClick={() => {
                    lens.set(row.clauses);
                    onOpenChange(false);
                  }}
                >
                  <span className="block truncate">{row.name}</span>
                  <span className="block text-11 text-quiet">{about(row)}</span>
                </button>
                {canChange && (
                  <button
                    type="button"
                    aria-label={`Delete ${row.name}`}
                    className="px-1.5 py-1 text-quiet hover:text-ink"
                    onClick={() => drop.mutate(row)}
                  >
                    ×
                  </button>
                )}
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function about(row: Kept): string {
  if (row.customers === null) return "uses something that no longer exists";
  const kind = row.kind === "rule" ? "rule, now" : `list of ${day(row.at.slice(0, 10))},`;
  return `${kind} ${count(row.customers)} ${unit.many}${row.by ? `, ${row.by}` : ""}`;
}

function KeepForm({
  customers,
  busy,
  onKeep,
}: {
  customers: number;
  busy: boolean;
  onKeep: (name: string, kind: Kind) => void;
}) {
  const [name, setName] = useState("");
  const [kind, setKind] = useState<Kind>("rule");
  const kinds: [Kind, string, string][] = [
    ["rule", "As a rule", "counted again whenever it is opened"],
    ["list", "As a list", `these ${count(customers)} and no others`],
  ];
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) onKeep(name, kind);
      }}
    >
      <label className="text-13 font-semibold" htmlFor="lens-name">
        Keep this lens as
      </label>
      <Input
        id="lens-name"
        autoFocus
        value={name}
        maxLength={60}
        onChange={(event) => setName(event.target.value)}
        className="mt-1 w-full"
      />
      <div className="mt-2 grid gap-1" role="radiogroup" aria-label="How it is kept">
        {kinds.map(([value, title, words]) => (
          <label key={value} className="flex items-baseline gap-2 text-12">
            <input
              type="radio"
              name="kind"
              checked={kind === value}
              onChange={() => setKind(value)}
            />
            <span>
              {title}, <span className="text-quiet">{words}</span>
            </span>
          </label>
        ))}
      </div>
      <Button type="submit" className="mt-2 w-full" disabled={busy || !name.trim()}>
        Keep
      </Button>
    </form>
  );
}
