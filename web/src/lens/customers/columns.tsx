import { Popover } from "radix-ui";
import { useState } from "react";

import { useLens } from "@/lens/context";
import { Checkbox, Input } from "@/ui/input";

/** Which columns the list shows, found by name. */
export function Columns({
  chosen,
  onChoose,
}: {
  chosen: string[];
  onChoose: (fields: string[]) => void;
}) {
  const { fields } = useLens();
  const [asked, setAsked] = useState("");
  const groups = new Map<string, typeof fields>();
  for (const field of fields) {
    if (!field.label.toLowerCase().includes(asked.toLowerCase())) continue;
    groups.set(field.group, [...(groups.get(field.group) ?? []), field]);
  }
  return (
    <Popover.Root>
      <Popover.Trigger className="rounded-md border border-line bg-card px-2.5 py-1.5 hover:border-quiet">
        Columns, {chosen.length} <span aria-hidden>▾</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          className="card z-40 grid max-h-[70vh] w-72 grid-rows-[auto_1fr_auto] gap-2 p-3 shadow-lg"
        >
          <Input
            autoFocus
            value={asked}
            placeholder="Find a column"
            aria-label="Find a column"

            onChange={(event) => setAsked(event.target.value)}
          />
          <div className="min-h-0 overflow-auto">
            {[...groups].map(([group, rows]) => (
              <fieldset key={group} className="mb-2">
                <legend className="text-12 text-quiet">{group}</legend>
                {rows.map((field) => (
                  <label key={field.field} className="flex items-center gap-2 py-0.5">
                    <Checkbox
                      checked={chosen.includes(field.field)}
                      disabled={chosen.length === 1 && chosen.includes(field.field)}
                      onChange={(event) =>
                        onChoose(
                          event.target.checked
                            ? [...chosen, field.field]
                            : chosen.filter((each) => each !== field.field),
                        )
                      }
                    />
                    {field.label}
                  </label>
                ))}
              </fieldset>
            ))}
            {groups.size === 0 && <p className="text-quiet">No match.</p>}
          </div>
          <button
            type="button"
            className="w-fit text-12 text-quiet underline"
            onClick={() => onChoose([])}
          >
            Back to the usual columns
          </button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
