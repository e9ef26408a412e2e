import { useLayoutEffect, useState } from "react";

/**
 * The width that an element has, in pixels, `usual` until it stands. It is to have `min-w-0`: a
 * picture as wide as the page was would else keep it from narrowing with the page.
 */
export function useWidth<Element extends HTMLElement>(usual: number) {
  const [width, setWidth] = useState(usual);
  const [element, hold] = useState<Element | null>(null);
  useLayoutEffect(() => {
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => {
      if (entry) setWidth(Math.floor(entry.contentRect.width));
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [element]);
  return [hold, width] as const;
}
