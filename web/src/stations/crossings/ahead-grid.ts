import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import { text } from "@/ui/grid";
import type { Grid } from "@/ui/grid";

/** Every state at every date, seen and ahead: one row each. */
export function aheadGrid(page: Schemas["AheadPage"], scale: number): Grid {
  const number = (value: number) => ({ value, form: "number" as const });
  const major = (value: number) => number(value / 10 ** scale);
  const rows = page.rows.flatMap((row, state) => {
    const name = text(page.states[state]?.name ?? "");
    if (page.states[state]?.name === "not yet") return [];
    return [
      ...page.dates.map((date, at) => {
        const customers = row.customers[at] ?? 0;
        const money = row.money[at] ?? 0;
        return [
          name,
          text(date),
          text("seen"),
          ...[customers, customers, customers].map(number),
          ...[money, money, money].map(major),
        ];
      }),
      ...page.coming.slice(1).map((date, at) => {
        const size = row.ahead[at + 1];
        const money = row.money_ahead[at + 1];
        return [
          name,
          text(date),
          text("ahead"),
          ...[size?.mean, size?.low, size?.high].map((value) => number(value ?? 0)),
          ...[money?.mean, money?.low, money?.high].map((value) => major(value ?? 0)),
        ];
      }),
    ];
  });
  return {
    title: "Sizes ahead if nothing changes",
    note: `Rates of ${page.steps} steps of ${page.months} months up to ${day(page.dates.at(-1) ?? "")}; 95 in 100 lie between low and high`,
    heads: [
      "State",
      "Date",
      "Seen or ahead",
      "Customers",
      "Customers, low",
      "Customers, high",
      "Spend",
      "Spend, low",
      "Spend, high",
    ],
    rows,
  };
}
