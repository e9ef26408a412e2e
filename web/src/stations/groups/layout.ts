import type { Schemas } from "@/api/client";

export interface Ring {
  group: number;
  x: number;
  r: number;
}

const MOST = 21;
const LEAST = 7;

/** Radius from the share of customers: the area speaks. */
function radius(share: number): number {
  return Math.max(LEAST, MOST * Math.sqrt(share / 0.45));
}

/**
 * Where the rings of each row hang: every group below the groups its customers come from
 * (weighted by how many), rows spread so that rings do not touch. Threads then cross little.
 */
export function layout(candidates: Schemas["CandidateRow"][], width: number): Ring[][] {
  const rows: Ring[][] = [];
  candidates.forEach((row, place) => {
    const total = row.counts.reduce((a, b) => a + b, 0);
    const above = rows[place - 1];
    const threads = candidates[place - 1]?.threads ?? [];
    const wish = row.counts.map((size, group) => {
      if (!above || threads.length === 0) return group / Math.max(1, row.counts.length - 1);
      let sum = 0;
      let weight = 0;
      for (const { above: from, below: to, customers } of threads) {
        const ring = above.find((each) => each.group === from);
        if (to === group && ring) {
          sum += ring.x * customers;
          weight += customers;
        }
      }
      return weight ? sum / weight : size;
    });
    const order = row.counts
      .map((_, group) => group)
      .sort((a, b) => (wish[a] ?? 0) - (wish[b] ?? 0));
    const radii = order.map((group) => radius((row.counts[group] ?? 0) / total));
    const room = width - radii.reduce((a, r) => a + 2 * r, 0);
    const gap = Math.max(4, room / (order.length + 1));
    let x = gap;
    rows.push(
      order.map((group, index) => {
        const r = radii[index] ?? LEAST;
        const ring = { group, x: x + r, r };
        x += 2 * r + gap;
        return ring;
      }),
    );
  });
  return rows;
}
