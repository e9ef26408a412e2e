import { Popover } from "radix-ui";

import { count } from "@/charts/format";
import type { Change, Recipe } from "@/stations/groups/queries";
import { TinyShares, TinyThread } from "@/stations/groups/tiny";
import { preparation } from "@/stations/measures/preparation";
import { FindList } from "@/ui/find-list";

interface Props {
  recipe: Recipe;
  onDraft: (change: Change, words: string) => void;
}

interface Entry {
  key: string;
  name: string;
  label: string;
  picked: boolean;
  number: boolean;
  note: string;
  more: string;
  picture: React.ReactNode;
}

function entries(recipe: Recipe): Entry[] {
  const numbers = recipe.numeric.map((row) => ({
    key: `n ${row.name}`,
    name: row.name,
    label: row.label,
    picked: row.picked,
    number: true,
    note: told(row.role, row.missing ? `${count(row.missing)} missing` : preparation(row.steps)),
    more: row.reason,
    picture: <TinyThread shape={row.shape} prepared={row.prepared} />,
  }));
  const traits = recipe.categories.map((row) => ({
    key: `c ${row.name}`,
    name: row.name,
    label: row.label,
    picked: row.picked,
    number: false,
    note: told(row.role, `${row.values} values`),
    more: row.levels.join(", "),
    picture: <TinyShares shares={row.shares} whole={recipe.customers} />,
  }));
  return [...numbers, ...traits];
}

/** A note, with the role that the column has at Measures where it is not to shape the groups. */
function told(role: string, words: string): string {
  return role === "shapes" ? words : `${words} · ${role === "out" ? "left out" : "describes"}`;
}

/** All columns with small threads; a click, or Enter on the marked one, picks or leaves one. */
export function Picker({ recipe, onDraft }: Props) {
  const turn = (entry: Entry) => {
    const key = entry.number ? "numeric" : "categories";
    onDraft(
      (draft) => {
        const others = (draft[key] ?? []).filter((name) => name !== entry.name);
        return { ...draft, [key]: entry.picked ? others : [...others, entry.name] };
      },
      entry.picked ? `${entry.label} stays out.` : `${entry.label} goes in.`,
    );
  };
  return (
    <Popover.Root>
      <Popover.Trigger className="text-12 underline hover:text-ink">pick</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          side="right"
          sideOffset={10}
          className="card z-40 w-[430px] max-w-[94vw] p-2 shadow-lg"
        >
          <FindList
            label="Find a measure or trait"
            placeholder="Measure or trait to group by"
            items={entries(recipe)}
            keyOf={(entry) => entry.key}
            wordsOf={(entry) => entry.label}
            picked={(entry) => entry.picked}
            hint={(entry) => entry.more}
            onPick={turn}
          >
            {(entry) => (
              <>
                <span
                  className={`grid size-[13px] shrink-0 place-items-center rounded-sm border text-11 leading-none ${entry.picked ? "border-ink bg-ink text-white" : "border-quiet"}`}
                >
                  {entry.picked && "✓"}
                </span>
                {entry.picture}
                <span className="min-w-0 flex-1 truncate">{entry.label}</span>
                <span className="shrink-0 text-11 text-quiet">{entry.note}</span>
              </>
            )}
          </FindList>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
