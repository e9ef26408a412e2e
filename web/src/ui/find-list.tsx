import { useId, useState } from "react";
import type { KeyboardEvent, ReactNode } from "react";

import { Input } from "@/ui/input";

interface Props<Item> {
  label: string;
  /** What the list holds. */
  placeholder: string;
  items: readonly Item[];
  keyOf: (item: Item) => string;
  /** What the words typed are looked for in. */
  wordsOf: (item: Item) => string;
  /** Whether an item is taken already, where several can be. */
  picked?: (item: Item) => boolean;
  hint?: (item: Item) => string;
  children: (item: Item) => ReactNode;
  onPick: (item: Item) => void;
}

/**
 * A list to pick from by typing part of a name: arrows mark, Enter picks the marked, Home and End
 * lead to the first and last; a click picks as well. The focus stays in the field.
 */
export function FindList<Item>(props: Props<Item>) {
  const { label, placeholder, items, keyOf, wordsOf, picked, hint, children, onPick } = props;
  const [wanted, setWanted] = useState("");
  const [marked, setMarked] = useState(0);
  const id = useId();
  const found = items.filter((item) =>
    wordsOf(item).toLowerCase().includes(wanted.trim().toLowerCase()),
  );
  const at = Math.min(marked, found.length - 1);
  const mark = (place: number) => {
    setMarked(place);
    document.getElementById(`${id}-${place}`)?.scrollIntoView({ block: "nearest" });
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const last = found.length - 1;
    const next = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: last }[event.key];
    if (next !== undefined && last >= 0) {
      event.preventDefault();
      mark(Math.min(last, Math.max(0, next)));
    }
    const item = found[at];
    if (event.key === "Enter" && item !== undefined) {
      event.preventDefault();
      onPick(item);
    }
  };
  return (
    <>
      <Input
        autoFocus
        role="combobox"
        aria-expanded
        aria-controls={`${id}-list`}
        aria-activedescendant={at < 0 ? undefined : `${id}-${at}`}
        aria-label={label}
        value={wanted}
        placeholder={placeholder}
        className="w-full"
        onChange={(event) => {
          setWanted(event.target.value);
          setMarked(0);
        }}
        onKeyDown={onKeyDown}
      />
      <div
        id={`${id}-list`}
        role="listbox"
        aria-label={placeholder}
        aria-multiselectable={picked !== undefined}
        className="mt-1.5 max-h-[420px] overflow-y-auto"
      >
        {found.map((item, place) => (
          <div
            key={keyOf(item)}
            id={`${id}-${place}`}
            role="option"
            aria-selected={picked ? picked(item) : place === at}
            title={hint?.(item)}
            className={`flex min-h-[24px] cursor-pointer items-center gap-2 rounded px-2 py-1 text-12 hover:bg-paper ${place === at ? "bg-paper" : ""}`}
            onPointerDown={(event) => event.preventDefault()}
            onClick={() => onPick(item)}
          >
            {children(item)}
          </div>
        ))}
      </div>
      {found.length === 0 && <p className="p-2 text-quiet">No match.</p>}
    </>
  );
}
