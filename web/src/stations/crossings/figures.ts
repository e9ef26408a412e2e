import type { Schemas } from "@/api/client";
import type { Unit } from "@/stations/crossings";

type Step = Schemas["StepTable"];

/** What a cell shows: customers (less border moves where they are hidden, put back at home) or money. */
export function cellOf(
  step: Step,
  unit: Unit,
  hidden: boolean,
  origin: number,
  target: number,
): number {
  const value = step[unit][origin]?.[target] ?? 0;
  if (!hidden || unit !== "customers") return value;
  const row = step.border[origin] ?? [];
  if (origin === target) return value + row.reduce((a, b) => a + b, 0);
  return value - (row[target] ?? 0);
}

export function rowOf(step: Step, unit: Unit, hidden: boolean, origin: number): number[] {
  return step.customers.map((_, target) => cellOf(step, unit, hidden, origin, target));
}
