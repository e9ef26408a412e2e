import { Popover } from "radix-ui";

import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { preparation } from "@/stations/measures/thread-row";
import type { Draft } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";

interface Props {
  recipe: Schemas["RecipeBody"];
  busy: boolean;
  onDraft: (draft: Draft) => void;
  onRun: () => void;
}

/** What goes into the groups: measures as prepared, traits, their balance, seed and starts. */
export function Recipe({ recipe, busy, onDraft, onRun }: Props) {
  const { canChange } = useStudy();
  const numeric = recipe.numeric.filter((row) => row.picked).map((row) => row.name);
  const categories = recipe.categories.filter((row) => row.picked).map((row) => row.name);
  const now: Draft = {
    numeric,
    categories,
    balance: recipe.balance,
    seed: recipe.seed,
    starts: recipe.starts,
  };
  const without = (list: string[], name: string) => list.filter((other) => other !== name);
  return (
    <section className="card p-3" aria-label="Recipe">
      <h2 className="text-14">Recipe</h2>
      <Part
        title="Numbers"
        rows={recipe.numeric
          .filter((row) => row.picked)
          .map((row) => ({ name: row.name, label: row.label, note: preparation(row.steps) }))}
        offer={recipe.numeric
          .filter((row) => !row.picked)
          .map((row) => ({
            name: row.name,
            label: row.label,
            note: row.missing ? `${count(row.missing)} missing` : "",
          }))}
        onDrop={(name) => onDraft({ ...now, numeric: without(numeric, name) })}
        onAdd={(name) => onDraft({ ...now, numeric: [...numeric, name] })}
      />
      <Part
        title="Categories"
        rows={recipe.categories
          .filter((row) => row.picked)
          .map((row) => ({ name: row.name, label: row.label, note: `${row.values} values` }))}
        offer={recipe.categories
          .filter((row) => !row.picked)
          .map((row) => ({ name: row.name, label: row.label, note: `${row.values} values` }))}
        onDrop={(name) => onDraft({ ...now, categories: without(categories, name) })}
        onAdd={(name) => onDraft({ ...now, categories: [...categories, name] })}
      />
      {categories.length > 0 && (
        <label className="mt-3 block">
          <span className="font-semibold">Balance</span>{" "}
          <span className="text-12 text-quiet">
            {recipe.balance === 0 ? "numbers alone" : `a category weighs ${recipe.balance}×`}
          </span>
          <input
            type="range"
            min={0}
            max={2}
            step={0.25}
            defaultValue={recipe.balance}
            key={recipe.balance}
            disabled={!canChange}
            aria-label="Balance of categories against numbers"
            className="mt-1 w-full accent-ink"
            onPointerUp={(event) => onDraft({ ...now, balance: Number(event.currentTarget.value) })}
            onKeyUp={(event) => onDraft({ ...now, balance: Number(event.currentTarget.value) })}
          />
        </label>
      )}
      <p className="mt-2 text-12 text-quiet">
        <b className="font-semibold text-ink">Method</b> {recipe.method}
        <br />
        <b className="font-semibold text-ink">Starts</b> {recipe.starts} a row,{" "}
        <b className="font-semibold text-ink">seed</b> {recipe.seed}
      </p>
      {canChange && (
        <Button className="mt-3 w-full" disabled={busy} onClick={onRun}>
          {busy ? "Grouping …" : "Group by this recipe"}
        </Button>
      )}
    </section>
  );
}

interface Row {
  name: string;
  label: string;
  note: string;
}

function Part({
  title,
  rows,
  offer,
  onDrop,
  onAdd,
}: {
  title: string;
  rows: Row[];
  offer: Row[];
  onDrop: (name: string) => void;
  onAdd: (name: string) => void;
}) {
  const { canChange } = useStudy();
  return (
    <>
      <div className="mt-2.5 flex items-baseline justify-between border-b border-line pb-1">
        <h3 className="text-13">{title}</h3>
        {canChange && offer.length > 0 && (
          <Popover.Root>
            <Popover.Trigger className="text-12 text-quiet underline hover:text-ink">
              add
            </Popover.Trigger>
            <Popover.Portal>
              <Popover.Content
                align="start"
                sideOffset={4}
                className="card z-40 max-h-72 w-64 overflow-y-auto p-1.5 shadow-lg"
              >
                {offer.map((row) => (
                  <button
                    key={row.name}
                    type="button"
                    onClick={() => onAdd(row.name)}
                    className="flex w-full justify-between gap-2 rounded px-2 py-1 text-left hover:bg-paper"
                  >
                    {row.label} <span className="text-11 text-quiet">{row.note}</span>
                  </button>
                ))}
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
        )}
      </div>
      <ul>
        {rows.map((row) => (
          <li
            key={row.name}
            className="group flex items-baseline gap-1 border-b border-line py-1 text-12"
          >
            <span className="min-w-0 flex-1 truncate">{row.label}</span>
            <span className="text-11 text-quiet">{row.note}</span>
            {canChange && (
              <button
                type="button"
                aria-label={`Leave ${row.label} out`}
                className="text-quiet opacity-40 group-hover:opacity-100 focus:opacity-100"
                onClick={() => onDrop(row.name)}
              >
                ×
              </button>
            )}
          </li>
        ))}
        {rows.length === 0 && <li className="py-1 text-12 text-quiet">none</li>}
      </ul>
    </>
  );
}
