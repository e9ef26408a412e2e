import { Popover } from "radix-ui";
import { useState } from "react";

import { ChangeClause } from "@/lens/change-clause";
import { useLens } from "@/lens/context";
import { FindList } from "@/ui/find-list";

/** Any field that the study has, to pick from by its bars. */
export function AddClause() {
  const lens = useLens();
  const [field, setField] = useState("");
  return (
    <Popover.Root onOpenChange={() => setField("")}>
      <Popover.Trigger className="rounded-md border border-dashed border-everyone px-2 py-0.5 text-12 hover:border-quiet">
        + clause
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="card z-40 w-64 p-3 shadow-lg">
          {field === "" ? (
            <FindList
              label="Find a measure or trait"
              placeholder="Measure or trait"
              items={lens.fields}
              keyOf={(row) => row.field}
              wordsOf={(row) => row.label}
              onPick={(row) => setField(row.field)}
            >
              {(row) => (
                <span>
                  {row.label} <span className="text-11 text-quiet">{row.group.toLowerCase()}</span>
                </span>
              )}
            </FindList>
          ) : (
            <>
              <div className="mb-2 flex items-center justify-between">
                <h3 className="text-13">{lens.fields.find((row) => row.field === field)?.label}</h3>
                <button
                  type="button"
                  className="text-12 text-quiet underline"
                  onClick={() => setField("")}
                >
                  another
                </button>
              </div>
              <ChangeClause field={field} />
            </>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
