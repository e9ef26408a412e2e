import type { KeyboardEvent } from "react";

interface Pickable {
  /** What is picked, in words; a mark with a title of its own needs none. */
  label?: string;
  pressed?: boolean;
  /** Picked; ``more``: with Shift, beside what is picked already. */
  onPick: (more: boolean) => void;
  /** Pointed at or reached by keys, and left again. */
  onTry?: (resting: boolean) => void;
  /** Whether keys reach it; what another mark offers too may be left out. */
  reached?: boolean;
}

/**
 * What makes a mark of a `Picture` a button: Enter and Space pick it as a click does, Shift adds,
 * and keys and pointer try it alike. Arrows move from mark to mark; see `Picture`.
 */
export function pickable({ label, pressed, onPick, onTry, reached = true }: Pickable) {
  return {
    role: "button",
    tabIndex: -1,
    "data-reached": reached ? "" : undefined,
    "aria-label": label,
    "aria-pressed": pressed,
    className: "cursor-pointer",
    onClick: (event: { shiftKey: boolean }) => onPick(event.shiftKey),
    onKeyDown: (event: KeyboardEvent) => {
      if (event.key !== "Enter" && event.key !== " ") return;
      event.preventDefault();
      onPick(event.shiftKey);
    },
    onPointerEnter: () => onTry?.(true),
    onPointerLeave: () => onTry?.(false),
    onFocus: () => onTry?.(true),
    onBlur: () => onTry?.(false),
  };
}
