import { count } from "@/charts/format";
import { columnHue } from "@/marks/column-mark";
import { HUES } from "@/marks/hues";
import type { Page, Place } from "@/stations/portraits/places/use-places";
import { inItsUnit, percent, wordsOf } from "@/stations/portraits/threads/cells";
import { text } from "@/ui/grid";
import type { Grid } from "@/ui/grid";
import { unit } from "@/study/unit";

/** The darkest and the lightest ground, in parts of ink. */
const LIGHTEST = 7;
const DARKEST = 58;

/** How the places are shaded, and what the ends of the scale are. */
export function shadesOf(page: Page) {
  const drawn = page.places.map((place) => place.drawn).filter((value) => value !== null);
  const low = page.shade?.counted ? 0 : Math.min(...drawn);
  const high = Math.max(...drawn);
  const part = (value: number) => (high > low ? (value - low) / (high - low) : 0);
  return {
    low,
    high,
    of: (place: Place) => (place.drawn === null ? null : part(place.drawn)),
  };
}

/** A ground between lightest and darkest, 0 to 1. */
export function groundOf(part: number): string {
  const ink = LIGHTEST + Math.round((DARKEST - LIGHTEST) * part);
  return `color-mix(in oklab, var(--color-ink) ${ink}%, var(--color-card))`;
}

/** The hue of a part of the strip: a column's own, else one after the other. */
export function hueOfLevel(page: Page, n: number): string {
  const level = page.levels[n];
  const head = page.columns.find((column) => column.number === level?.column);
  return head ? columnHue(head) : (HUES[n % HUES.length] ?? "var(--color-ink)");
}

/** A figure of what places are shaded by, in its unit. */
export function shadeWords(page: Page, value: number | null, currency: string): string {
  const unit = page.shade?.unit ?? "";
  if (value === null) return "–";
  return page.shade?.key === "customers" ? count(value) : wordsOf(inItsUnit(value, unit, currency));
}

export function reachWords(place: Place): string {
  if (place.reach === null || place.low === null || place.high === null) return "–";
  return `${percent(place.reach)} ${percent(place.low)} to ${percent(place.high)}`;
}

/** All that is known of a place, as one line. */
export function noteOf(page: Page, place: Place, currency: string): string {
  const parts = [
    `${count(place.customers)} ${unit.many}`,
    place.households === null
      ? ""
      : place.reach === null
        ? `${count(place.households)} households`
        : `${percent(place.reach)} of ${count(place.households)} households`,
    ["customers", "reach"].includes(page.shade?.key ?? "")
      ? ""
      : `${page.shade?.label ?? ""} ${shadeWords(page, place.value, currency)}`,
  ];
  return `${place.label}: ${parts.filter(Boolean).join(", ")}`;
}

/** A part of the strip in words, with its index: 100 where it is as everywhere. */
export function partNote(page: Page, place: Place, n: number): string {
  const level = page.levels[n];
  const share = place.mix[n] ?? null;
  if (!level || share === null) return "";
  const usual = level.everyone ?? 0;
  const index = usual > 0 ? `, index ${((100 * share) / usual).toFixed(0)}` : "";
  return `${place.label}, ${level.label}: ${percent(share)}, ${percent(usual)} everywhere${index}`;
}

export const SORTS = ["code", "customers", "reach", "value"] as const;
export type Sort = (typeof SORTS)[number];

/** Places in an order; their codes rise, figures fall, what is not known comes last. */
export function ordered(places: Place[], sort: Sort): Place[] {
  const byCode = (one: Place, other: Place) => one.label.localeCompare(other.label, "en");
  if (sort === "code") return [...places].sort(byCode);
  const value = (place: Place) => place[sort] ?? -Infinity;
  return [...places].sort((one, other) => value(other) - value(one) || byCode(one, other));
}

/** The table behind the map: raw figures with what they rest on. */
export function gridOf(page: Page, places: Place[], currency: string): Grid {
  const shade = page.shade?.label ?? "";
  const share = (value: number | null) => ({
    value,
    form: "share" as const,
    words: value === null ? "–" : percent(value),
  });
  return {
    title: "Places",
    heads: [
      page.label,
      "Customers",
      "Households",
      "Share of households",
      "from",
      "to",
      shade,
      `${shade}, drawn towards the whole`,
      "People it rests on",
      ...page.levels.flatMap((level) => [level.label, `${level.label}, index`]),
    ],
    rows: places.map((place) => [
      text(place.label),
      { value: place.customers, form: "number" },
      { value: place.households, form: "number" },
      share(place.reach),
      share(place.low),
      share(place.high),
      ...[place.value, place.drawn].map((value) => ({
        ...inItsUnit(value, page.shade?.unit ?? "", currency),
        words: shadeWords(page, value, currency),
      })),
      { value: place.people, form: "number" },
      ...page.levels.flatMap((level, n) => {
        const part = place.mix[n] ?? null;
        const index = part !== null && level.everyone ? (100 * part) / level.everyone : null;
        return [
          share(part),
          {
            value: index === null ? null : Math.round(index),
            form: "number" as const,
            words: index === null ? "–" : index.toFixed(0),
          },
        ];
      }),
    ]),
    note: `Share of households with its 95% interval; index: 100 where a part is as everywhere.${
      page.status.state === "out of date" ? ` Out of date: ${page.status.words ?? ""}` : ""
    }`,
  };
}
