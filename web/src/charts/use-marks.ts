import { useEffect, useRef, type FocusEvent, type KeyboardEvent } from "react";

import { neighbour } from "@/charts/neighbour";

/**
 * Keys for the marks (`pickable`) within an element: one stop for Tab, arrows lead from mark to
 * mark as they lie, Home and End to the first and the last.
 */
export function useMarks<Frame extends Element>() {
  const ref = useRef<Frame>(null);
  useEffect(() => {
    const marks = marksOf(ref.current);
    if (marks.some((mark) => mark.getAttribute("tabindex") === "0")) return;
    const pressed = marks.find((mark) => mark.getAttribute("aria-pressed") === "true");
    (pressed ?? marks[0])?.setAttribute("tabindex", "0");
  });
  return {
    ref,
    "data-marks": "",
    onFocus: (event: FocusEvent<Frame>) => {
      const marks = marksOf(ref.current);
      const here = placeIn(marks, event);
      if (here < 0) return;
      marks.forEach((mark, place) => mark.setAttribute("tabindex", place === here ? "0" : "-1"));
    },
    onKeyDown: (event: KeyboardEvent<Frame>) => {
      if (event.defaultPrevented) return;
      const marks = marksOf(ref.current);
      const from = placeIn(marks, event);
      if (from < 0) return;
      const boxes = marks.map((mark) => mark.getBoundingClientRect());
      const next = marks[neighbour(boxes, from, event.key)];
      if (!next) return;
      event.preventDefault();
      next.focus();
    },
  };
}

/** The marks of a frame, without those of a frame within it. */
function marksOf(frame: Element | null): (HTMLElement | SVGElement)[] {
  const all = frame?.querySelectorAll<HTMLElement | SVGElement>("[data-reached]") ?? [];
  return [...all].filter((mark) => mark.parentElement?.closest("[data-marks]") === frame);
}

function placeIn(marks: Element[], event: { target: unknown }): number {
  return marks.findIndex((mark) => mark === event.target);
}
