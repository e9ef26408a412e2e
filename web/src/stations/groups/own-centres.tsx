import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { day, unitWords } from "@/charts/format";
import { useKept } from "@/stations/groups/queries";
import type { Draft, Recipe } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Input } from "@/ui/input";
import { Select } from "@/ui/select";
import { useNotice } from "@/ui/notices";
import { Column, RowHead, Table } from "@/ui/table";

/** What a person typed, by column. */
type Typed = Record<string, string>;
type Centre = NonNullable<Draft["centres"]>[number];

interface Props {
  recipe: Recipe;
  draft: Draft;
  onChange: (part: Partial<Draft>, words: string) => void;
}

/** Where starts begin: seeded, or at centres of one's own. */
export function OwnCentres({ recipe, draft, onChange }: Props) {
  const [open, setOpen] = useState(false);
  const own = draft.centres?.length ?? 0;
  return (
    <div className="grid gap-1">
      <span className="flex items-center justify-between gap-2">
        {own ? `${own} groups begin with own centres` : "Seeded starts"}
        <button type="button" className="min-h-[24px] underline" onClick={() => setOpen(true)}>
          Own centres
        </button>
      </span>
      <Card title="Begin with centres of your own" open={open} onClose={() => setOpen(false)} page>
        <Centres
          recipe={recipe}
          draft={draft}
          onChange={(centres) => {
            setOpen(false);
            onChange(
              centres
                ? {
                    centres,
                    least: Math.min(draft.least, centres.length),
                    most: Math.max(draft.most, centres.length),
                  }
                : { centres: null },
              centres ? `${centres.length} groups begin with these centres.` : "Starts are seeded.",
            );
          }}
        />
      </Card>
    </div>
  );
}

interface CentresProps {
  recipe: Recipe;
  draft: Draft;
  onChange: (centres: Centre[] | null) => void;
}

function Centres({ recipe, draft, onChange }: CentresProps) {
  const { study } = useStudy();
  const columns = columnsOf(recipe, study.currency);
  const [rows, setRows] = useState<Typed[]>(() =>
    draft.centres?.length ? draft.centres.map(typedOf) : [{}, {}],
  );
  const [shown, setShown] = useState(false);
  const wrong = (row: Typed, column: Written) =>
    column.number ? numberOf(row[column.name]) === null : row[column.name] === undefined;
  const ready = rows.length > 0 && rows.every((row) => !columns.some((each) => wrong(row, each)));
  const keep = () => {
    setShown(true);
    if (ready) onChange(rows.map((row) => centreOf(row, columns)));
  };
  const write = (n: number, name: string, value: string) =>
    setRows(rows.map((row, m) => (m === n ? { ...row, [name]: value } : row)));
  return (
    <div className="mt-2 grid gap-3 text-12">
      <p className="text-quiet">
        Of as many groups as there are centres the passes begin here, and no seeded start is tried;
        other numbers of groups begin with seeded starts as before. Resamplings always do, so
        &ldquo;returns&rdquo; says whether the groups are found without them.
      </p>
      <From columns={columns} onRows={setRows} />
      <div className="overflow-x-auto">
        <Table label="Centres to begin with" className="w-full">
          <thead>
            <tr>
              <Column>Group</Column>
              {columns.map((column) => (
                <Column key={column.name} className="px-1 align-bottom">
                  {column.label}
                  <span className="block text-11 text-quiet">{column.unit}</span>
                </Column>
              ))}
              <Column>
                <span className="sr-only">Remove</span>
              </Column>
            </tr>
          </thead>
          <tbody>
            {rows.map((row, n) => (
              <tr key={n}>
                <RowHead>{n + 1}</RowHead>
                {columns.map((column) => (
                  <td key={column.name} className="p-0.5">
                    <Input
                      aria-label={`${column.label}, centre ${n + 1}`}
                      aria-invalid={shown && wrong(row, column)}
                      value={row[column.name] ?? ""}
                      inputMode={column.number ? "decimal" : undefined}
                      list={column.number ? undefined : `levels of ${column.name}`}
                      className={`w-full min-w-[84px] ${shown && wrong(row, column) ? "border-alarm" : ""}`}
                      onChange={(event) => write(n, column.name, event.target.value)}
                    />
                  </td>
                ))}
                <td>
                  <button
                    type="button"
                    aria-label={`Remove centre ${n + 1}`}
                    className="min-h-[24px] min-w-[24px] text-quiet hover:text-ink"
                    disabled={rows.length === 1}
                    onClick={() => setRows(rows.filter((_, m) => m !== n))}
                  >
                    ×
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
        {columns.map((column) =>
          column.number ? null : (
            <datalist key={column.name} id={`levels of ${column.name}`}>
              {column.levels.map((level) => (
                <option key={level} value={level} />
              ))}
            </datalist>
          ),
        )}
      </div>
      {shown && !ready && (
        <p role="alert" className="text-alarm">
          Every centre needs a number in each measure, with a point for decimals, and a value in
          each category.
        </p>
      )}
      <div className="flex flex-wrap items-center gap-2">
        <Button kind="main" onClick={keep}>
          Begin with these {rows.length}
        </Button>
        {rows.length < 20 && (
          <Button onClick={() => setRows([...rows, { ...rows.at(-1) }])}>Add a centre</Button>
        )}
        <span className="flex-1" />
        {draft.centres && <Button onClick={() => onChange(null)}>Begin with seeded starts</Button>}
      </div>
    </div>
  );
}

/** Take the centres of something that was tried before. */
function From({ columns, onRows }: { columns: Written[]; onRows: (rows: Typed[]) => void }) {
  const { study, view } = useStudy();
  const say = useNotice();
  const kept = useKept();
  const rows = kept.data?.rows ?? [];
  if (rows.length === 0) return null;
  const take = async (grouping: number) => {
    try {
      const page = await data(
        api.GET("/api/studies/{study}/groups/{grouping}/centres", {
          params: { path: { study: study.id, grouping }, query: view },
        }),
      );
      onRows(page.groups.map((group) => takenFrom(page.columns, group, columns)));
    } catch (problem) {
      say(problem instanceof Error ? problem.message : "Its centres cannot be had.", {
        trouble: true,
      });
    }
  };
  return (
    <label className="flex items-center gap-2">
      Fill in the centres of
      <Select
        value=""
        onChange={(value) => value && void take(Number(value))}
        options={[
          ["", "a grouping that was tried"],
          ...rows.map(
            (row) =>
              [
                String(row.id),
                `${row.k} groups, ${row.method}, ${row.columns.length} columns, to ${day(row.window_to)}${row.in_use ? ", in use" : ""}`,
              ] as const,
          ),
        ]}
      />
    </label>
  );
}

interface Written {
  name: string;
  label: string;
  unit: string;
  number: boolean;
  levels: string[];
}

function columnsOf(recipe: Recipe, currency: string): Written[] {
  return [
    ...recipe.numeric
      .filter((row) => row.picked)
      .map(({ name, label, unit }) => ({
        name,
        label,
        unit: unitWords(unit, currency),
        number: true,
        levels: [],
      })),
    ...recipe.categories
      .filter((row) => row.picked)
      .map(({ name, label, levels }) => ({
        name: `trait:${name}`,
        label,
        unit: "",
        number: false,
        levels,
      })),
  ];
}

function takenFrom(
  columns: Schemas["CentreColumn"][],
  group: Schemas["CentreRow"],
  wanted: Written[],
): Typed {
  const row: Typed = {};
  for (const column of wanted) {
    const cell = group.cells[columns.findIndex((each) => each.name === column.name)];
    if (!cell) continue;
    row[column.name] = column.number
      ? String(Number((cell.value ?? 0).toPrecision(6)))
      : (cell.level ?? "");
  }
  return row;
}

function typedOf(centre: Centre): Typed {
  return Object.fromEntries(Object.entries(centre).map(([name, value]) => [name, String(value)]));
}

function numberOf(typed: string | undefined): number | null {
  const value = Number((typed ?? "").trim());
  return typed?.trim() && Number.isFinite(value) ? value : null;
}

function centreOf(row: Typed, columns: Written[]): Centre {
  return Object.fromEntries(
    columns.map(({ name, number }) => [
      name,
      number ? (numberOf(row[name]) ?? 0) : (row[name] ?? ""),
    ]),
  );
}
