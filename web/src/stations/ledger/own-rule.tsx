import { Popover } from "radix-ui";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { useLedgerChange, useTriedRule } from "@/stations/ledger/queries";
import { useMoney, useStudy } from "@/study/context";
import { queueWrite } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { Select } from "@/ui/select";
import { Input } from "@/ui/input";

const COLUMN_WORDS: Record<string, string> = {
  customer: "customer or card",
  date: "date",
  weekday: "day of the week",
  cost: "cost",
  department: "department",
  item: "item",
  site: "site",
  channel: "channel",
  kind: "kind (sale, return, void, other)",
  money: "amount",
  quantity: "pieces",
  hour: "hour of the day",
};

interface Draft {
  name: string;
  column: string;
  words: string;
  low: string;
  high: string;
  first: string;
  last: string;
}

const NEW: Draft = {
  name: "",
  column: "department",
  words: "",
  low: "",
  high: "",
  first: "",
  last: "",
};

function draftOf(own: Schemas["OwnRow"] | undefined): Draft {
  if (!own) return NEW;
  return {
    name: own.name,
    column: own.column,
    words: own.words.join("\n"),
    low: own.low === null ? "" : String(own.low),
    high: own.high === null ? "" : String(own.high),
    first: own.first ?? "",
    last: own.last ?? "",
  };
}

/** What the rule would set aside as it is written now. */
function Tried({ body, waits }: { body: Schemas["OwnBody"]; waits: boolean }) {
  const inMoney = useMoney("short");
  const tried = useTriedRule(body, waits);
  const words = () => {
    if (tried.isError) return tried.error.message;
    if (!tried.data) return "Here it says what the rule would set aside.";
    const { lines, gone, gone_money, gone_customers } = tried.data;
    if (lines === 0) return "No line is meant by it.";
    if (gone === 0) return `${count(lines)} lines are meant; none of them counts now.`;
    const whose = gone_customers === 1 ? "1 customer" : `${count(gone_customers)} customers`;
    return `Sets aside ${count(gone)} lines that count now: ${inMoney(gone_money)} of ${whose}.`;
  };
  return (
    <p className="min-h-[34px] text-quiet" aria-live="polite">
      {words()}
    </p>
  );
}

/** A rule of one's own: a column, and the words or the range that are set aside. */
export function OwnRule({
  choices,
  own,
}: {
  choices: Schemas["LedgerChoices"];
  own?: Schemas["OwnRow"] | undefined;
}) {
  const { study } = useStudy();
  const [open, setOpen] = useState(false);
  const close = () => setOpen(false);
  const [draft, setDraft] = useState<Draft>(NEW);
  const revision = choices.revisions.own ?? 0;
  const numbers = choices.number_columns.includes(draft.column);
  const dates = choices.date_columns.includes(draft.column);
  const body: Schemas["OwnBody"] = {
    slot: own?.slot ?? null,
    name: draft.name,
    column: draft.column,
    words: numbers || dates ? [] : draft.words.split("\n"),
    low: numbers && draft.low !== "" ? Number(draft.low) : null,
    high: numbers && draft.high !== "" ? Number(draft.high) : null,
    first: dates ? draft.first : "",
    last: dates ? draft.last : "",
  };
  const set = (part: Partial<Draft>) => setDraft({ ...draft, ...part });
  const keep = useLedgerChange(
    () =>
      queueWrite(`own rules ${study.id}`, revision, (headers) =>
        data(
          api.POST("/api/studies/{study}/ledger/own", {
            params: { path: { study: study.id } },
            body,
            headers,
          }),
        ),
      ),
    () => (own ? `“${draft.name}” is changed.` : `“${draft.name}” is on.`),
    close,
  );
  const drop = useLedgerChange(
    () =>
      queueWrite(`own rules ${study.id}`, revision, (headers) =>
        data(
          api.DELETE("/api/studies/{study}/ledger/own/{slot}", {
            params: { path: { study: study.id, slot: own?.slot ?? -1 } },
            headers,
          }),
        ),
      ),
    () => `“${own?.name ?? ""}” is deleted.`,
    close,
  );
  const field = "w-full rounded-md border border-line bg-card px-2 py-1";
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        if (next) setDraft(draftOf(own));
        setOpen(next);
      }}
    >
      <Popover.Trigger
        className={
          own
            ? "text-11 text-quiet underline hover:text-ink"
            : "rounded-md border border-dashed border-everyone px-2 py-0.5 text-12 hover:border-quiet"
        }
      >
        {own ? "change" : "Add a rule"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={6} className="card z-40 w-80 p-3 shadow-lg">
          <form
            className="grid gap-2 text-12"
            onSubmit={(event) => {
              event.preventDefault();
              keep.mutate(undefined);
            }}
          >
            <h3 className="text-13">{own ? "Change the rule" : "Set lines aside by a rule"}</h3>
            <label className="grid gap-0.5">
              Its name
              <Input
                autoFocus
                value={draft.name}
                maxLength={40}
                onChange={(event) => set({ name: event.target.value })}
              />
            </label>
            <label className="grid gap-0.5">
              Lines whose
              <Select
                value={draft.column}
                onChange={(column) => set({ column })}
                options={[
                  ...choices.word_columns,
                  ...choices.number_columns,
                  ...choices.date_columns,
                ].map((column) => [column, COLUMN_WORDS[column] ?? column] as const)}
              />
            </label>
            {dates && (
              <div className="grid grid-cols-2 gap-2">
                {(["first", "last"] as const).map((end) => (
                  <label key={end} className="grid gap-0.5">
                    {end === "first" ? "is from" : "up to"}
                    <Input
                      type="date"
                      value={draft[end]}
                      onChange={(event) => set({ [end]: event.target.value })}
                    />
                  </label>
                ))}
              </div>
            )}
            {numbers && (
              <div className="grid grid-cols-2 gap-2">
                {(["low", "high"] as const).map((end) => (
                  <label key={end} className="grid gap-0.5">
                    {end === "low" ? "goes from" : "up to"}
                    <Input
                      type="number"
                      step="any"
                      value={draft[end]}
                      placeholder="any"
                      onChange={(event) => set({ [end]: event.target.value })}
                    />
                  </label>
                ))}
              </div>
            )}
            {!numbers && !dates && (
              <label className="grid gap-0.5">
                is one of these, one per line; * stands for anything
                <textarea
                  rows={4}
                  value={draft.words}
                  onChange={(event) => set({ words: event.target.value })}
                  className={`${field} font-mono`}
                />
              </label>
            )}
            {open && <Tried body={body} waits={keep.isPending || drop.isPending} />}
            <div className="flex gap-2">
              <Button type="submit" className="flex-1" disabled={keep.isPending}>
                {own ? "Save the rule" : "Add this rule"}
              </Button>
              {own && (
                <Button
                  kind="quiet"
                  disabled={drop.isPending}
                  onClick={() => drop.mutate(undefined)}
                >
                  Delete it
                </Button>
              )}
            </div>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
