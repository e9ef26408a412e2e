import { useState } from "react";
import type { FocusEvent, KeyboardEvent } from "react";

/** Which way an arrow moves a handle: right and up are more. */
const WAYS: Record<string, [number, number]> = {
  ArrowRight: [1, 0],
  ArrowLeft: [-1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

interface Handle {
  /** Which of the picture's handles. */
  id: string;
  label: string;
  /** Where it stands, in words. */
  words: string;
  /** An arrow was pressed: how far to the right and how far up. */
  onMove: (right: number, up: number) => void;
  /** Home (-1) or End (1) was pressed. */
  onEnd?: (way: -1 | 1) => void;
  /** It was let go. */
  onLand?: () => void;
}

/**
 * Handles of a `PickPicture`: marks that can be moved. Arrows lead to them as to any mark; Enter
 * takes hold of one, and from then on arrows move it, until Enter or Escape lets it go.
 */
export function useHandles() {
  const [held, setHeld] = useState<string | null>(null);
  const handle = ({ id, label, words, onMove, onEnd, onLand }: Handle) => {
    const holds = held === id;
    const release = () => {
      setHeld(null);
      onLand?.();
    };
    return {
      role: "slider",
      tabIndex: -1,
      "data-reached": "",
      "data-held": holds ? "" : undefined,
      "aria-label": label,
      "aria-valuetext": holds ? `${words}; arrows move it` : `${words}; Enter takes hold of it`,
      onKeyDown: (event: KeyboardEvent) => {
        if (event.key === "Enter" || event.key === " ") {
          event.preventDefault();
          if (holds) release();
          else setHeld(id);
          return;
        }
        if (!holds) return;
        const way = WAYS[event.key];
        if (event.key === "Escape") release();
        else if (way) onMove(...way);
        else if (event.key === "Home" || event.key === "End")
          onEnd?.(event.key === "Home" ? -1 : 1);
        else return;
        event.preventDefault();
        event.stopPropagation();
      },
      onBlur: (event: FocusEvent) => {
        // Drawn anew it may lose the focus for a moment without being left.
        if (holds && event.relatedTarget !== event.currentTarget) release();
      },
    };
  };
  return { handle, held };
}
