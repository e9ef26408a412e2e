import { useState } from "react";

import { joined, valueClause, withValues } from "@/lens/clauses";
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
  const take = (taken: Box, add: boolean) => {
    if (page.of || !across || !up) return;
    const whole = (range: [number, number], measure: Banded) =>
      range[0] === 1 && range[1] === measure.bands.length;
    lens.set((now) => {
      let clauses = now;
      for (const [measure, range] of [
        [across, taken.across],
        [up, taken.up],
      ] as const) {
        const field = `band:${measure.name}`;
        clauses = whole(range, measure)
          ? clauses.filter((clause) => clause.field !== field)
          : add
            ? joined(clauses, [valueClause(field, ...values(range))])
            : withValues(clauses, field, values(range));
        if (across === up) break;
      }
      return clauses;
    });
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
      if (box) take(box, add);
      setFrom(null);
    },
    leave: () => setFrom(null),
    pick: (c: number, r: number, add: boolean) => {
      take({ across: [c, c], up: [r, r] }, add);
    },
    line: (axis: "across" | "up", band: number, more: boolean) => {
      const measure = axis === "across" ? across : up;
      if (measure && !page.of) lens.pick(`band:${measure.name}`, { value: String(band) }, more);
    },
  };
}
