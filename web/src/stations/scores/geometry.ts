import type { Banded, Page, Tier } from "@/stations/scores/use-scores";

/** Width and height of the field's plots, in its drawing's units. */
export const W = 490;
export const H = 260;

export interface Stretch {
  from: number;
  size: number;
}

/** The least length that a band with customers has, so that it can be seen and picked. */
const LEAST = 7;

/** Where bands lie along an axis when each is as long as it has customers. */
export function stretches(sizes: number[], length: number): Stretch[] {
  const total = Math.max(
    1,
    sizes.reduce((a, b) => a + b, 0),
  );
  const small = sizes.filter((size) => size > 0 && (size / total) * length < LEAST).length;
  const rest = length - small * LEAST;
  const large = sizes.filter((size) => (size / total) * length >= LEAST).reduce((a, b) => a + b, 0);
  let from = 0;
  return sizes.map((customers) => {
    const own = (customers / total) * length;
    const size =
      customers === 0 ? 0 : own < LEAST ? LEAST : (customers / Math.max(1, large)) * rest;
    const stretch = { from, size };
    from += size;
    return stretch;
  });
}

export interface Box {
  /** Bands across and upwards, both ends included, from 1. */
  across: [number, number];
  up: [number, number];
}

export interface Answer {
  customers: number;
  money: number;
}

/** Customers and money of a block of plots: sums of what the page tells of each plot. */
export function inBox(page: Page, box: Box): Answer {
  const out = { customers: 0, money: 0 };
  if (!page.field) return out;
  for (let r = box.up[0] - 1; r < box.up[1]; r++)
    for (let c = box.across[0] - 1; c < box.across[1]; c++) {
      out.customers += page.field.customers[r]?.[c] ?? 0;
      out.money += page.field.money[r]?.[c] ?? 0;
    }
  return out;
}

/** Whether tiers can be counted again from the plots: no measure stands outside of them. */
export function countable(page: Page): boolean {
  return page.measures.length <= (page.third ? 3 : page.across === page.up ? 1 : 2);
}

/** Customers and money of each tier if its ranges were these; the first that holds a plot. */
export function answers(page: Page, tiers: Pick<Tier, "ranges">[]): Answer[] {
  const names = page.measures.map((measure) => measure.name);
  const [x, y, z] = [page.across, page.up, page.third].map((name) => names.indexOf(name));
  const out = tiers.map(() => ({ customers: 0, money: 0 }));
  const fields = page.third ? page.fields : page.field ? [page.field] : [];
  const inside = (range: number[] | undefined, band: number) =>
    !range || (band >= (range[0] ?? 1) && band <= (range[1] ?? 10));
  for (const field of fields)
    field.customers.forEach((line, r) =>
      line.forEach((customers, c) => {
        const place = tiers.findIndex(
          ({ ranges }) =>
            inside(ranges[x ?? 0], c + 1) &&
            inside(ranges[y ?? 0], r + 1) &&
            (field.third === 0 || inside(ranges[z ?? 0], field.third)),
        );
        const answer = out[place];
        if (!answer) return;
        answer.customers += customers;
        answer.money += field.money[r]?.[c] ?? 0;
      }),
    );
  return out;
}

/** The bands' sizes of a measure. */
export function sizesOf(measure: Banded): number[] {
  return measure.bands.map((band) => band.customers);
}

/** The band whose stretch holds a place along the axis. */
export function bandAt(along: Stretch[], place: number): number {
  const found = along.findIndex((each) => each.size > 0 && place < each.from + each.size);
  if (found >= 0) return found + 1;
  return along.length;
}

/** A number between 0 and 1 that is the same for the same three numbers each time. */
export function chance(a: number, b: number, salt: number): number {
  let h = Math.imul(a + 1, 2654435761) ^ Math.imul(b + 7, 2246822519) ^ Math.imul(salt, 3266489917);
  h = Math.imul(h ^ (h >>> 15), 2246822519);
  h ^= h >>> 13;
  return ((h >>> 0) % 10007) / 10007;
}
