import { useRef, useState } from "react";
import type { PointerEvent } from "react";

/** Left, top, right, bottom in shares of an element, from its upper left corner. */
export type Box = [left: number, top: number, right: number, bottom: number];

/** A box with less of the element than this was a click. */
const LEAST = 0.01;

/** A box drawn over an element with the pointer; `onBox` hears of it when it is let go. */
export function useBox(onBox: (box: Box) => void) {
  const [box, setBox] = useState<Box | null>(null);
  const from = useRef<[number, number] | null>(null);
  const at = (event: PointerEvent): [number, number] => {
    const area = event.currentTarget.getBoundingClientRect();
    const clamp = (v: number) => Math.min(1, Math.max(0, v));
    return [
      clamp((event.clientX - area.left) / area.width),
      clamp((event.clientY - area.top) / area.height),
    ];
  };
  return {
    box,
    handlers: {
      onPointerDown: (event: PointerEvent) => {
        from.current = at(event);
        event.currentTarget.setPointerCapture(event.pointerId);
      },
      onPointerMove: (event: PointerEvent) => {
        if (!from.current) return;
        const [x0, y0] = from.current;
        const [x1, y1] = at(event);
        setBox([Math.min(x0, x1), Math.min(y0, y1), Math.max(x0, x1), Math.max(y0, y1)]);
      },
      onPointerUp: () => {
        from.current = null;
        if (box && box[2] - box[0] > LEAST && box[3] - box[1] > LEAST) onBox(box);
        setBox(null);
      },
      onPointerCancel: () => {
        from.current = null;
        setBox(null);
      },
    },
  };
}
