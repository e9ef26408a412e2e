import { Popover } from "radix-ui";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";
import { queueWrite } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";

const REST = "\u0000rest";

function shares(margins: Schemas["Margins"]): Record<string, string> {
  const told = Object.entries(margins.departments).map(([name, share]) => [name, percent(share)]);
  return Object.fromEntries([
    ...told,
    ...(margins.rest === null ? [] : [[REST, percent(margins.rest)]]),
  ]) as Record<string, string>;
}

function percent(share: number): string {
  return String(Math.round(share * 10_000) / 100);
}

/** What share of a department’s sales is gross margin, where lines tell no cost of their own. */
export function MarginRates({ margins }: { margins: Schemas["Margins"] }) {
  const { study, canChange } = useStudy();
  const [open, setOpen] = useState(false);
  const [draft, setDraft] = useState<Record<string, string>>({});
  const keep = useLedgerChange(
    () => {
      const told = Object.entries(draft).filter(([, text]) => text.trim() !== "");
      const of = (text: string) => Number(text) / 100;
      return queueWrite(`rates ${study.id}`, margins.revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/ledger/rates", {
            params: { path: { study: study.id } },
            body: {
              departments: Object.fromEntries(
                told.filter(([name]) => name !== REST).map(([name, text]) => [name, of(text)]),
              ),
              rest: draft[REST]?.trim() ? of(draft[REST]) : null,
            },
            headers,
          }),
        ),
      );
    },
    () => "Margins are kept: gross margin is a measure now.",
    () => setOpen(false),
  );
  if (!canChange) return null;
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        if (next) setDraft(shares(margins));
        setOpen(next);
      }}
    >
      <Popover.Trigger className="text-11 font-normal text-quiet underline hover:text-ink">
        margins
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={6} className="card z-40 w-64 p-3 shadow-lg">
          <form
            className="grid gap-2 text-12"
            onSubmit={(event) => {
              event.preventDefault();
              keep.mutate(undefined);
            }}
          >
            <h3 className="text-13">Gross margin, % of sales</h3>
            <p className="text-quiet">
              {margins.costs
                ? "Lines that tell their own cost go by it; these hold for the others."
                : "Empty where it is not known: then it is missing for whoever bought there."}
            </p>
            <div className="grid max-h-64 gap-1 overflow-y-auto">
              {[...margins.names, REST].map((name) => (
                <label key={name} className="flex items-center justify-between gap-2">
                  <span className="truncate">{name === REST ? "all others" : name}</span>
                  <Input
                    type="number"
                    min={0}
                    max={100}
                    step="any"
                    value={draft[name] ?? ""}
                    onChange={(event) => setDraft({ ...draft, [name]: event.target.value })}
                    className="w-16 text-right"
                  />
                </label>
              ))}
            </div>
            <Button type="submit" disabled={keep.isPending}>
              Keep these margins
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
