import type { Schemas } from "@/api/client";
import { count, percent } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { alike } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { columnHue, ColumnShape } from "@/marks/column-mark";
import { curve, cut, layoutOf } from "@/stations/portraits/rules/layout";
import type { Place } from "@/stations/portraits/rules/layout";
import { unit } from "@/study/unit";

type Page = Schemas["RulesPage"];
type Node = Schemas["RuleNode"];

const WIDTH = 740;
/** Room for what is said of a leaf. */
const BESIDE = 104;
const BAR = 16;
const MOST_LETTERS = 22;

/** The tree from left to right: a bar of segments at every question and every leaf. */
export function RuleTree({ page }: { page: Page }) {
  const lens = useLens();
  const { places, height } = layoutOf(page.nodes, WIDTH, BESIDE);
  return (
    <PickPicture
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="mt-2 w-full"
      label="Questions that tell the segments apart, from left to right"
    >
      {page.nodes.map((node) => {
        const place = places.get(node.id);
        const parent = node.parent === null ? undefined : places.get(node.parent);
        if (!place || !parent) return null;
        return <Branch key={node.id} node={node} place={place} parent={parent} />;
      })}
      {page.nodes.map((node) => {
        const place = places.get(node.id);
        if (!place) return null;
        const there = alike(lens.clauses, node.clauses);
        return (
          <Bar
            key={node.id}
            page={page}
            node={node}
            place={place}
            there={there}
            onPick={(more) => lens.take(there ? [] : node.clauses, more && !there)}
          />
        );
      })}
    </PickPicture>
  );
}

function Branch({ node, place, parent }: { node: Node; place: Place; parent: Place }) {
  const up = place.y < parent.y;
  return (
    <g>
      <path
        d={curve(parent.x + parent.width, parent.y, place.x - 4, place.y)}
        fill="none"
        stroke="var(--color-quiet)"
        strokeWidth={1}
        opacity={0.7}
      />
      <text
        x={place.x - 8}
        y={up ? place.y - 8 : place.y + 17}
        fontSize={11}
        textAnchor="end"
        style={{ fill: "var(--color-quiet)" }}
      >
        <title>{node.answer}</title>
        {cut(node.answer, MOST_LETTERS)}
      </text>
    </g>
  );
}

interface BarProps {
  page: Page;
  node: Node;
  place: Place;
  there: boolean;
  onPick: (more: boolean) => void;
}

function Bar({ page, node, place, there, onPick }: BarProps) {
  const whole = node.counts.reduce((sum, each) => sum + each, 0);
  const told = page.columns.find((segment) => segment.number === node.told);
  const share = told ? percent(node.counts[told.number - 1] ?? 0, whole, 0) : "";
  const top = place.y - BAR / 2;
  const ends = node.counts.map((_, at) =>
    node.counts.slice(0, at + 1).reduce((sum, each) => sum + each, 0),
  );
  return (
    <g {...pickable({ label: words(page, node, whole), pressed: there, onPick })}>
      <text x={place.x} y={top - 5} fontSize={11} style={{ fill: "var(--color-quiet)" }}>
        {count(whole)}
        {node.parent === null ? " customers" : ""}
      </text>
      {page.columns.map((segment, at) => {
        const from = ((ends[at - 1] ?? 0) / whole) * place.width;
        const to = ((ends[at] ?? 0) / whole) * place.width;
        return (
          <rect
            key={segment.number}
            x={place.x + from}
            y={top}
            width={Math.max(0, to - from)}
            height={BAR}
            fill={columnHue(segment)}
          />
        );
      })}
      <rect
        x={place.x - 2}
        y={top - 2}
        width={place.width + 4}
        height={BAR + 4}
        rx={3}
        fill="transparent"
        stroke={there ? "var(--color-teal)" : "none"}
        strokeWidth={2}
      />
      {told ? (
        <>
          <ColumnShape head={told} x={place.x + place.width + 16} y={place.y} size={14} />
          <text x={place.x + place.width + 28} y={place.y + 4} fontSize={12}>
            {share}
          </text>
        </>
      ) : (
        <text x={place.x} y={top + BAR + 15} fontSize={12} fontWeight={600}>
          {cut(node.asks, MOST_LETTERS)}
        </text>
      )}
    </g>
  );
}

function words(page: Page, node: Node, whole: number): string {
  const parts = page.columns
    .map((segment, at) => [segment.name, node.counts[at] ?? 0] as const)
    .filter(([, n]) => n > 0)
    .sort((a, b) => b[1] - a[1])
    .slice(0, 3)
    .map(([name, n]) => `${name} ${percent(n, whole, 0)}`);
  const way = node.answer ? `${node.answer}: ` : "";
  const next = node.asks ? ` Asked next: ${node.asks}.` : "";
  return `${way}${count(whole)} ${unit.many}, ${parts.join(", ")}.${next}`;
}
