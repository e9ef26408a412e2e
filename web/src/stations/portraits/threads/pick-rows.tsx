import { Popover } from "radix-ui";

import type { Schemas } from "@/api/client";
import { FindList } from "@/ui/find-list";

const GROUPS: Record<string, string> = {
  own: "the study’s own",
  expected: "what is expected",
  traits: "trait",
};

/** Any measure, formula, trait or offer, taken into the table or out of it. */
export function PickRows({
  words = "Rows",
  options,
  shown,
  onToggle,
}: {
  words?: string;
  options: Schemas["MeasureOption"][];
  shown: string[];
  onToggle: (name: string) => void;
}) {
  return (
    <Popover.Root>
      <Popover.Trigger className="shrink-0 rounded-md border border-line bg-card px-2.5 py-1 text-12 hover:border-quiet">
        {words} <span aria-hidden>▾</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="card z-40 w-72 p-3 shadow-lg">
          <FindList
            label="Find a row"
            placeholder="Measure, trait or offer"
            items={options}
            keyOf={(row) => row.name}
            wordsOf={(row) => row.label}
            picked={(row) => shown.includes(row.name)}
            onPick={(row) => onToggle(row.name)}
          >
            {(row) => (
              <>
                <span aria-hidden className="w-3">
                  {shown.includes(row.name) ? "✓" : ""}
                </span>
                <span>
                  {row.label}{" "}
                  <span className="text-11 text-quiet">{GROUPS[row.family] ?? row.family}</span>
                </span>
              </>
            )}
          </FindList>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
