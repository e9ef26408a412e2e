import { useEffect } from "react";
import type { RefObject } from "react";
import { NavigationType, useLocation, useNavigationType } from "react-router";

/** How far boxes stood scrolled, by box and step of the browser's history. */
const places = new Map<string, number>();
const AGAIN_AFTER = 50;
const GIVE_UP_AFTER = 4_000;

/** What scrolls a box: itself, or on small screens the page. */
function scrollerOf(box: HTMLElement): Element {
  const own = getComputedStyle(box).overflowY !== "visible";
  return own ? box : (document.scrollingElement ?? box);
}

/** Scroll there as soon as what is to stand there has come; whoever scrolls meanwhile is left alone. */
function scrollOnce(scroller: Element, wanted: number): () => void {
  const began = Date.now();
  const attempt = () => {
    scroller.scrollTop = wanted;
    if (Math.abs(scroller.scrollTop - wanted) < 2 || Date.now() - began > GIVE_UP_AFTER) end();
  };
  const timer = window.setInterval(attempt, AGAIN_AFTER);
  const own = ["wheel", "pointerdown", "keydown"] as const;
  const end = () => {
    window.clearInterval(timer);
    for (const kind of own) window.removeEventListener(kind, end);
  };
  for (const kind of own) window.addEventListener(kind, end, { passive: true });
  attempt();
  return end;
}

/** A box comes back to where it stood when Back or Forward leads to it; another page begins at its top. */
export function useKeptScroll(box: RefObject<HTMLElement | null>, name: string) {
  const { key, pathname } = useLocation();
  const back = useNavigationType() === NavigationType.Pop;
  const place = `${name} ${key}`;
  useEffect(() => {
    if (box.current && !back) scrollerOf(box.current).scrollTop = 0;
    // eslint-disable-next-line react-hooks/exhaustive-deps -- a step within the page stays where it is
  }, [pathname]);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const wanted = back ? places.get(place) : undefined;
    const end = wanted ? scrollOnce(scrollerOf(element), wanted) : undefined;
    const keep = () => places.set(place, scrollerOf(element).scrollTop);
    if (!wanted) keep();
    document.addEventListener("scroll", keep, { capture: true, passive: true });
    return () => {
      end?.();
      document.removeEventListener("scroll", keep, { capture: true });
    };
  }, [box, place, back]);
}
