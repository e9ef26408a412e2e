import { useState } from "react";

import type { Schemas } from "@/api/client";
import { valueAt } from "@/charts/axis";

type Axis = Schemas["AxisBody"];
/** Left, low, right, high in shares of the whole axes. */
export type Part = [left: number, low: number, right: number, high: number];

const WHOLE: Part = [0, 0, 1, 1];
const LEAST = 0.02;

/** A part of two axes that is looked at: nearer, farther, and moved along. */
export function useZoom(x: Axis | undefined, y: Axis | undefined) {
  const [part, setPart] = useState<Part>(WHOLE);
  const [left, low, right, high] = part;
  const set = ([a, b, c, d]: Part) => {
    const [wide, tall] = [Math.min(1, c - a), Math.min(1, d - b)];
    const from = Math.min(1 - wide, Math.max(0, a));
    const foot = Math.min(1 - tall, Math.max(0, b));
    setPart([from, foot, from + wide, foot + tall]);
  };
  return {
    part,
    zoomed: right - left < 1 || high - low < 1,
    x: cut(x, left, right),
    y: cut(y, low, high),
    /** Nearer (under 1) or farther, about a place in shares of what is shown. */
    by: (factor: number, [px, py]: [number, number] = [0.5, 0.5]) => {
      const wide = Math.min(1, Math.max(LEAST, (right - left) * factor));
      const tall = Math.min(1, Math.max(LEAST, (high - low) * factor));
      const [cx, cy] = [left + px * (right - left), low + py * (high - low)];
      set([cx - px * wide, cy - py * tall, cx + (1 - px) * wide, cy + (1 - py) * tall]);
    },
    /** Along, in shares of what is shown. */
    move: (dx: number, dy: number) => {
      const [sx, sy] = [dx * (right - left), dy * (high - low)];
      set([left + sx, low + sy, right + sx, high + sy]);
    },
    reset: () => setPart(WHOLE),
  };
}

export type Zoom = ReturnType<typeof useZoom>;

function cut(axis: Axis | undefined, from: number, to: number): Axis | undefined {
  if (!axis || (from === 0 && to === 1)) return axis;
  return { ...axis, low: valueAt(from, axis), high: valueAt(to, axis) };
}
