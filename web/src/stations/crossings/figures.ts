import type { Schemas } from "@/api/client";
import type { Unit } from "@/stations/crossings/picked";

type Step = Schemas["StepTable"];
export type Against = Schemas["Against"];

/** How a crossing stands to what chance alone would move; *untold*: chance has no figure there. */
export type Verdict = Against["verdict"] | "untold";

/** What a cell shows: customers (less border moves where they are hidden, put back at home) or money. */
export function cellOf(
  step: Step,
  unit: Unit,
  hidden: boolean,
  origin: number,
  target: number,
): number {
  const at = (table: number[][]) => table[origin]?.[target] ?? 0;
  if (unit === "change") return at(step.money_after) - at(step.money_before);
  if (unit === "spend") return at(step.money_before);
  const value = at(step.customers);
  if (!hidden) return value;
  const row = step.border[origin] ?? [];
  if (origin === target) return value + row.reduce((a, b) => a + b, 0);
  return value - (row[target] ?? 0);
}

export function rowOf(step: Step, unit: Unit, hidden: boolean, origin: number): number[] {
  return step.customers.map((_, target) => cellOf(step, unit, hidden, origin, target));
}

/** What chance alone would have moved from state to state; null where it has no figure. */
export function chanceOf(step: Step, origin: number, target: number): Against | null {
  return step.chance.moves[origin]?.[target] ?? null;
}

/** Of those who crossed, the ones of whom chance can be told. */
export function seenOf(step: Step, origin: number, target: number): number {
  return step.chance.seen[origin]?.[target] ?? 0;
}

export function verdictOf(step: Step, origin: number, target: number): Verdict {
  const chance = chanceOf(step, origin, target);
  if (!chance || origin === target) return "untold";
  return chance.verdict;
}

/** How many more crossed than chance would move: at least so many are no chance. */
export function beyond(step: Step, origin: number, target: number): number {
  const chance = chanceOf(step, origin, target);
  if (!chance || verdictOf(step, origin, target) !== "more") return 0;
  return seenOf(step, origin, target) - chance.mean;
}

/** The part of a ribbon that chance alone moves: all of it where no more crossed. */
export function stripedShare(step: Step, origin: number, target: number): number {
  const verdict = verdictOf(step, origin, target);
  if (verdict === "untold") return 0;
  const crossed = step.customers[origin]?.[target] ?? 0;
  if (verdict !== "more" || crossed === 0) return 1;
  return 1 - beyond(step, origin, target) / crossed;
}

/** The crossing that lies farthest beyond chance; else the one that most took. */
export function mostBeyond(step: Step, segments: number): { origin: number; target: number } {
  let best = { origin: 0, target: Math.min(1, segments - 1) };
  let most = -1;
  for (let origin = 0; origin < segments; origin++) {
    step.customers[origin]?.forEach((customers, target) => {
      if (target === origin) return;
      const extra = beyond(step, origin, target);
      // A move beyond chance goes before any that is not, however many took it.
      const weight = extra > 0 ? 1e9 + extra : customers;
      if (weight > most) [most, best] = [weight, { origin, target }];
    });
  }
  return best;
}

/** "38 to 67": whole customers, as far as the middle 95 in 100 of draws reach. */
export function rangeWords(chance: Schemas["Between"]): string {
  const low = Math.max(0, Math.floor(chance.low));
  const high = Math.ceil(chance.high);
  return low === high
    ? low.toLocaleString("en-GB")
    : `${low.toLocaleString("en-GB")} to ${high.toLocaleString("en-GB")}`;
}
