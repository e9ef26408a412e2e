import { Popover } from "radix-ui";
import { useState } from "react";

import type { Tier } from "@/stations/scores/use-scores";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";

/** What a person says of a tier. */
export interface Words {
  name: string;
  strategy: string;
  notes: string;
}

interface Props {
  tier: Tier;
  taken: string[];
  onWords: (words: Words) => void;
  onUp?: () => void;
  onDrop?: () => void;
}

/** A tier's name, its strategy in a line and notes; its place in the ladder. */
export function TierMenu({ tier, taken, onWords, onUp, onDrop }: Props) {
  const told: Words = { name: tier.name, strategy: tier.strategy, notes: tier.notes };
  const [words, setWords] = useState(told);
  const [open, setOpen] = useState(false);
  const name = words.name.trim();
  const same = name.toLowerCase() !== tier.name.toLowerCase() && taken.includes(name.toLowerCase());
  const next: Words = { name, strategy: words.strategy.trim(), notes: words.notes.trim() };
  const changed = JSON.stringify(next) !== JSON.stringify(told);
  const keep = () => {
    if (!name || same) return;
    if (changed) onWords(next);
    setOpen(false);
  };
  const write = (change: Partial<Words>) => setWords({ ...words, ...change });
  return (
    <Popover.Root
      open={open}
      onOpenChange={(now) => {
        setOpen(now);
        if (now) setWords(told);
      }}
    >
      <Popover.Trigger
        aria-label={`Change ${tier.name}`}
        className="min-h-[24px] rounded px-1 text-12 text-quiet hover:bg-paper hover:text-ink"
      >
        change
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          aria-label={`Change ${tier.name}`}
          className="card z-40 w-72 p-3 shadow-lg"
        >
          <form
            className="grid gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              keep();
            }}
          >
            <label className="text-12 text-quiet">
              Name
              <Input
                value={words.name}
                maxLength={40}
                className="mt-0.5 w-full text-13"
                onChange={(event) => write({ name: event.target.value })}
              />
            </label>
            {same && <p className="text-12 text-alarm">This name is taken.</p>}
            <label className="text-12 text-quiet">
              Strategy, in a line
              <Input
                value={words.strategy}
                maxLength={120}
                className="mt-0.5 w-full text-13"
                onChange={(event) => write({ strategy: event.target.value })}
              />
            </label>
            <label className="text-12 text-quiet">
              Notes
              <textarea
                value={words.notes}
                maxLength={2000}
                rows={3}
                className="mt-0.5 w-full rounded-md border border-line bg-card p-1.5 text-13 text-ink"
                onChange={(event) => write({ notes: event.target.value })}
              />
            </label>
            <p className="text-11 text-quiet">
              When this ladder is kept, its segments begin with these notes.
            </p>
            <div className="flex items-center justify-between text-12">
              <Button type="submit" disabled={!name || same || !changed}>
                Save
              </Button>
              {onUp && (
                <Popover.Close className="min-h-[24px] underline" onClick={onUp}>
                  Move up
                </Popover.Close>
              )}
              {onDrop && (
                <Popover.Close className="min-h-[24px] underline" onClick={onDrop}>
                  Delete
                </Popover.Close>
              )}
            </div>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
