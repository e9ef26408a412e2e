import { dayOfNumber, month } from "@/charts/format";

export type Step = "month" | "week" | "day";

/** Which lines are looked at: days from `first` to `last` (both included), and a rule. */
export interface PickedLines {
  first: number | null;
  last: number | null;
  rule: string;
  /** What the days are called. */
  when: string;
  /** A column of words and the number of one of them; empty for any. */
  by: string;
  number: number;
}

export const ALL_LINES: PickedLines = {
  first: null,
  last: null,
  rule: "",
  when: "",
  by: "",
  number: 0,
};

/** Months since January 1970 of a day since then. */
export function monthOf(day: number): number {
  const date = new Date(day * 86_400_000);
  return (date.getUTCFullYear() - 1970) * 12 + date.getUTCMonth();
}

/** What a step is called. */
export function nameOf(step: Step, start: number): string {
  if (step === "month") return month(monthOf(start));
  return step === "week" ? `week of ${dayOfNumber(start)}` : dayOfNumber(start);
}

export function iso(day: number): string {
  return new Date(day * 86_400_000).toISOString().slice(0, 10);
}

/** The clause that holds the customers behind picked lines; nothing where that is everyone. */
export function fieldOf(picked: PickedLines): string {
  if (picked.by) return ""; // a department within a month is more than one clause can say
  const days =
    picked.first === null || picked.last === null
      ? ""
      : `${iso(picked.first)}..${iso(picked.last)}`;
  if (picked.rule && picked.rule !== "counted") return `met:${picked.rule}${days && `=${days}`}`;
  return days ? `bought:days=${days}` : "";
}
