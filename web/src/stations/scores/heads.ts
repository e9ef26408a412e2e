import { count } from "@/charts/format";

/** So many of what is scored: customers, or the levels of a trait that stand in their place. */
export function heads(value: number, of: string): string {
  const one = of ? "row" : "customer";
  return `${count(value)} ${one}${value === 1 ? "" : "s"}`;
}
