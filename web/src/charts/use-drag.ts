import { useRef } from "react";
import type { PointerEvent } from "react";

/** Dragging over an element; `onDrag` hears how far, in pixels, since it last heard. */
export function useDrag(onDrag: (dx: number, dy: number, area: DOMRect) => void) {
  const held = useRef<[number, number] | null>(null);
  const stop = () => {
    held.current = null;
  };
  return {
    onPointerDown: (event: PointerEvent) => {
      held.current = [event.clientX, event.clientY];
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: PointerEvent) => {
      if (!held.current) return;
      const [x, y] = held.current;
      held.current = [event.clientX, event.clientY];
      onDrag(event.clientX - x, event.clientY - y, event.currentTarget.getBoundingClientRect());
    },
    onPointerUp: stop,
    onPointerCancel: stop,
  };
}
