import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import { chanceOf, seenOf } from "@/stations/crossings/figures";
import { text } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";

const number = (value: number | null): GridCell => ({ value, form: "number" });

/** Every crossing that somebody made, one per row, with what chance alone would have moved. */
export function gridOf(page: Schemas["CrossingsPage"], scale: number): Grid {
  const major = (value: number) => value / 10 ** scale;
  const name = (state: number) => text(page.states[state]?.name ?? "");
  const rows = page.steps.flatMap((step) =>
    step.customers.flatMap((row, origin) =>
      row.flatMap((customers, target) => {
        if (customers === 0) return [];
        const chance = chanceOf(step, origin, target);
        return [
          [
            text(step.from_to),
            text(step.to),
            name(origin),
            name(target),
            number(customers),
            number(chance ? seenOf(step, origin, target) : null),
            number(chance?.mean ?? null),
            number(chance?.low ?? null),
            number(chance?.high ?? null),
            number(step.border[origin]?.[target] ?? 0),
            number(major(step.money_before[origin]?.[target] ?? 0)),
            number(major(step.money_after[origin]?.[target] ?? 0)),
          ],
        ];
      }),
    ),
  );
  return {
    title: "Crossings",
    note: `Placed by the groups adopted on ${day(page.adopted?.home_to ?? "")}; chance: of those it is told of, 95 in 100 draws lie between low and high`,
    heads: [
      "Before",
      "After",
      "From",
      "To",
      "Customers",
      "Told of",
      "By chance",
      "Chance, low",
      "Chance, high",
      "Border moves",
      "Spend before",
      "Spend after",
    ],
    rows,
  };
}
