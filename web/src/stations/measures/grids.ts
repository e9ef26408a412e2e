import type { Schemas } from "@/api/client";
import { count, figure, fixed, inUnit, percent, unitWords } from "@/charts/format";
import { preparation } from "@/stations/measures/preparation";
import type { Page } from "@/stations/measures/use-measures";
import { unit } from "@/study/unit";
import { text, told } from "@/ui/grid";
import type { Grid } from "@/ui/grid";

/** Every measure with the figures of its thread. */
export function threadsGrid(page: Page, currency: string): Grid {
  const rows = page.threads.flatMap((thread) => {
    if (!thread.numbers) return [];
    const { figures, fences, steps, prepared_skew: after } = thread.numbers;
    const own = (value: number | null) => told(value, inUnit(value, thread.unit, currency));
    const whole = (value: number) => told(value, count(value));
    return [
      [
        text(thread.label),
        text(unitWords(thread.unit, currency)),
        text(thread.role),
        own(figures.low),
        own(figures.quartile_1),
        own(figures.median),
        own(figures.quartile_3),
        own(figures.high),
        whole(Object.values(figures.missing).reduce((a, b) => a + b, 0)),
        whole(figures.zeros),
        whole(fences.below + fences.above),
        told(figures.skew, figure(figures.skew ?? 0)),
        told(after, figure(after ?? 0)),
        text(preparation(steps)),
      ],
    ];
  });
  return {
    title: "Measures",
    note: `Of ${count(page.with_purchase)} ${unit.many}.`,
    heads: [
      "Measure", "Unit", "In groups", "Lowest", "25%", "Median", "75%", "Highest", "Missing",
      "At 0", "Beyond", "Skew", "Skew as prepared", "Preparation",
    ], // prettier-ignore
    rows,
  };
}

type Alike = Schemas["AlikePage"];

/** Every pair once, the strongest first. */
export function alikeGrid(found: Alike, kinds: Record<string, string>): Grid {
  const pairs = found.names.flatMap((one, i) =>
    found.names.slice(0, i).map((other, j) => ({
      one,
      other,
      value: found.values[i]?.[j] ?? null,
      kind: kinds[found.kinds[i]?.[j] ?? ""] ?? "",
    })),
  );
  pairs.sort((a, b) => Math.abs(b.value ?? 0) - Math.abs(a.value ?? 0));
  return {
    title: "How alike measures and traits are",
    note: `Each pair over those of ${count(found.customers)} ${unit.many} who have both.`,
    heads: ["One", "The other", "Told by", "Likeness"],
    rows: pairs.map(({ one, other, kind, value }) => [
      text(one.label),
      text(other.label),
      text(kind),
      told(value, fixed(value ?? 0)),
    ]),
  };
}

/** Levels of categories with their shares. */
export function levelsGrid(page: Page): Grid {
  const rows = page.threads.flatMap((thread) => {
    const levels = thread.levels;
    if (!levels) return [];
    const all = levels.counts.reduce((a, b) => a + b, 0);
    return levels.levels.map((level, n) => {
      const customers = levels.counts[n] ?? 0;
      return [
        text(thread.label),
        text(levels.words[n] ?? level),
        told(customers, count(customers)),
        told(all ? customers / all : null, percent(customers, all), "share"),
      ];
    });
  });
  return {
    title: "Values of the categories",
    heads: ["Category", "Value", unit.Many, "Share"],
    rows,
  };
}
