import { createParser, parseAsStringLiteral } from "nuqs";

import type { Schemas } from "@/api/client";
import { dayOfNumber, month } from "@/charts/format";
import { whole, word } from "@/study/address";

export const STEPS = ["month", "week", "day"] as const;
export type Step = (typeof STEPS)[number];

/** Which lines are looked at: days from `first` to `last` (both included), and a rule. */
export interface PickedLines {
  first: number | null;
  last: number | null;
  rule: string;
  /** How long the picked bar was, for the name of its days; null where none was picked. */
  when: Step | null;
  /** A column of words and the number of one of them; empty for any. */
  by: string;
  number: number;
}

export const ALL_LINES: PickedLines = {
  first: null,
  last: null,
  rule: "",
  when: null,
  by: "",
  number: 0,
};

const day = createParser({
  parse: (text) => {
    const day = Date.parse(`${text}T00:00:00Z`) / 86_400_000;
    return Number.isInteger(day) ? day : null;
  },
  serialize: iso,
});

/** Picked lines, and how long a bar is, as the address keeps them. */
export const IN_ADDRESS = {
  first: day,
  last: day,
  rule: word,
  when: parseAsStringLiteral(STEPS),
  by: word,
  number: whole,
  step: parseAsStringLiteral(STEPS).withDefault("month"),
  around: day,
};

/** What of picked lines can be shown: an address may be half a one, or older than a rule's end. */
export function shownOf(asked: PickedLines, page: Schemas["LedgerPage"]): PickedLines {
  const { first, last } = asked;
  const days = first !== null && last !== null && first <= last;
  const rules = ["counted", ...page.rules.map((rule) => rule.key)];
  const names = page.names[asked.by] ?? [];
  const named = asked.number >= 0 && asked.number < names.length;
  return {
    ...(days ? { first, last, when: asked.when } : { first: null, last: null, when: null }),
    rule: rules.includes(asked.rule) ? asked.rule : "",
    ...(named ? { by: asked.by, number: asked.number } : { by: "", number: 0 }),
  };
}

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
