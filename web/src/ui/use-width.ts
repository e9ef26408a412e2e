import { useEffect, useRef, useState } from "react";

/** The width of an element as it is drawn, in pixels; `usual` until it stands. */
export function useWidth<Element extends HTMLElement>(usual: number) {
  const ref = useRef<Element>(null);
  const [width, setWidth] = useState(usual);
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      if (entry) setWidth(Math.round(entry.contentRect.width));
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [ref, width] as const;
}
