import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useRef, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, inUnit, unitWords } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import type { Thread } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite, mark } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { useNotice } from "@/ui/notices";
import { Input } from "@/ui/input";
import { unit } from "@/study/unit";

/** A measure of the study's own: a formula over the others, tried while it is written. */
export function OwnMeasure({ revision }: { revision: number }) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button>Add a formula</Button>
      </Dialog.Trigger>
      {open && <Editor revision={revision} onDone={() => setOpen(false)} />}
    </Dialog.Root>
  );
}

/** Change or drop an own measure. */
export function OwnActions({ thread, revision }: { thread: Thread; revision: number }) {
  const { canChange } = useStudy();
  const [open, setOpen] = useState(false);
  const drop = useDrop(revision);
  if (!canChange) return null;
  return (
    <span className="ml-3 inline-flex gap-3">
      <Dialog.Root open={open} onOpenChange={setOpen}>
        <Dialog.Trigger className="underline">Change the formula</Dialog.Trigger>
        {open && <Editor revision={revision} thread={thread} onDone={() => setOpen(false)} />}
      </Dialog.Root>
      <button type="button" className="underline" onClick={() => drop.mutate(thread)}>
        Delete this measure
      </button>
    </span>
  );
}

function Editor({
  revision,
  thread,
  onDone,
}: {
  revision: number;
  thread?: Thread;
  onDone: () => void;
}) {
  const { study } = useStudy();
  const view = useRows();
  const [label, setLabel] = useState(thread?.label ?? "");
  const [formula, setFormula] = useState(thread?.formula ?? "");
  const [cursor, setCursor] = useState(formula.length);
  const field = useRef<HTMLTextAreaElement>(null);
  const path = { path: { study: study.id }, query: view };
  const help = useQuery({
    queryKey: ["study", study.id, "formula help", view],
    queryFn: () => data(api.GET("/api/studies/{study}/own-measures", { params: path })),
  });
  const tried = useQuery({
    queryKey: ["study", study.id, "formula", view, formula, thread?.name ?? ""],
    queryFn: ({ signal }) =>
      data(
        api.POST("/api/studies/{study}/formula", {
          params: path,
          body: { formula, name: thread?.name ?? "" },
          signal,
        }),
      ),
    enabled: formula.trim() !== "",
    placeholderData: keepPreviousData,
  });
  const keep = useKeep(revision, thread, onDone);
  const found = formula.trim() ? tried.data : undefined;
  const insert = (word: string) => {
    const area = field.current;
    const begin = formula.slice(0, cursor).search(/[^\W\d]\w*$/);
    const from = begin < 0 ? cursor : begin;
    setFormula(formula.slice(0, from) + word + formula.slice(cursor));
    setCursor(from + word.length);
    requestAnimationFrame(() => {
      area?.focus();
      area?.setSelectionRange(from + word.length, from + word.length);
    });
  };
  return (
    <Dialog.Portal>
      <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
      <Dialog.Content
        aria-describedby={undefined}
        className="card fixed top-1/2 left-1/2 z-50 grid max-h-[92vh] w-[760px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 gap-3 overflow-auto p-5 shadow-xl"
      >
        <Dialog.Title className="text-14">
          {thread ? `Change ${thread.label}` : "A measure of your own"}
        </Dialog.Title>
        <form
          className="grid grid-cols-[1fr_270px] gap-5 max-md:grid-cols-[minmax(0,1fr)]"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate({ label, formula });
          }}
        >
          <div className="grid content-start gap-3">
            <label className="grid gap-1 text-12 text-quiet">
              Name
              <Input
                autoFocus={!thread}
                required
                maxLength={60}
                value={label}
                placeholder="Spend per visit"
                className="text-13"
                onChange={(event) => setLabel(event.target.value)}
              />
            </label>
            <label className="grid gap-1 text-12 text-quiet">
              Formula
              <textarea
                ref={field}
                required
                rows={3}
                maxLength={500}
                spellCheck={false}
                value={formula}
                placeholder="monetary / frequency"
                className="rounded-md border border-line px-2 py-1.5 font-mono text-13 text-ink"
                onChange={(event) => {
                  setFormula(event.target.value);
                  setCursor(event.target.selectionStart);
                }}
                onSelect={(event) => setCursor(event.currentTarget.selectionStart)}
              />
            </label>
            <Completion
              words={help.data?.words ?? []}
              formula={formula}
              at={cursor}
              onTake={insert}
            />
            {found && !found.good && <Mistake formula={formula} found={found} />}
            {found?.good && <Tried found={found} />}
            <div className="flex justify-end gap-2">
              <Dialog.Close asChild>
                <Button kind="quiet">Cancel</Button>
              </Dialog.Close>
              <Button
                kind="main"
                type="submit"
                disabled={!found?.good || !label.trim() || keep.isPending}
              >
                {thread ? "Change this measure" : "Add this measure"}
              </Button>
            </div>
          </div>
          <Help help={help.data} onTake={insert} />
        </form>
      </Dialog.Content>
    </Dialog.Portal>
  );
}

/** Names that go on from what is being typed. */
function Completion({
  words,
  formula,
  at,
  onTake,
}: {
  words: Schemas["Word"][];
  formula: string;
  at: number;
  onTake: (word: string) => void;
}) {
  const typed = /[^\W\d]\w*$/.exec(formula.slice(0, at))?.[0].toLowerCase() ?? "";
  const fits = typed
    ? words
        .filter(
          (word) =>
            word.word !== typed &&
            (word.word.includes(typed) || word.label.toLowerCase().includes(typed)),
        )
        .slice(0, 6)
    : [];
  if (fits.length === 0) return null;
  return (
    <ul className="-mt-1 flex flex-wrap gap-1.5 text-12" aria-label="Measures that fit">
      {fits.map((word) => (
        <li key={word.word}>
          <button
            type="button"
            title={word.label}
            className="rounded border border-line px-1.5 py-0.5 font-mono hover:border-quiet"
            onClick={() => onTake(word.word)}
          >
            {word.word}
          </button>
        </li>
      ))}
    </ul>
  );
}

function Mistake({ formula, found }: { formula: string; found: Schemas["Checked"] }) {
  const end = found.at + found.length;
  return (
    <div role="alert" className="text-12">
      <p className="rounded-md bg-paper px-2 py-1.5 font-mono break-words whitespace-pre-wrap">
        {formula.slice(0, found.at)}
        <mark className="bg-alarm/15 text-alarm underline decoration-wavy">
          {formula.slice(found.at, end) || " "}
        </mark>
        {formula.slice(end)}
      </p>
      <p className="mt-1 text-alarm">
        {found.words} <span className="text-quiet">(character {found.at + 1})</span>
      </p>
    </div>
  );
}

function Tried({ found }: { found: Schemas["Checked"] }) {
  const { study } = useStudy();
  const most = Math.max(1, ...found.shape);
  const step = 300 / Math.max(1, found.shape.length);
  const points = found.shape
    .map((v, n) => `${(n + 0.5) * step},${40 - (v / most) * 36}`)
    .join(" L");
  const words = (value: number | null) => inUnit(value, found.unit, study.currency);
  return (
    <div className="rounded-md bg-paper p-2 text-12">
      {found.shape.length > 0 && (
        <Glyph viewBox="0 0 300 42" className="w-full">
          <path d={`M0,40 L${points} L300,40 Z`} fill="var(--color-everyone)" />
          <line x1={0} x2={300} y1={40.5} y2={40.5} stroke="var(--color-quiet)" />
        </Glyph>
      )}
      <p>
        {count(found.count)} {unit.many} have it
        {found.missing > 0 && `, ${count(found.missing)} do not`}: from {words(found.low)} to{" "}
        {words(found.high)}, median {words(found.median)}
        {found.unit && (
          <span className="text-quiet"> in {unitWords(found.unit, study.currency)}</span>
        )}
        .
      </p>
    </div>
  );
}

function Help({
  help,
  onTake,
}: {
  help: Schemas["FormulaHelp"] | undefined;
  onTake: (word: string) => void;
}) {
  const { study } = useStudy();
  if (!help) return <p className="text-12 text-quiet">Loading the measures …</p>;
  return (
    <div className="grid content-start gap-3 text-12">
      <div>
        <h3 className="text-12">Measures</h3>
        <ul className="mt-1 max-h-[230px] overflow-auto rounded-md border border-line">
          {help.words.map((word) => (
            <li key={word.word}>
              <button
                type="button"
                className="flex w-full justify-between gap-2 px-2 py-0.5 text-left hover:bg-paper"
                title={word.label}
                onClick={() => onTake(word.word)}
              >
                <span className="truncate font-mono">{word.word}</span>
                <span className="text-quiet">{unitWords(word.unit, study.currency)}</span>
              </button>
            </li>
          ))}
        </ul>
      </div>
      <div>
        <h3 className="text-12">Signs and functions</h3>
        <p className="font-mono text-quiet">{help.signs.join(" ")}</p>
        <ul className="mt-1 max-h-[130px] overflow-auto">
          {help.functions.map((row) => (
            <li key={row.name} title={row.words}>
              <button
                type="button"
                className="font-mono hover:underline"
                onClick={() => onTake(`${row.name}(`)}
              >
                {row.shown}
              </button>{" "}
              <span className="text-quiet">{row.words}</span>
            </li>
          ))}
        </ul>
      </div>
    </div>
  );
}

function useKeep(revision: number, thread: Thread | undefined, onDone: () => void) {
  const { study, undo } = useStudy();
  const view = useRows();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: (body: { label: string; formula: string }) =>
      queueWrite(`own ${study.id}`, revision, (headers) =>
        thread
          ? data(
              api.PUT("/api/studies/{study}/own-measures/{name}", {
                params: { path: { study: study.id, name: thread.name }, query: view },
                body,
                headers,
              }),
            )
          : data(
              api.POST("/api/studies/{study}/own-measures", {
                params: { path: { study: study.id }, query: view },
                body,
                headers,
              }),
            ),
      ),
    onSuccess: (_, body) => {
      say(`${body.label} is ${thread ? "changed" : "among the measures"}.`, { undo });
      onDone();
    },
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
}

function useDrop(revision: number) {
  const { study, undo } = useStudy();
  const view = useRows();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: (thread: Thread) =>
      data(
        api.DELETE("/api/studies/{study}/own-measures/{name}", {
          params: { path: { study: study.id, name: thread.name }, query: view },
          headers: mark(revision),
        }),
      ),
    onSuccess: (_, thread) => say(`${thread.label} is deleted.`, { undo }),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
}
