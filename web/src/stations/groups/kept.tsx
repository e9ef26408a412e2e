import { useMutation } from "@tanstack/react-query";
import { useMemo, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, figure, fixed, percent } from "@/charts/format";
import { useKept, useTold } from "@/stations/groups/queries";
import { queueWrite } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { useNotice } from "@/ui/notices";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";
import { Checkbox, Input } from "@/ui/input";
import { Column, Table } from "@/ui/table";

type Kept = Schemas["TriedRow"];

interface Props {
  onRun: (run: string, k: number) => void;
  onCompare: (first: string, second: string) => void;
}

/** Every grouping that was tried: stars, notes, delete with undo, any two side by side. */
export function KeptList({ onRun, onCompare }: Props) {
  const [starred, setStarred] = useState(false);
  const [picked, setPicked] = useState<number[]>([]);
  const [over, setOver] = useState<string | null>(null);
  const [by, setBy] = useState<"newest" | "silhouette" | "weakest" | "cost">("newest");
  const kept = useKept();
  const rows = useMemo(() => {
    const all = (kept.data?.rows ?? []).filter((row) => !starred || row.starred);
    if (by === "newest") return all;
    return [...all].sort((a, b) =>
      by === "cost" ? a.cost - b.cost : (b[by] ?? -1) - (a[by] ?? -1),
    );
  }, [kept.data, starred, by]);
  if (kept.isError) return <Failed words={kept.error.message} />;
  if (!kept.data) return <Waiting />;
  if (kept.data.rows.length === 0)
    return (
      <Empty title="Nothing has been tried yet">
        Every grouping that is tried stays here with its recipe, how well it holds, who made it and
        when, so that a colleague can see why one was taken.
      </Empty>
    );
  // Costs are compared among groupings of equal columns and preparation only.
  const kin = over ?? kept.data.rows.find((row) => row.id === picked[0])?.kin ?? null;
  const turn = (id: number) =>
    setPicked((old) =>
      old.includes(id) ? old.filter((other) => other !== id) : [...old.slice(-1), id],
    );
  const [first, second] = picked;
  return (
    <section className="card p-3" aria-label="Kept groupings">
      <div className="mb-2 flex flex-wrap items-baseline gap-4 text-12">
        <h2 className="text-14">{count(kept.data.rows.length)} tried</h2>
        <label className="flex items-center gap-1.5">
          <Checkbox checked={starred} onChange={(event) => setStarred(event.target.checked)} />
          starred only
        </label>
        <label className="flex items-center gap-1.5 text-quiet">
          order
          <Select
            value={by}

            onChange={(value) => setBy(value)}
            options={[
              ["newest", "newest first"],
              ["silhouette", "by silhouette"],
              ["weakest", "by weakest stability"],
              ["cost", "by cost"],
            ]}
          />
        </label>
        <span className="flex-1 text-quiet">
          Costs compare only among equal columns and preparation: the others are pale.
        </span>
        <button
          type="button"
          className="rounded-md border border-line px-2.5 py-1 hover:border-quiet disabled:opacity-45"
          disabled={first === undefined}
          onClick={() => onCompare(`g${first}`, second === undefined ? "ladder" : `g${second}`)}
        >
          {first === undefined
            ? "Tick one or two to compare"
            : second === undefined
              ? "Compare it with the tiers, a trait …"
              : "Compare these two"}
        </button>
      </div>
      <div className="max-h-[520px] overflow-auto">
        <Table label="Groupings" className="w-full min-w-[860px]">
          <thead className="sticky top-0 z-10 bg-card text-left text-11 text-quiet">
            <tr>
              <Column className="w-6">
                <span className="sr-only">Compare</span>
              </Column>
              <Column className="w-6">
                <span className="sr-only">Star</span>
              </Column>
              <Column>k, method</Column>
              <Column>Columns</Column>
              <Column figures>Silhouette</Column>
              <Column figures>Weakest</Column>
              <Column figures>Smallest</Column>
              <Column figures>Cost</Column>
              <Column figures>Took</Column>
              <Column className="pl-3">Who, when, note</Column>
              <Column>
                <span className="sr-only">Open or delete</span>
              </Column>
            </tr>
          </thead>
          <tbody>
            {rows.map((row, n) => (
              <KeptLine
                key={row.id}
                row={row}
                same={rows[n - 1]?.run === row.run}
                ticked={picked.includes(row.id)}
                alike={kin === null || kin === row.kin}
                onTick={() => turn(row.id)}
                onOver={setOver}
                onRun={onRun}
              />
            ))}
          </tbody>
        </Table>
      </div>
      {kept.data.more > 0 && (
        <p className="mt-2 text-12 text-quiet">and {count(kept.data.more)} older ones</p>
      )}
    </section>
  );
}

interface LineProps {
  row: Kept;
  /** Of the same run as the row above it: the columns need not be read again. */
  same: boolean;
  ticked: boolean;
  alike: boolean;
  onTick: () => void;
  onOver: (kin: string | null) => void;
  onRun: (run: string, k: number) => void;
}

function KeptLine({ row, same, ticked, alike, onTick, onOver, onRun }: LineProps) {
  const { canChange } = useStudy();
  const change = useKeptChange(row);
  const title = `${row.k} groups, ${row.method}`;
  const columns = row.columns.join(", ");
  return (
    <tr
      className={`align-top hover:bg-paper ${same ? "" : "border-t border-quiet"}`}
      onMouseEnter={() => onOver(row.kin)}
      onMouseLeave={() => onOver(null)}
    >
      <td className="py-1">
        <Checkbox
          checked={ticked}
          aria-label={`Compare ${title}, no. ${row.id}`}
          onChange={onTick}
        />
      </td>
      <td className="py-1">
        <button
          type="button"
          aria-pressed={row.starred}
          aria-label={`Star ${title}, no. ${row.id}`}
          disabled={!canChange}
          className={`min-h-[24px] min-w-[24px] ${row.starred ? "text-ink" : "text-everyone hover:text-quiet"}`}
          onClick={() => change.mutate({ starred: !row.starred })}
        >
          {row.starred ? "★" : "☆"}
        </button>
      </td>
      <td className="whitespace-nowrap py-1 pr-2">
        <button
          type="button"
          className="text-left hover:underline"
          onClick={() => onRun(row.run, row.k)}
        >
          <b className="font-semibold">{row.k}</b> {row.method}
          {row.linkage && `, ${row.linkage}`}
        </button>
        <span className="block text-11 text-quiet">
          {row.in_use ? "in use" : row.adopted ? "was adopted" : row.proposed ? "proposed" : ""}
        </span>
      </td>
      <td className="max-w-[240px] py-1 pr-2">
        {same ? (
          <span className="text-quiet">as above</span>
        ) : (
          <details>
            <summary className="cursor-pointer">
              <span className="inline-block max-w-[200px] truncate align-bottom">{columns}</span>
              <span className="block text-11 text-quiet">
                {row.columns.length} columns{row.weighed && ", weighed"}, to {day(row.window_to)};
                seed {row.seed}, {row.starts} starts
              </span>
            </summary>
            <ul className="my-1 grid gap-0.5 text-11">
              {row.recipe.map((sentence) => (
                <li key={sentence}>{sentence}</li>
              ))}
            </ul>
          </details>
        )}
      </td>
      <td className="py-1 text-right">{row.silhouette === null ? "–" : fixed(row.silhouette)}</td>
      <td className={`py-1 text-right ${row.weakest <= 0.5 ? "text-copper" : ""}`}>
        {row.weakest.toFixed(2)}
      </td>
      <td className="py-1 text-right">{percent(row.smallest, 1, 0)}</td>
      <td className={`py-1 text-right ${alike ? "" : "text-everyone"}`}>{figure(row.cost)}</td>
      <td className="py-1 text-right text-quiet">
        {row.seconds < 0.95 ? "< 1 s" : `${Math.round(row.seconds)} s`}
      </td>
      <td className="py-1 pl-3">
        <span className="text-quiet">
          {row.person && `${row.person}, `}
          {day(row.at.slice(0, 10))}
        </span>
        <Note row={row} canChange={canChange} onNote={(note) => change.mutate({ note })} />
      </td>
      <td className="py-1 text-right">
        {canChange && !row.adopted && (
          <button
            type="button"
            aria-label={`Delete ${title}, no. ${row.id}`}
            className="px-1 text-quiet hover:text-ink"
            onClick={() => change.mutate({ deleted: true })}
          >
            ×
          </button>
        )}
      </td>
    </tr>
  );
}

function Note({
  row,
  canChange,
  onNote,
}: {
  row: Kept;
  canChange: boolean;
  onNote: (note: string) => void;
}) {
  const [open, setOpen] = useState(false);
  if (!open)
    return (
      <button
        type="button"
        disabled={!canChange}
        className="block max-w-[180px] text-left hover:underline"
        aria-label={`Note to ${row.k} groups, no. ${row.id}`}
        onClick={() => setOpen(true)}
      >
        {row.note || <span className="text-11 text-quiet">{canChange ? "add a note" : ""}</span>}
      </button>
    );
  return (
    <Input
      autoFocus
      defaultValue={row.note}
      maxLength={300}
      aria-label="Note"
      className="block w-[180px]"
      onBlur={(event) => {
        if (event.target.value.trim() !== row.note) onNote(event.target.value.trim());
        setOpen(false);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setOpen(false);
      }}
    />
  );
}

function useKeptChange(row: Kept) {
  const { study, undo } = useStudy();
  const say = useNotice();
  const told = useTold();
  return useMutation({
    mutationFn: (body: { starred?: boolean; note?: string; deleted?: boolean }) =>
      queueWrite(`grouping ${row.id}`, row.revision, (headers) =>
        data(
          api.PATCH("/api/studies/{study}/groups/kept/{grouping}", {
            params: { path: { study: study.id, grouping: row.id } },
            body: body,
            headers,
          }),
        ),
      ),
    onSuccess: (_, body) => {
      if (body.deleted) say(`Deleted ${row.k} groups by ${row.method}.`, { undo });
      else if (body.note !== undefined) say("The note is kept.", { undo });
    },
    ...told,
  });
}
