import { Popover } from "radix-ui";
import { useState } from "react";

import { backWords, day } from "@/charts/format";
import type { Page } from "@/stations/measures/use-measures";
import { useStudy } from "@/study/context";
import { Input } from "@/ui/input";

/** A second window whose shapes lie dashed over the first's. */
export function SecondWindow({
  page,
  beside,
  onBeside,
}: {
  page: Page;
  beside: string;
  onBeside: (beside: string) => void;
}) {
  const { window } = useStudy();
  const [open, setOpen] = useState(false);
  const [asked, setAsked] = useState("");
  if (!window || !page.has_log) return null;
  const [to = "", back = "12"] = beside.split(":");
  const choose = (value: string) => {
    onBeside(value);
    setOpen(false);
  };
  const before = window.year_before;
  return (
    <span className="flex items-center gap-1.5">
      {beside && (
        <span className="text-12 text-quiet">
          {page.beside_lacks ||
            (page.beside === null
              ? "the second window is being derived"
              : page.beside === 0
                ? "nobody bought in the second window"
                : "")}
        </span>
      )}
      <Popover.Root open={open} onOpenChange={setOpen}>
        <Popover.Trigger className="rounded-md border border-line bg-card px-2.5 py-1 hover:border-quiet">
          {beside ? `beside: to ${day(to)}, ${backWords(back)}` : "Compare with another window"}{" "}
          <span aria-hidden>▾</span>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="end"
            sideOffset={6}
            className="card z-40 grid w-64 gap-2 p-3 shadow-lg"
          >
            <button
              type="button"
              className="rounded-md border border-line px-2 py-1.5 text-left hover:border-quiet"
              onClick={() => choose(`${before.to}:${before.back}`)}
            >
              The same season a year before
              <span className="block text-12 text-quiet">to {day(before.to)}</span>
            </button>
            <form
              onSubmit={(event) => {
                event.preventDefault();
                choose(`${asked}:${window.back}`);
              }}
            >
              <label className="grid gap-1 text-12 text-quiet">
                Another last day, {backWords(window.back)}
                <span className="flex gap-2">
                  <Input
                    type="date"
                    required
                    value={asked}
                    className="flex-1 text-13"
                    onChange={(event) => setAsked(event.target.value)}
                  />
                  <button type="submit" className="rounded-md border border-line px-2 text-13">
                    Lay
                  </button>
                </span>
              </label>
            </form>
            {beside && (
              <button
                type="button"
                className="w-fit text-12 text-quiet underline"
                onClick={() => choose("")}
              >
                Remove the second window
              </button>
            )}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </span>
  );
}
