import { Popover } from "radix-ui";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";
import { queueWrite } from "@/study/write-queue";
import { Button } from "@/ui/button";

/** Which cards are staff's or a test's: codes and patterns, one per line. */
export function StaffCards({
  staff,
  revision,
}: {
  staff: Schemas["StaffCards"];
  revision: number;
}) {
  const { study, canChange } = useStudy();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const change = useLedgerChange(
    (patterns: string[]) =>
      queueWrite(`staff ${study.id}`, revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/ledger/staff", {
            params: { path: { study: study.id } },
            body: { patterns },
            headers,
          }),
        ),
      ),
    (patterns) => `Staff and test cards: ${patterns.join(", ") || "none"}.`,
    () => setOpen(false),
  );
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        if (next) setText(staff.patterns.join("\n"));
        setOpen(next);
      }}
    >
      <Popover.Trigger className="text-11 text-quiet underline hover:text-ink">
        list
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={6} className="card z-40 w-72 p-3 shadow-lg">
          <label className="text-13 font-semibold" htmlFor="staff-cards">
            Staff and test cards
          </label>
          <p className="text-12 text-quiet">
            One code or pattern per line; * stands for anything. Now {count(staff.cards)} cards
            {staff.examples.length > 0 && `: ${staff.examples.join(", ")}`}
            {staff.cards > staff.examples.length && " …"}.
          </p>
          <textarea
            id="staff-cards"
            rows={5}
            value={text}
            disabled={!canChange}
            onChange={(event) => setText(event.target.value)}
            className="mt-2 w-full rounded-md border border-line p-2 font-mono text-12"
          />
          {canChange && (
            <Button
              className="mt-2 w-full"
              disabled={change.isPending}
              onClick={() =>
                change.mutate(
                  text
                    .split("\n")
                    .map((line) => line.trim())
                    .filter(Boolean),
                )
              }
            >
              These are staff and tests
            </Button>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
