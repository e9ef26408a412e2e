/** Where the bars of a tree stand: leaves below each other, questions between what they lead to. */

interface Linked {
  id: number;
  parent: number | null;
}

export interface Place {
  x: number;
  y: number;
  /** Width of the bar. */
  width: number;
  depth: number;
}

export interface Layout {
  places: Map<number, Place>;
  height: number;
}

/** Bars of a deeper tree are narrower, so that there is room for what leads to them. */
const BARS = { shallow: { widest: 132, narrower: 14 }, deep: { widest: 92, narrower: 5 } };
/** Height of a leaf: its bar, the words above it and room. */
const LEAF = 62;
const TOP = 34;

/**
 * `beside`: width kept free at the right, for what is said of the leaves.
 */
export function layoutOf(nodes: readonly Linked[], width: number, beside: number): Layout {
  const below = new Map<number | null, Linked[]>();
  for (const node of nodes) below.set(node.parent, [...(below.get(node.parent) ?? []), node]);
  const depths = new Map<number, number>();
  for (const node of nodes)
    depths.set(node.id, node.parent === null ? 0 : (depths.get(node.parent) ?? 0) + 1);
  const deepest = Math.max(1, ...depths.values());
  const { widest, narrower } = deepest > 3 ? BARS.deep : BARS.shallow;
  const last = widest - narrower * deepest;
  const step = (width - beside - last) / deepest;
  const places = new Map<number, Place>();
  let leaves = 0;
  const stand = (node: Linked): number => {
    const depth = depths.get(node.id) ?? 0;
    const under = (below.get(node.id) ?? []).map(stand);
    const y =
      under.length > 0
        ? under.reduce((sum, each) => sum + each, 0) / under.length
        : TOP + LEAF * leaves++;
    places.set(node.id, { x: depth * step, y, width: widest - narrower * depth, depth });
    return y;
  };
  (below.get(null) ?? []).forEach(stand);
  return { places, height: TOP + LEAF * (leaves - 1) + 40 };
}

/** A curve from the end of one bar to the beginning of another. */
export function curve(x0: number, y0: number, x1: number, y1: number): string {
  const middle = (x0 + x1) / 2;
  return `M${x0} ${y0}C${middle} ${y0} ${middle} ${y1} ${x1} ${y1}`;
}

/** Words cut to so many letters. */
export function cut(words: string, most: number): string {
  return words.length > most ? `${words.slice(0, most - 1)}…` : words;
}
