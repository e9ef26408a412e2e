import { useState } from "react";

import { count, figure } from "@/charts/format";
import { Balance } from "@/stations/groups/balance";
import { How } from "@/stations/groups/how";
import { Picker } from "@/stations/groups/picker";
import { draftOf } from "@/stations/groups/queries";
import type { Change, Draft, Recipe as Body } from "@/stations/groups/queries";
import { TinyShares, TinyThread } from "@/stations/groups/tiny";
import { preparation } from "@/stations/measures/preparation";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Select } from "@/ui/select";

const WEIGHTS = [0.25, 0.5, 1, 1.5, 2, 3, 5];

interface Props {
  recipe: Body;
  madeFrom: string;
  k: number;
  busy: boolean;
  current: boolean;
  onDraft: (change: Change, words: string) => void;
  onRun: () => void;
}

/** What goes into the groups: columns with weight and preparation, balance, method, cautions. */
export function Recipe({ recipe, madeFrom, k, busy, current, onDraft, onRun }: Props) {
  const { canChange } = useStudy();
  const draft = draftOf(recipe);
  const numbers = recipe.numeric.filter((row) => row.picked);
  const traits = recipe.categories.filter((row) => row.picked);
  const change = (part: Partial<Draft>, words: string) =>
    onDraft((now) => ({ ...now, ...part }), words);
  const weigh = (name: string, label: string, weight: number) => {
    onDraft(
      (now) => {
        const others = Object.entries(now.weights).filter(([other]) => other !== name);
        const weights = Object.fromEntries(weight === 1 ? others : [...others, [name, weight]]);
        return { ...now, weights };
      },
      `${label} weighs ${figure(weight)}.`,
    );
  };
  return (
    <section className="card p-3" aria-label="Recipe">
      <div className="flex items-baseline justify-between">
        <h2 className="text-14">Recipe</h2>
        {canChange && <Picker recipe={recipe} onDraft={onDraft} />}
      </div>
      <Title words="Numbers" many={numbers.length} />
      <ul>
        {numbers.map((row) => (
          <Line
            key={row.name}
            label={row.label}
            title={`${row.label}: ${preparation(row.steps)}${row.reason && `, ${row.reason}`}. At Measures it ${role(row.role)}.`}
            note={[preparation(row.steps), row.reason].filter(Boolean).join(": ")}
            own={row.own_steps}
            weight={row.weight}
            picture={<TinyThread shape={row.shape} prepared={row.prepared} />}
            onWeight={(weight) => weigh(row.name, row.label, weight)}
            onDrop={() =>
              onDraft(
                (now) => ({ ...now, numeric: without(now.numeric, row.name) }),
                `${row.label} stays out.`,
              )
            }
          />
        ))}
      </ul>
      <Title words="Categories" many={traits.length} />
      <ul>
        {traits.map((row) => (
          <Line
            key={row.name}
            label={row.label}
            title={`${row.label}: ${row.levels.join(", ")}. At Measures it ${role(row.role)}.`}
            note={`${row.values} values`}
            own={false}
            weight={row.weight}
            picture={<TinyShares shares={row.shares} whole={recipe.customers} />}
            onWeight={(weight) => weigh(row.name, row.label, weight)}
            onDrop={() =>
              onDraft(
                (now) => ({ ...now, categories: without(now.categories, row.name) }),
                `${row.label} stays out.`,
              )
            }
          />
        ))}
      </ul>
      {traits.length > 0 && (
        <Balance
          slides={numbers.length > 0}
          balance={draft.balance}
          k={k}
          madeFrom={madeFrom}
          waits={busy}
          onBalance={(balance) => change({ balance }, "Balance changed.")}
        />
      )}
      <How recipe={recipe} draft={draft} onChange={change} />
      <Cautions recipe={recipe} onDraft={onDraft} />
      {canChange && (
        <Button
          className="mt-3 w-full"
          aria-disabled={busy || current}
          onClick={() => !busy && !current && onRun()}
        >
          {busy ? "Grouping …" : current ? "Grouped by this recipe" : "Group by this recipe"}
        </Button>
      )}
      {canChange && !current && !busy && recipe.seconds !== null && (
        <p className="mt-1 text-center text-11 text-quiet">
          takes about{" "}
          {recipe.seconds < 90
            ? `${recipe.seconds} s`
            : `${Math.round(recipe.seconds / 60)} minutes`}
        </p>
      )}
    </section>
  );
}

/** What a column's role at Measures says. */
export function role(name: string): string {
  return name === "out" ? "is left out" : `${name} the groups`;
}

function without(names: string[] | null | undefined, name: string): string[] {
  return (names ?? []).filter((other) => other !== name);
}

function Title({ words, many }: { words: string; many: number }) {
  return (
    <h3 className="mt-2 flex justify-between border-b border-line pb-0.5 text-12">
      {words} <span className="font-sans text-11 font-normal text-quiet">{many || "none"}</span>
    </h3>
  );
}

interface LineProps {
  label: string;
  title: string;
  note: string;
  own: boolean;
  weight: number;
  picture: React.ReactNode;
  onWeight: (weight: number) => void;
  onDrop: () => void;
}

function Line({ label, title, note, own, weight, picture, onWeight, onDrop }: LineProps) {
  const { canChange } = useStudy();
  return (
    <li className="group relative border-b border-line py-[3px]" title={title}>
      <div className="flex items-center gap-1.5 text-12">
        <span className="min-w-0 flex-1 truncate">{label}</span>
        <span className="group-focus-within:invisible group-hover:invisible">{picture}</span>
      </div>
      <p className="truncate text-11 leading-[13px] text-quiet">
        {note}
        {own && ", of its own"}
        {weight !== 1 && <b className="font-semibold text-ink"> × {figure(weight)}</b>}
      </p>
      {canChange && (
        <span className="absolute right-0 top-[3px] flex items-center gap-1 bg-card opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
          <Select
            label={`Weight of ${label}`}
            value={String(weight)}
            className="text-11"
            onChange={(value) => onWeight(Number(value))}
            options={[...new Set([weight, ...WEIGHTS])]
              .sort((a, b) => a - b)
              .map((each) => [String(each), `× ${figure(each)}`] as const)}
          />
          <button
            type="button"
            aria-label={`Leave ${label} out`}
            className="px-1 text-quiet hover:text-ink"
            onClick={onDrop}
          >
            ×
          </button>
        </span>
      )}
    </li>
  );
}

/** What may mislead, each with what can be done about it in one click. */
function Cautions({ recipe, onDraft }: Pick<Props, "recipe" | "onDraft">) {
  const { canChange } = useStudy();
  const [all, setAll] = useState(false);
  if (recipe.cautions.length === 0) return null;
  const shown = all ? recipe.cautions : recipe.cautions.slice(0, 2);
  return (
    <ul className="mt-2 grid gap-1.5" aria-label="Cautions">
      {shown.map((caution) => (
        <li key={caution.words} className="rounded-md bg-paper p-2 text-11">
          {caution.words}
          {canChange && (
            <span className="mt-0.5 flex flex-wrap gap-x-3">
              {caution.remedies.map((remedy) => (
                <button
                  key={remedy.label}
                  type="button"
                  className="underline hover:text-copper"
                  onClick={() => onDraft(() => remedy.draft, `${remedy.label}: done.`)}
                >
                  {remedy.label}
                </button>
              ))}
            </span>
          )}
        </li>
      ))}
      {recipe.cautions.length > 2 && (
        <li>
          <button type="button" className="text-11 underline" onClick={() => setAll(!all)}>
            {all ? "fewer" : `and ${count(recipe.cautions.length - 2)} more`}
          </button>
        </li>
      )}
    </ul>
  );
}
