import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { useChoice } from "@/stations/measures/use-measures";
import type { Page } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";
import { Checkbox } from "@/ui/input";
import { alikeGrid } from "@/stations/measures/grids";
import { TableBehind } from "@/study/table-behind";
import { PAIRED } from "@/stations/measures/paired";
import { useAddress } from "@/study/address";
import { unit } from "@/study/unit";

type Alike = Schemas["AlikePage"];
const NAME = 170;
const KINDS: Record<string, string> = {
  pearson: "Pearson's r",
  spearman: "rank correlation",
  v: "Cramér's V, corrected for bias",
  eta: "correlation ratio",
};

/** Every pair of measures and traits as a field of squares: how much the two say the same. */
export function AlikeMatrix({ page }: { page: Page }) {
  const { study } = useStudy();
  const view = useRows();
  const [rank, setRank] = useState(true);
  const [every, setEvery] = useState(false);
  const [ordered, setOrdered] = useState(true);
  const alike = useQuery({
    queryKey: ["study", study.id, "alike", view, rank, every, page.made_from, page.plan_revision],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/alike", {
          params: {
            path: { study: study.id },
            query: { ...view, rank: rank ? "1" : "", every: every ? "1" : "" },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (alike.isError) return <Failed words={alike.error.message} />;
  if (!alike.data) return <Waiting />;
  const found = alike.data;
  const order = ordered ? found.order : found.names.map((_, n) => n);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_230px] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
      <section className="card overflow-auto p-3" aria-label="Alike">
        <div className="mb-2 flex flex-wrap items-center gap-4 text-12">
          <Choice on={ordered} yes="similar ones together" no="as listed" onChange={setOrdered} />
          <Choice on={rank} yes="by rank (Spearman)" no="straight (Pearson)" onChange={setRank} />
          <label className="flex items-center gap-1.5">
            <Checkbox checked={every} onChange={(event) => setEvery(event.target.checked)} />
            shares, offers and those left out too
          </label>
        </div>
        <Field found={found} order={order} />
        <TableBehind name="alike" grid={() => alikeGrid(found, KINDS)} />
        <p className="mt-2 text-11 text-quiet">
          {found.exact
            ? `All ${count(found.customers)} ${unit.many} of the table`
            : `A seeded sample of ${count(found.customers)} ${unit.many}`}
          ; each pair over those who have both. Two numbers: {rank ? "Spearman" : "Pearson"}; two
          categories: V; one of each: correlation ratio.
          {found.left_out > 0 && ` ${found.left_out} more do not fit here.`}
        </p>
      </section>
      <Twins found={found} page={page} />
    </div>
  );
}

function Choice({
  on,
  yes,
  no,
  onChange,
}: {
  on: boolean;
  yes: string;
  no: string;
  onChange: (on: boolean) => void;
}) {
  return (
    <span className="inline-flex overflow-hidden rounded-md border border-line">
      {[true, false].map((value) => (
        <button
          key={String(value)}
          type="button"
          aria-pressed={on === value}
          className={`px-2 py-0.5 ${on === value ? "bg-ink text-white" : "bg-card text-quiet hover:text-ink"}`}
          onClick={() => onChange(value)}
        >
          {value ? yes : no}
        </button>
      ))}
    </span>
  );
}

/** Positive in violet, negative in ochre; categories know no sign and stay grey. */
function colour(kind: string, value: number): string {
  if (kind === "v" || kind === "eta") return "var(--color-quiet)";
  return value < 0 ? "var(--color-below)" : "var(--color-above)";
}

function Field({ found, order }: { found: Alike; order: number[] }) {
  const [, put] = useAddress(PAIRED);
  const [at, setAt] = useState<[number, number] | null>(null);
  const cell = Math.max(13, Math.min(26, Math.floor(540 / order.length)));
  const size = cell * order.length;
  const picked = at ? told(found, at) : "";
  const openPair = (i: number, j: number) => {
    const [x, y] = [found.names[i], found.names[j]];
    if (x?.kind !== "number" || y?.kind !== "number" || i === j) return;
    void put({ look: "pairs", x: x.name, y: y.name });
  };
  return (
    <>
      <p className="mb-1 h-4 text-12" aria-live="polite">
        {picked || <span className="text-quiet">Point at a square; pick it to see the pair.</span>}
      </p>
      <PickPicture
        width={size + NAME}
        height={size + 4}
        label={`Likeness of ${order.length} measures and traits`}
        onPointerLeave={() => setAt(null)}
      >
        {order.map((i, row) =>
          order.slice(0, row + 1).map((j, column) => {
            const value = found.values[i]?.[j];
            const kind = found.kinds[i]?.[j] ?? "";
            const side = i === j ? cell - 2 : Math.sqrt(Math.abs(value ?? 0)) * (cell - 2);
            const middle = (n: number) => n * cell + cell / 2;
            return (
              <g key={`${i}-${j}`}>
                <rect
                  x={column * cell}
                  y={row * cell}
                  width={cell}
                  height={cell}
                  fill={at?.[0] === i && at[1] === j ? "var(--color-paper)" : "transparent"}
                  stroke="var(--color-line)"
                  strokeWidth={0.5}
                  {...pickable({
                    label: told(found, [i, j]),
                    onPick: () => openPair(i, j),
                    onTry: (resting) => resting && setAt([i, j]),
                    reached: i !== j,
                  })}
                  className={i === j ? "" : "cursor-pointer"}
                />
                {value !== null && value !== undefined && (
                  <rect
                    x={middle(column) - side / 2}
                    y={middle(row) - side / 2}
                    width={side}
                    height={side}
                    fill={i === j ? "var(--color-line)" : colour(kind, value)}
                    opacity={i === j ? 1 : 0.25 + 0.75 * Math.abs(value)}
                    pointerEvents="none"
                  />
                )}
              </g>
            );
          }),
        )}
        {order.map((i, row) => {
          const name = found.names[i];
          return (
            <text
              key={name?.name}
              x={(row + 1) * cell + 6}
              y={row * cell + cell / 2 + 4}
              fontSize={11}
              fontWeight={name?.role === "shapes" ? 600 : 400}
              className={at?.includes(i) ? "fill-ink" : "fill-quiet"}
            >
              {name?.label.replace(", share", "")}
            </text>
          );
        })}
      </PickPicture>
    </>
  );
}

function told(found: Alike, [i, j]: [number, number]): string {
  const [a, b] = [found.names[i]?.label ?? "", found.names[j]?.label ?? ""];
  if (i === j) return a;
  const value = found.values[i]?.[j];
  if (value === null || value === undefined) return `${a} and ${b}: too little in common to tell`;
  const sign = value < 0 ? "−" : "";
  return `${a} and ${b}: ${KINDS[found.kinds[i]?.[j] ?? ""] ?? ""} ${sign}${Math.abs(value).toFixed(2)}`;
}

/** Pairs that say the same thing twice, each with a way out. */
function Twins({ found, page }: { found: Alike; page: Page }) {
  const { canChange } = useStudy();
  const choose = useChoice(page.plan_revision);
  const byName = new Map(page.threads.map((thread) => [thread.name, thread]));
  const label = (name: string) => byName.get(name)?.label ?? name;
  return (
    <section className="card p-3 text-12" aria-label="Said twice">
      <h2 className="text-13">The same thing twice</h2>
      {found.twins.length === 0 && (
        <p className="mt-1 text-quiet">No pair reaches 0.90: each adds something of its own.</p>
      )}
      <ul className="mt-1 grid gap-2">
        {found.twins.map((twin) => {
          const both = [byName.get(twin.first), byName.get(twin.second)];
          const shape = both.every((thread) => thread?.role === "shapes");
          const out = both[1];
          return (
            <li key={`${twin.first} ${twin.second}`} className="border-l-2 border-quiet pl-2">
              {label(twin.first)} and {label(twin.second)}
              <span className="text-quiet">
                {" "}
                {twin.value < 0 ? "−" : ""}
                {Math.abs(twin.value).toFixed(2)}
              </span>
              {shape && out ? (
                <p>
                  Both shape the groups, so the same thing counts twice.{" "}
                  {canChange && (
                    <button
                      type="button"
                      className="underline"
                      onClick={() => choose.mutate({ thread: out, choice: { role: "describes" } })}
                    >
                      Let {out.label} only describe
                    </button>
                  )}
                </p>
              ) : (
                <p className="text-quiet">
                  Only one of them shapes the groups, so nothing counts twice.
                </p>
              )}
            </li>
          );
        })}
      </ul>
      <p className="mt-3 flex flex-wrap gap-x-3 gap-y-1 text-11 text-quiet">
        <span className="inline-flex items-center gap-1">
          <span className="inline-block size-2.5 bg-above" /> ▴ rise together
        </span>
        <span className="inline-flex items-center gap-1">
          <span className="inline-block size-2.5 bg-below" /> ▾ one rises, one falls
        </span>
        <span className="inline-flex items-center gap-1">
          <span className="inline-block size-2.5 bg-quiet" /> with a category
        </span>
        <span>area: strength; bold: shapes the groups</span>
      </p>
    </section>
  );
}
