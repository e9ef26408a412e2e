import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import type { PointerEvent } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { ticksOf } from "@/charts/axis";
import { count, figure, percent } from "@/charts/format";
import { Glyph, PickPicture } from "@/charts/picture";
import { useTold } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { useNewest } from "@/study/queries";
import { Button } from "@/ui/button";
import { Empty, Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

type Body = Omit<Schemas["TreeBody"], "merges"> & { merges: number[][] };
const NAMES: Record<string, string> = {
  ward: "Ward",
  average: "Average",
  complete: "Complete",
  single: "Single",
};

interface Props {
  /** Group by this linkage, so that the cut can be judged and adopted. */
  onJudge: (linkage: string, k: number) => void;
}

/** A share as a whole number; some are few, not none. */
function small(size: number, total: number): string {
  return size > 0 && size / total < 0.005 ? "< 1%" : percent(size, total, 0);
}

/** Who joins whom: the tree of each linkage, with a cut that can be dragged. */
export function Merges({ onJudge }: Props) {
  const { study, view, canChange } = useStudy();
  const told = useTold();
  const [large, setLarge] = useState("ward");
  const path = { params: { path: { study: study.id }, query: view } };
  const merges = useQuery({
    queryKey: ["study", study.id, "merges", view],
    queryFn: ({ signal }) =>
      data(api.GET("/api/studies/{study}/groups/merges", { ...path, signal })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) =>
      ["waiting", "running"].includes(query.state.data?.job?.state ?? "") ? 2000 : false,
  });
  const grow = useMutation({
    mutationFn: () => data(api.POST("/api/studies/{study}/groups/merges", path)),
    ...told,
  });
  const job = useNewest(study.id, merges.data?.job);
  if (merges.isError) return <Failed words={merges.error.message} />;
  if (!merges.data) return <Waiting />;
  const { trees } = merges.data;
  const begin = canChange && (
    <Button kind="main" disabled={grow.isPending} onClick={() => grow.mutate()}>
      Grow the trees
    </Button>
  );
  if (trees.length === 0) {
    if (job?.state === "failed") return <Failed words={job.error} action={begin} />;
    if (job && job.state !== "cancelled")
      return <Empty title="The trees are growing">{job.stage || "beginning"}</Empty>;
    return (
      <Empty title="No tree has been grown of this recipe" action={begin}>
        Here {unit.many} join step by step into ever fewer groups. A cut across the tree makes
        groups; long stretches without a merge say where it holds.
      </Empty>
    );
  }
  const shown =
    trees.find((tree) => tree.linkage === large && !tree.refused) ??
    trees.find((tree) => !tree.refused);
  return (
    <section className="grid gap-3" aria-label="Merges">
      {shown && <Tree key={shown.linkage} tree={shown} canChange={canChange} onJudge={onJudge} />}
      <div className="grid grid-cols-4 gap-3">
        {trees.map((tree) => (
          <Small
            key={tree.linkage}
            tree={tree}
            lit={tree === shown}
            onPick={() => setLarge(tree.linkage)}
          />
        ))}
        {job && job.state !== "failed" && job.state !== "cancelled" && (
          <p className="card grid place-items-center p-3 text-12 text-quiet" aria-live="polite">
            {job.stage || "growing"}, {job.done} of {job.of}
          </p>
        )}
      </div>
    </section>
  );
}

interface Placed {
  /** Horizontal place of every branch, leaves first. */
  x: number[];
  y: number[];
  sizes: number[];
}

/** Where branches lie: leaves as wide as they have customers, merges between their two. */
function placed(tree: Body, width: number): Placed {
  const total = Math.max(
    1,
    tree.sizes.reduce((a, b) => a + b, 0),
  );
  const room = width - tree.sizes.length * 2;
  const x: number[] = [];
  let from = 0;
  for (const size of tree.sizes) {
    const wide = 2 + (size / total) * room;
    x.push(from + wide / 2);
    from += wide;
  }
  const y = tree.sizes.map(() => tree.foot);
  const sizes = [...tree.sizes];
  tree.merges.forEach(([a = 0, b = 0], n) => {
    const [sa, sb] = [sizes[a] ?? 1, sizes[b] ?? 1];
    x.push(((x[a] ?? 0) * sa + (x[b] ?? 0) * sb) / (sa + sb));
    y.push(tree.heights[n] ?? 0);
    sizes.push(sa + sb);
  });
  return { x, y, sizes };
}

/** The branches that stand alone below a cut into k groups, left to right. */
function groupsOf(tree: Body, at: Placed, k: number): number[] {
  const leaves = tree.sizes.length;
  const whole = new Set([leaves + tree.merges.length - 1]);
  if (tree.merges.length === 0) return [0];
  for (let n = tree.merges.length - 1; n >= 0 && whole.size < k; n--) {
    const node = leaves + n;
    const pair = tree.merges[n] ?? [];
    whole.delete(node);
    pair.forEach((branch) => whole.add(branch));
  }
  return [...whole].sort((a, b) => (at.x[a] ?? 0) - (at.x[b] ?? 0));
}

const W = 900;
const H = 330;
const LEFT = 52;
/** Longer names are cut short. */
const LONGEST = 18;

function Tree({
  tree,
  canChange,
  onJudge,
}: {
  tree: Body;
  canChange: boolean;
  onJudge: Props["onJudge"];
}) {
  const [k, setK] = useState(() => widest(tree));
  const [held, setHeld] = useState(false);
  const frame = useRef<SVGRectElement>(null);
  const at = useMemo(() => placed(tree, W), [tree]);
  const most = tree.sizes.length;
  // Room for the rows' names below their feet.
  const letters = Math.min(LONGEST, Math.max(0, ...tree.names.map((name) => name.length)));
  const deep = letters * 5.2;
  const high = Math.max(...tree.heights, 1e-9) * 1.05;
  const y = (height: number) => 8 + (1 - height / high) * H;
  const lines = useMemo(() => branches(tree, at, high), [tree, at, high]);
  const groups = groupsOf(tree, at, k);
  const sizes = groups.map((group) => at.sizes[group] ?? 0);
  const total = sizes.reduce((a, b) => a + b, 0);
  const between = (n: number): [number, number] => [
    n < most ? (tree.heights[tree.heights.length - n] ?? tree.foot) : tree.foot,
    n > 1 ? (tree.heights[tree.heights.length - n + 1] ?? high) : high,
  ];
  const [below, above] = between(k);
  const cut = (below + above) / 2;
  const follow = (event: PointerEvent) => {
    const box = frame.current?.getBoundingClientRect();
    if (!box || !held) return;
    const height = (1 - (event.clientY - box.top) / box.height) * high;
    let next = 1;
    while (next < Math.min(most, 20) && (tree.heights[tree.heights.length - next] ?? 0) > height)
      next++;
    setK(Math.max(2, next));
  };
  const step = (n: number) => setK((old) => Math.min(Math.min(most, 20), Math.max(2, old + n)));
  return (
    <div className="card p-3">
      <div className="mb-1 flex items-baseline gap-3">
        <h2 className="text-14">{NAMES[tree.linkage] ?? tree.linkage} linkage</h2>
        <p className="flex-1 text-12 text-quiet">
          {tree.summarised ? `The topmost ${most - 1} merges; each foot stands for a branch. ` : ""}
          The cut lies in a stretch of {figure(above - below)} without a merge.
        </p>
        {canChange && (
          <Button onClick={() => onJudge(tree.linkage, k)}>Evaluate these {k} groups</Button>
        )}
      </div>
      <PickPicture
        viewBox={`0 0 ${LEFT + W + 4} ${H + 62 + deep}`}
        className="block w-full select-none"
        label={`Tree of ${NAMES[tree.linkage]} linkage`}
      >
        <g transform={`translate(${LEFT} 0)`}>
          <rect ref={frame} y={8} width={W} height={H} fill="transparent" />
          {ticksOf({ low: 0, high, log: false }, 5).map((tick) => (
            <g key={tick}>
              <line x1={-5} x2={0} y1={y(tick)} y2={y(tick)} stroke="var(--color-quiet)" />
              <text x={-8} y={y(tick) + 4} fontSize={11} textAnchor="end" className="fill-quiet">
                {figure(tick)}
              </text>
            </g>
          ))}
          <path d={lines} fill="none" stroke="var(--color-quiet)" strokeWidth={1} />
          {groups.map((group, n) => {
            const [from, to] = spanOf(tree, at, group);
            const size = at.sizes[group] ?? 0;
            return (
              <g key={group}>
                <rect
                  x={from}
                  y={H + 12}
                  width={Math.max(2, to - from - 2)}
                  height={9}
                  rx={2}
                  fill="var(--color-ink)"
                  opacity={n % 2 ? 0.55 : 0.85}
                />
                {to - from > 26 && deep === 0 && (
                  <text x={(from + to) / 2} y={H + 34} fontSize={11} textAnchor="middle">
                    {small(size, total)}
                  </text>
                )}
                <title>{`${count(size)} ${unit.many}`}</title>
              </g>
            );
          })}
          <g
            role="slider"
            tabIndex={0}
            aria-label="Cut"
            aria-valuemin={2}
            aria-valuemax={Math.min(most, 20)}
            aria-valuenow={k}
            aria-valuetext={`${k} groups of ${sizes.map((size) => count(size)).join(", ")}`}
            className="cursor-ns-resize touch-none"
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              setHeld(true);
            }}
            onPointerMove={follow}
            onPointerUp={() => setHeld(false)}
            onPointerCancel={() => setHeld(false)}
            onKeyDown={(event) => {
              const way = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key];
              if (!way) return;
              event.preventDefault();
              step(way);
            }}
          >
            <rect x={-LEFT} y={y(cut) - 9} width={W + LEFT} height={18} fill="transparent" />
            <line
              x1={0}
              x2={W}
              y1={y(cut)}
              y2={y(cut)}
              stroke="var(--color-ink)"
              strokeWidth={1.8}
              strokeDasharray="7 4"
            />
            <rect
              x={-LEFT}
              y={y(cut) - 11}
              width={LEFT - 6}
              height={22}
              rx={5}
              fill="var(--color-ink)"
            />
            <text
              x={-LEFT / 2 - 3}
              y={y(cut) + 4.5}
              fontSize={12}
              textAnchor="middle"
              style={{ fill: "var(--color-white)" }}
            >
              k = {k}
            </text>
          </g>
          {tree.names.map((name, leaf) => (
            <text
              key={leaf}
              transform={`translate(${(at.x[leaf] ?? 0) + 3} ${H + 28}) rotate(-60)`}
              fontSize={11}
              textAnchor="end"
            >
              {name.length > LONGEST ? `${name.slice(0, LONGEST - 1)}…` : name}
              <title>{name}</title>
            </text>
          ))}
          <text x={0} y={H + 54 + deep} fontSize={11} className="fill-quiet">
            Upwards: the height of a merge, how far apart the two were. Across: {unit.many}. Drag
            the cut, or use the arrow keys.
          </text>
        </g>
      </PickPicture>
      <p className="mt-1 text-12">
        <b className="font-semibold">{k} groups:</b>{" "}
        {[...sizes]
          .sort((a, b) => b - a)
          .map((size) => count(size))
          .join(", ")}{" "}
        {unit.many}
      </p>
    </div>
  );
}

/** The k whose cut lies in the longest stretch without a merge. */
function widest(tree: Body): number {
  const last = tree.heights.length - 1;
  let best = 2;
  let longest = -1;
  for (let k = 2; k <= Math.min(12, tree.sizes.length - 1); k++) {
    const gap = (tree.heights[last - k + 2] ?? 0) - (tree.heights[last - k + 1] ?? 0);
    if (gap > longest) [best, longest] = [k, gap];
  }
  return best;
}

function spanOf(tree: Body, at: Placed, node: number): [number, number] {
  const leaves = tree.sizes.length;
  const total = Math.max(
    1,
    tree.sizes.reduce((a, b) => a + b, 0),
  );
  const room = W - leaves * 2;
  const half = (leaf: number) => (2 + ((tree.sizes[leaf] ?? 0) / total) * room) / 2;
  let low = node;
  let high = node;
  while (low >= leaves) low = tree.merges[low - leaves]?.[0] ?? 0;
  while (high >= leaves) high = tree.merges[high - leaves]?.[1] ?? 0;
  return [(at.x[low] ?? 0) - half(low), (at.x[high] ?? 0) + half(high)];
}

function branches(tree: Body, at: Placed, high: number): string {
  const leaves = tree.sizes.length;
  const y = (height: number) => (8 + (1 - height / high) * H).toFixed(1);
  return tree.merges
    .map(([a = 0, b = 0], n) => {
      const top = y(at.y[leaves + n] ?? 0);
      const [xa, xb] = [(at.x[a] ?? 0).toFixed(1), (at.x[b] ?? 0).toFixed(1)];
      return `M${xa} ${y(at.y[a] ?? 0)}V${top}H${xb}V${y(at.y[b] ?? 0)}`;
    })
    .join("");
}

function Small({ tree, lit, onPick }: { tree: Body; lit: boolean; onPick: () => void }) {
  const at = useMemo(() => placed(tree, W), [tree]);
  const high = Math.max(...tree.heights, 1e-9) * 1.05;
  if (tree.refused)
    return (
      <div className="card p-2.5 text-12">
        <b className="font-semibold">{NAMES[tree.linkage]}</b>
        <p className="mt-1 text-quiet">{tree.refused}</p>
      </div>
    );
  const sizes = groupsOf(tree, at, 6).map((group) => at.sizes[group] ?? 0);
  const total = sizes.reduce((a, b) => a + b, 0);
  return (
    <button
      type="button"
      aria-pressed={lit}
      className={`card p-2.5 text-left ${lit ? "border-ink" : "hover:border-quiet"}`}
      onClick={onPick}
    >
      <b className="font-semibold">{NAMES[tree.linkage]}</b>
      <Glyph
        viewBox={`0 0 ${W} ${H + 20}`}
        className="mt-1 block w-full"
        preserveAspectRatio="none"
        height={90}
      >
        <path
          d={branches(tree, at, high)}
          fill="none"
          stroke="var(--color-quiet)"
          strokeWidth={1}
          vectorEffect="non-scaling-stroke"
        />
      </Glyph>
      <span className="text-11 text-quiet">
        in 6:{" "}
        {[...sizes]
          .sort((a, b) => b - a)
          .map((size) => small(size, total))
          .join(", ")}
      </span>
    </button>
  );
}
