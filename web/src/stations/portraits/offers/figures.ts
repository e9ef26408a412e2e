import type { Expected, Head, Offer, Page, Shade } from "@/stations/portraits/offers/use-offers";
import { percent } from "@/stations/portraits/threads/cells";
import { text, tint } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";

const DEEPEST = 0.6;
const VIOLET = "5b4b9a";

/** Offers as they came, or by a column's take-up (its number), the highest first. */
export function ordered(offers: Offer[], column: number): Offer[] {
  if (column === 0) return offers;
  const share = (offer: Offer) => offer.shares[column - 1] ?? -1;
  return [...offers].sort((one, other) => share(other) - share(one));
}

/** How deep a cell is shaded: against the highest share of its column, or of all. */
export function strengthOf(offers: Offer[], offer: Offer, column: number, shade: Shade): number {
  const share = offer.shares[column] ?? null;
  if (share === null || offer.few[column]) return 0;
  const sound = (each: Offer) =>
    each.shares.map((value, n) => (each.few[n] || value === null ? 0 : value));
  const highest =
    shade === "within"
      ? Math.max(...offers.map((each) => sound(each)[column] ?? 0))
      : Math.max(...offers.flatMap(sound));
  return highest > 0 ? DEEPEST * (share / highest) ** 1.5 : 0;
}

/** The table as it stands, for elsewhere. */
export function gridOf(page: Page, offers: Offer[], shade: Shade): Grid {
  return {
    title: "Offers",
    heads: [
      "Offer",
      ...page.attributes.map((attribute) => attribute.label),
      "Received",
      ...page.columns.map((head) => head.name),
    ],
    rows: offers.map((offer) => [
      text(offer.label),
      ...offer.attributes.map(text),
      { value: offer.all_received, form: "number" as const, words: String(offer.all_received) },
      ...offer.shares.map((share, column): GridCell => {
        const strength = strengthOf(page.offers, offer, column, shade);
        return {
          value: share,
          form: "share",
          words: share === null ? "–" : percent(share),
          ...(strength > 0.01 && { shade: tint(VIOLET, strength) }),
        };
      }),
    ]),
    note: `Share of those who received it. Not an effect: who received an offer was chosen.${
      page.status.state === "out of date" ? ` Out of date: ${page.status.words ?? ""}` : ""
    }`,
  };
}

/** What the next mailing can expect, for elsewhere. */
export function mailingGrid(page: Page, rows: (Expected & { head: Head })[]): Grid {
  const like = Object.values(page.chosen);
  const share = (value: number | null): GridCell => ({
    value,
    form: "share",
    words: value === null ? "–" : percent(value),
  });
  return {
    title: like.length > 0 ? `Next mailing: ${like.join(", ")}` : "Next mailing",
    heads: ["Segment", "Expected take-up", "From", "To", "Offers like it"],
    rows: rows.map((row) => [
      text(row.head.name),
      share(row.share),
      share(row.low),
      share(row.high),
      { value: row.like, form: "number" as const, words: String(row.like) },
    ]),
    note: "From and to: where one such offer comes out 95 times in 100. Not an effect: who received an offer was chosen.",
  };
}
