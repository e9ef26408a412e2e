import { useRef, useState } from "react";
import type { PointerEvent } from "react";

/** Places in shares of an element, from its upper left corner. */
export type Place = [x: number, y: number];

const APART = 0.008;
/** A line of more corners is thinned out. */
const MOST = 60;

/** Where a pointer is, in shares of the element that listens. */
export function placeIn(event: PointerEvent): Place {
  const area = event.currentTarget.getBoundingClientRect();
  return [(event.clientX - area.left) / area.width, (event.clientY - area.top) / area.height];
}

/** A line drawn round something with the pointer; `onLine` hears of it when it is let go. */
export function useLasso(onLine: (corners: Place[]) => void) {
  const [line, setLine] = useState<Place[]>([]);
  const held = useRef(false);
  const stop = () => {
    held.current = false;
    setLine([]);
  };
  return {
    line,
    handlers: {
      onPointerDown: (event: PointerEvent) => {
        held.current = true;
        event.currentTarget.setPointerCapture(event.pointerId);
        setLine([placeIn(event)]);
      },
      onPointerMove: (event: PointerEvent) => {
        if (!held.current) return;
        const next = placeIn(event);
        setLine((old) => {
          const last = old.at(-1);
          const near = last && Math.hypot(last[0] - next[0], last[1] - next[1]) < APART;
          return near ? old : [...old, next];
        });
      },
      onPointerUp: () => {
        const step = Math.ceil(line.length / MOST);
        const corners = line.filter((_, n) => n % step === 0);
        if (corners.length >= 3) onLine(corners);
        stop();
      },
      onPointerCancel: stop,
    },
  };
}
