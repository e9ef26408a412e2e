import type { Schemas } from "@/api/client";

export type Clause = Schemas["ClauseBody"];
export type Range = [number | null, number | null];

/** One bar: a value of a category, or a range of a number. */
export type Pick = { value: string } | { range: Range };

/** The field that says which segment a customer is in at the window's end. */
export const SEGMENT = "segment:now";

/** A clause on values of a category. */
export function valueClause(field: string, ...values: string[]): Clause {
  return { field, values, ranges: [], negated: false, window: "" };
}

/** A clause on a range of a number. */
export function rangeClause(field: string, range: Range): Clause {
  return { field, values: [], ranges: [range], negated: false, window: "" };
}

/** The end of a range that goes up to a number and includes it: the next number there is. */
export function upTo(value: number): number {
  if (value === 0) return Number.MIN_VALUE;
  const bits = new DataView(new ArrayBuffer(8));
  bits.setFloat64(0, value);
  bits.setBigInt64(0, bits.getBigInt64(0) + (value > 0 ? 1n : -1n));
  return bits.getFloat64(0);
}

/** The number that a range goes up to and includes; null where its end itself is left out. */
export function included(high: number): number | null {
  const shown = Number(high.toPrecision(12));
  const near = Math.abs(high) < 1e-300 ? 0 : shown;
  return near < high && upTo(near) === high ? near : null;
}

function same(a: Range, b: Range): boolean {
  return a[0] === b[0] && a[1] === b[1];
}

function ranges(clause: Clause | undefined): Range[] {
  return clause?.ranges ?? [];
}

export function holds(clause: Clause | undefined, pick: Pick): boolean {
  if (!clause) return false;
  if ("value" in pick) return (clause.values ?? []).includes(pick.value);
  return ranges(clause).some((range) => same(range, pick.range));
}

/**
 * A plain pick replaces the field's clause, an added one joins it, and picking the only picked
 * value removes it.
 */
export function picked(clauses: Clause[], field: string, pick: Pick, add: boolean): Clause[] {
  const mine = clauses.find((clause) => clause.field === field);
  const others = clauses.filter((clause) => clause.field !== field);
  const there = holds(mine, pick);
  const size = (mine?.values?.length ?? 0) + ranges(mine).length;
  if (there && size === 1) return others;
  const base: Clause = {
    field,
    values: [],
    ranges: [],
    negated: mine?.negated ?? false,
    window: "",
  };
  if (!add || !mine) {
    const next = "value" in pick ? { values: [pick.value] } : { ranges: [pick.range] };
    return place(clauses, { ...base, negated: false, ...next });
  }
  const values = mine.values ?? [];
  const own = ranges(mine);
  const next: Clause =
    "value" in pick
      ? {
          ...mine,
          values: there ? values.filter((v) => v !== pick.value) : [...values, pick.value],
        }
      : { ...mine, ranges: there ? own.filter((r) => !same(r, pick.range)) : [...own, pick.range] };
  return place(clauses, next);
}

/** The clause in the place of the one on the same field, else at the end. */
export function place(clauses: Clause[], next: Clause): Clause[] {
  const found = clauses.some((clause) => clause.field === next.field);
  return found
    ? clauses.map((clause) => (clause.field === next.field ? next : clause))
    : [...clauses, next];
}

/** The range that bars `from` to `to` cover; the first and last bar take what lies beyond. */
export function barRange(edges: number[], from: number, to: number): Range {
  const [first, last] = from < to ? [from, to] : [to, from];
  const low = first === 0 ? null : (edges[first] ?? null);
  const high = last === edges.length - 2 ? null : (edges[last + 1] ?? null);
  return [low, high];
}

/** The clauses with one on these values of a category, in the place of any other on the field. */
export function withValues(clauses: Clause[], field: string, values: string[]): Clause[] {
  return place(clauses, valueClause(field, ...values));
}

/** The clauses with one on a range of each field, in the place of any other on it. */
export function withRanges(
  clauses: Clause[],
  picked: readonly (readonly [field: string, range: Range])[],
): Clause[] {
  return picked.reduce((now, [field, range]) => place(now, rangeClause(field, range)), clauses);
}

/**
 * The clauses with more beside them: values and ranges of a field that is asked for already join
 * what it asks for, as Shift on a bar does; other fields are asked for as well.
 */
export function joined(clauses: Clause[], more: Clause[]): Clause[] {
  return more.reduce((now, next) => {
    const mine = now.find((clause) => clause.field === next.field);
    if (!mine || mine.negated !== next.negated || mine.window !== next.window)
      return place(now, next);
    const values = [...new Set([...(mine.values ?? []), ...(next.values ?? [])])];
    const fresh = ranges(next).filter((range) => !ranges(mine).some((own) => same(own, range)));
    return place(now, { ...mine, values, ranges: [...ranges(mine), ...fresh] });
  }, clauses);
}

/** Whether two lists of clauses ask the same, in whatever order. */
export function alike(one: Clause[], other: Clause[]): boolean {
  const told = (clauses: Clause[]) => clauses.map(plain).sort().join("\n");
  return told(one) === told(other);
}

function plain(clause: Clause): string {
  const values = [...(clause.values ?? [])].sort();
  return JSON.stringify([
    clause.field,
    values,
    ranges(clause),
    clause.negated ?? false,
    clause.window ?? "",
  ]);
}
