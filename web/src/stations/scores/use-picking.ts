import { useState } from "react";

import { withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import type { Box } from "@/stations/scores/geometry";
import type { Banded, Page } from "@/stations/scores/use-scores";

/** Picking plots: one, a whole band, or a box drawn over several. */
export function usePicking(page: Page, across: Banded | undefined, up: Banded | undefined) {
  const lens = useLens();
  const [from, setFrom] = useState<[number, number] | null>(null);
  const [to, setTo] = useState<[number, number]>([1, 1]);
  const box: Box | null = from && {
    across: [Math.min(from[0], to[0]), Math.max(from[0], to[0])],
    up: [Math.min(from[1], to[1]), Math.max(from[1], to[1])],
  };
  const values = ([a, b]: [number, number]) =>
    Array.from({ length: b - a + 1 }, (_, n) => String(a + n));
  const take = (taken: Box) => {
    if (page.of || !across || !up) return;
    const whole = (range: [number, number], measure: Banded) =>
      range[0] === 1 && range[1] === measure.bands.length;
    let clauses = lens.clauses;
    for (const [measure, range] of [
      [across, taken.across],
      [up, taken.up],
    ] as const) {
      const field = `band:${measure.name}`;
      clauses = whole(range, measure)
        ? clauses.filter((clause) => clause.field !== field)
        : withValues(clauses, field, values(range));
      if (across === up) break;
    }
    lens.set(clauses);
  };
  return {
    box,
    begin: (plot: [number, number]) => {
      setFrom(plot);
      setTo(plot);
    },
    go: (plot: [number, number]) => {
      if (from && (plot[0] !== to[0] || plot[1] !== to[1])) setTo(plot);
    },
    end: (add: boolean) => {
      if (box && add && across && up) {
        lens.pick(`band:${across.name}`, { value: String(box.across[0]) }, true);
      } else if (box) take(box);
      setFrom(null);
    },
    leave: () => setFrom(null),
    pick: (c: number, r: number, add: boolean) => {
      if (add && across) lens.pick(`band:${across.name}`, { value: String(c) }, true);
      else take({ across: [c, c], up: [r, r] });
    },
    line: (axis: "across" | "up", band: number) => {
      const measure = axis === "across" ? across : up;
      if (measure && !page.of) lens.pick(`band:${measure.name}`, { value: String(band) }, false);
    },
  };
}
