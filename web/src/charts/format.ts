const counts = new Intl.NumberFormat("en-GB");

export function count(value: number): string {
  return counts.format(value);
}

/** Money from an integer at the study's scale: £1,234.50, or short: £1.23m, £71,930. */
export function money(value: number, scale: number, currency: string, short = true): string {
  const major = value / 10 ** scale;
  const sign = major < 0 ? "−" : "";
  const size = Math.abs(major);
  if (short && size >= 999_500) return `${sign}${currency}${(size / 1e6).toPrecision(3)}m`;
  const places = short ? (size > 0 && size < 10 ? scale : 0) : scale;
  const text = size.toLocaleString("en-GB", {
    minimumFractionDigits: places,
    maximumFractionDigits: places,
  });
  return `${sign}${currency}${text}`;
}

/** Places behind the point that leave three to four telling digits of numbers of such a size. */
function placesAt(size: number): number {
  return size >= 100 ? 0 : size >= 10 ? 1 : 2;
}

/** A heading as it stands within a sentence; an abbreviation (PLZ) keeps its capitals. */
export function within(label: string): string {
  const second = label.charAt(1);
  const short = second !== "" && second === second.toUpperCase() && second !== second.toLowerCase();
  return short ? label : label.charAt(0).toLowerCase() + label.slice(1);
}

/** A plain figure in at most three to four telling digits; with `places`, always so many. */
export function figure(value: number | null | undefined, places?: number): string {
  if (value === null || value === undefined || Number.isNaN(value)) return "–";
  const most = Number.isInteger(value) ? 0 : placesAt(Math.abs(value));
  return value
    .toLocaleString("en-GB", {
      maximumFractionDigits: places ?? most,
      minimumFractionDigits: places ?? 0,
    })
    .replace("-", "−");
}

/** A factor in three telling digits, however small: 0.00131. */
export function factor(value: number): string {
  return value
    .toLocaleString("en-GB", { maximumSignificantDigits: 3, useGrouping: true })
    .replace("-", "−");
}

/** The places that all figures of a column share, so that they stand under one another. */
export function placesOf(values: (number | null)[], unit: string): number {
  const told = values.filter((value) => value !== null);
  const shown = unit === "share" ? told.map((value) => value * 100) : told;
  if (shown.every(Number.isInteger)) return 0;
  const places = placesAt(Math.max(...shown.map(Math.abs)));
  return inMoney(unit) && places > 0 ? PENCE : places;
}

/** Decimals of money, where it has any. */
const PENCE = 2;

function inMoney(unit: string): boolean {
  return unit === "money" || unit.startsWith("money/");
}

/** Decimals of an amount by itself: two, or none from a hundred on and where it is whole. */
function pence(value: number): number {
  return Math.abs(value) >= 100 || Number.isInteger(value) ? 0 : PENCE;
}

/** A figure with so many places always, as a column of them wants: −0.58. */
export function fixed(value: number, places = 2): string {
  return value.toFixed(places).replace("-", "−");
}

/** A figure of a measure in its unit: shares as percent, money with its sign. */
export function inUnit(
  value: number | null | undefined,
  unit: string,
  currency: string,
  places?: number,
): string {
  if (value === null || value === undefined) return "–";
  if (unit === "share") return `${figure(value * 100, places)}%`;
  if (inMoney(unit))
    return `${value < 0 ? "−" : ""}${currency}${figure(Math.abs(value), places ?? pence(value))}`;
  if (unit === "year") return String(Math.round(value));
  if (unit === "date") return dayOfNumber(value);
  return figure(value, places);
}

/** The words that stand behind a measure's figures. */
export function unitWords(unit: string, currency: string): string {
  if (unit.includes("money")) return unit.replace("money", currency);
  return { share: "", took: "", rank: "0 to 1", "": "" }[unit] ?? unit;
}

export function percent(part: number, whole: number, places = 1): string {
  return whole === 0 ? "–" : `${((100 * part) / whole).toFixed(places)}%`;
}

const dayFormat = new Intl.DateTimeFormat("en-GB", {
  day: "numeric",
  month: "short",
  year: "numeric",
  timeZone: "UTC",
});

export function day(iso: string): string {
  return dayFormat.format(new Date(`${iso}T00:00:00Z`)).replace("Sept", "Sep");
}

/** A time of the day on this machine's clock: 9:05. */
export function clock(iso: string): string {
  const at = new Date(iso);
  return `${at.getHours()}:${String(at.getMinutes()).padStart(2, "0")}`;
}

/** A point in time on this machine's clock: 3 Jun 2026, 9:05. */
export function moment(iso: string): string {
  const at = new Date(iso);
  const local = new Date(at.getTime() - at.getTimezoneOffset() * 60_000);
  return `${day(local.toISOString().slice(0, 10))}, ${clock(iso)}`;
}

export function dayOfNumber(days: number): string {
  return dayFormat.format(new Date(days * 86_400_000)).replace("Sept", "Sep");
}

const MONTHS = "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split(" ");

/** A month counted from January 1970, with its year. */
export function month(value: number): string {
  return `${MONTHS[value % 12] ?? ""} ${1970 + Math.floor(value / 12)}`;
}

export function backWords(back: string): string {
  if (back.includes("-")) return `from ${day(back)}`;
  return back === "all" ? "the whole log" : `${back} months back`;
}
