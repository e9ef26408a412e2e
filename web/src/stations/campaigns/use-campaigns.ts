import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { usePlan } from "@/lens/use-plan";
import { useSavedFile } from "@/lens/use-saved-file";
import { planOf } from "@/stations/campaigns/types";
import type { ListKind, PlanBody, Row } from "@/stations/campaigns/types";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { latest, mark, queueWrite, remembered } from "@/study/write-queue";
import { useNotice } from "@/ui/notices";
import { fileName } from "@/ui/save";

interface ListWanted {
  row: Row;
  /** Fields of the lens that the list has besides. */
  columns: string[];
  /** Instead of cards. */
  pseudonyms: boolean;
}

/** What a person does with campaigns. */
export function useActions(onPlanned: (id: number) => void) {
  const { study, undo, view } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const onError = (problem: Error) => say(problem.message, { trouble: true });
  const onSettled = () => askAnew(queries, study.id);
  const path = (row: Row) => ({ params: { path: { study: study.id, campaign: row.id } } });
  const queued = <T>(row: Row, send: Parameters<typeof queueWrite<T>>[2]) =>
    queueWrite(`campaign ${row.id}`, row.revision, send);
  const plan = usePlan((row) => onPlanned(row.id));
  const copy = useMutation({
    mutationFn: (row: Row) =>
      data(
        api.POST("/api/studies/{study}/campaigns/{campaign}/copy", {
          params: { path: { study: study.id, campaign: row.id }, query: view },
        }),
      ),
    onSuccess: (row) => {
      say(`Planned ${row.name}.`, { undo });
      onPlanned(row.id);
    },
    onError,
    onSettled,
  });
  const change = useMutation({
    mutationFn: ({ row, body: edits }: { row: Row; body: Partial<PlanBody> }) => {
      const thing = `campaign ${row.id}`;
      const body = { ...latest(thing, row.revision, planOf(row)), ...edits };
      const answer = queued(row, (headers) =>
        data(api.PUT("/api/studies/{study}/campaigns/{campaign}", { ...path(row), body, headers })),
      );
      return remembered(thing, body, answer);
    },
    onError,
    onSettled,
  });
  const costs = useMutation({
    mutationFn: ({ row, body }: { row: Row; body: Schemas["CostsBody"] }) =>
      queued(row, (headers) =>
        data(
          api.PUT("/api/studies/{study}/campaigns/{campaign}/costs", {
            ...path(row),
            body,
            headers,
          }),
        ),
      ),
    onError,
    onSettled,
  });
  const move = useMutation({
    mutationFn: ({ row, days }: { row: Row; days: number }) =>
      queued(row, (headers) =>
        data(
          api.PUT("/api/studies/{study}/campaigns/{campaign}/move", {
            ...path(row),
            body: { days },
            headers,
          }),
        ),
      ),
    onError,
    onSettled,
  });
  const drop = useMutation({
    mutationFn: (row: Row) =>
      queued(row, (headers) =>
        data(api.DELETE("/api/studies/{study}/campaigns/{campaign}", { ...path(row), headers })),
      ),
    onSuccess: (_, row) => say(`${row.name} is deleted.`, { undo }),
    onError,
    onSettled,
  });
  const draw = useMutation({
    mutationFn: (row: Row) =>
      queued(row, (headers) =>
        data(api.POST("/api/studies/{study}/campaigns/{campaign}/draw", { ...path(row), headers })),
      ),
    onSuccess: (row) =>
      say(`Drawn: ${count(row.written)} are written to, ${count(row.held)} held out.`, { undo }),
    onError,
    onSettled,
  });
  const list = useSavedFile<ListWanted & { kind: ListKind }>(
    ({ row, kind, columns, pseudonyms }) =>
      data(
        api.POST("/api/studies/{study}/campaigns/{campaign}/list", {
          ...path(row),
          body: { kind, columns, pseudonyms },
          headers: mark(row.revision),
        }),
      ),
    (_, { row }) => `The list of ${row.name} is handed over. That stays on record.`,
    ({ row, kind }) => fileName(row.name, kind),
    onSettled,
  );
  const send = useMutation({
    mutationFn: ({ row, columns, pseudonyms }: ListWanted) =>
      queued(row, (headers) =>
        data(
          api.POST("/api/studies/{study}/campaigns/{campaign}/outbox", {
            ...path(row),
            body: { columns, pseudonyms },
            headers,
          }),
        ),
      ),
    onSuccess: (_, { row }) => say(`The list of ${row.name} waits in the outbox.`, { undo }),
    onError,
    onSettled,
  });
  return { plan, copy, change, move, costs, drop, draw, list, send };
}
