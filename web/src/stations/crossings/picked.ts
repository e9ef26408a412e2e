import type { Schemas } from "@/api/client";
import { mostBeyond } from "@/stations/crossings/figures";

export const UNITS = [
  ["customers", "Customers"],
  ["spend", "Spend"],
  ["change", "Change"],
] as const;
export type Unit = (typeof UNITS)[number][0];

export interface PickedCrossing {
  step: number;
  origin: number;
  target: number;
}

/** What was picked, as far as it is there; before that the crossing farthest beyond chance. */
export function pickedOf(
  page: Schemas["CrossingsPage"] | undefined,
  chosen: PickedCrossing | null,
  steps: number,
): PickedCrossing {
  const step = Math.min(chosen?.step ?? steps - 1, Math.max(0, steps - 1));
  const table = page?.steps[step];
  const states = page?.states.length ?? 0;
  if (chosen && chosen.origin < states && chosen.target < states) return { ...chosen, step };
  return {
    step: Math.max(0, step),
    ...(table ? mostBeyond(table, states - 3) : { origin: 0, target: 1 }),
  };
}
