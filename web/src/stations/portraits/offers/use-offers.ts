import { parseAsJson } from "nuqs";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useCompared } from "@/stations/portraits/compared";
import { useStation } from "@/stations/use-station";
import { useAddress, word } from "@/study/address";
import { chosen } from "@/ui/chosen";

export type Page = Schemas["OffersPage"];
export type Offer = Schemas["OfferRow"];
export type Expected = Schemas["ExpectedBody"];
export type Head = Schemas["ColumnHead"];

export const SHADES = [
  ["within", "within a column"],
  ["across", "across"],
] as const;
export type Shade = (typeof SHADES)[number][0];

/** Attributes by name, as the address holds them. */
function mailing(value: unknown): Record<string, string> {
  const entries = typeof value === "object" && value !== null ? Object.entries(value) : [];
  const texts: Record<string, string> = {};
  for (const [name, each] of entries) if (typeof each === "string") texts[name] = each;
  return texts;
}

const OFFERS = {
  shade: word,
  order: word,
  mailing: parseAsJson(mailing).withDefault({}),
};

/** How the offers are looked at, from the address; `order`: "" as they came, else a column. */
export function useOffersAddress() {
  const [at, put] = useAddress(OFFERS);
  return {
    shade: chosen(SHADES, at.shade),
    order: /^\d+$/.test(at.order) ? Number(at.order) : 0,
    mailing: at.mailing,
    put,
  };
}

export function useOffers() {
  const { asked: compared, byLens } = useCompared();
  const { mailing: next } = useOffersAddress();
  const asked = {
    ...compared,
    ...(Object.keys(next).length > 0 && { chosen: JSON.stringify(next) }),
  };
  return useStation(
    "offers",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/offers", {
          params: { path: { study }, query: { ...query, ...asked } },
          signal,
        }),
      ),
    byLens,
    JSON.stringify(asked),
  );
}
