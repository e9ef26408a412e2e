import { useState } from "react";
import type { KeyboardEvent, PointerEvent } from "react";

import { placeIn } from "@/charts/use-lasso";
import type { Place } from "@/charts/use-lasso";

/** Points of a plot that can be pointed at. */
export interface Points {
  many: number;
  /** Where a point stands, in shares from the upper left corner; null: not on the picture. */
  at: (n: number) => Place | null;
  /** Open what a point stands for. */
  onOpen: (n: number) => void;
}

/** As near as this, in pixels, a point is pointed at. */
const NEAR = 9;
const STEP = 0.05;
const WAYS: Record<string, Place> = {
  ArrowRight: [1, 0],
  ArrowLeft: [-1, 0],
  ArrowDown: [0, 1],
  ArrowUp: [0, -1],
};

interface Boxed {
  /** Corners of a box that keys draw. */
  from: Place;
  to: Place;
}

interface Props {
  points: Points | undefined;
  onBox: (box: [number, number, number, number]) => void;
  /** Keys for what is not said here; true where one did something. */
  onOther?: (key: string) => boolean;
}

/**
 * Points reached by pointer and keys: arrows go to the nearest that way, Enter opens it; Shift and
 * arrows draw a box from it, which Enter takes.
 */
export function usePoints({ points, onBox, onOther }: Props) {
  const [told, setTold] = useState<number | null>(null);
  const [box, setBox] = useState<Boxed | null>(null);
  const here = told === null ? null : (points?.at(told) ?? null);
  const nearest = ([x, y]: Place, scale: Place): number | null => {
    let [best, least] = [-1, Infinity];
    for (let n = 0; n < (points?.many ?? 0); n++) {
      const at = points?.at(n);
      if (!at) continue;
      const far = Math.hypot((at[0] - x) * scale[0], (at[1] - y) * scale[1]);
      if (far < least) [best, least] = [n, far];
    }
    return least < NEAR || scale[0] === 1 ? best : null;
  };
  const ahead = (way: Place): number | null => {
    if (!points || !here) return nearest([0.5, 0.5], [1, 1]);
    let [best, least] = [told ?? -1, Infinity];
    for (let n = 0; n < points.many; n++) {
      const at = n === told ? null : points.at(n);
      if (!at) continue;
      const [dx, dy] = [at[0] - here[0], at[1] - here[1]];
      const forth = dx * way[0] + dy * way[1];
      const aside = Math.abs(dx * way[1]) + Math.abs(dy * way[0]);
      if (forth > 1e-4 && forth + 3 * aside < least) [best, least] = [n, forth + 3 * aside];
    }
    return best < 0 ? null : best;
  };
  return {
    told,
    here,
    box,
    handlers: {
      onPointerMove: (event: PointerEvent) => {
        if (!points) return;
        if (event.buttons) {
          setTold(null);
          return;
        }
        const { width, height } = event.currentTarget.getBoundingClientRect();
        setTold(nearest(placeIn(event), [width, height]));
      },
      onPointerLeave: () => setTold(null),
      onBlur: () => {
        setTold(null);
        setBox(null);
      },
      onKeyDown: (event: KeyboardEvent) => {
        const way = WAYS[event.key];
        const { key } = event;
        if (way && event.shiftKey) {
          const from = box?.from ?? here ?? [0.5, 0.5];
          const to = box?.to ?? from;
          const next = (v: number) => Math.min(1, Math.max(0, v));
          setBox({ from, to: [next(to[0] + STEP * way[0]), next(to[1] + STEP * way[1])] });
        } else if (way) setTold(ahead(way));
        else if (key === "Escape" && (box || told !== null)) {
          setBox(null);
          setTold(null);
        } else if (key === "Enter" && box) {
          const [[x0, y0], [x1, y1]] = [box.from, box.to];
          if (x0 !== x1 && y0 !== y1)
            onBox([Math.min(x0, x1), Math.min(y0, y1), Math.max(x0, x1), Math.max(y0, y1)]);
          setBox(null);
        } else if (key === "Enter" && told !== null) points?.onOpen(told);
        else if (!onOther?.(key)) return;
        event.preventDefault();
        event.stopPropagation();
      },
    },
  };
}
