import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useLens } from "@/lens/context";
import { useCompared } from "@/stations/portraits/compared";
import { useStation } from "@/stations/use-station";
import { useAddress, word } from "@/study/address";

export type Page = Schemas["PlacesPage"];
export type Place = Schemas["PlaceRow"];
export type Beside = Schemas["BesidePage"];

const PLACES = { where: word, ground: word, mix: word, alike: word, sort: word };

/** No trait at all, where an empty list would mean the usual ones. */
export const NONE = "none";

/** How places are looked at, from the address. */
export function usePlacesAddress() {
  const [at, put] = useAddress(PLACES);
  return { ...at, put };
}

/** The one place that the lens is on, if it is on one alone. */
export function usePicked(field: string): string {
  const own = useLens().clauses.find((clause) => clause.field === field && !clause.negated);
  const values = own?.values ?? [];
  return values.length === 1 ? (values[0] ?? "") : "";
}

function useAsked() {
  const { asked: compared, byLens } = useCompared();
  const { where, ground, mix } = usePlacesAddress();
  const asked = {
    ...compared,
    ...(where && { by: where }),
    ...(ground && { shade: ground }),
    ...(mix && { mix }),
  };
  return { asked, byLens };
}

/** The places, without one beside its like. */
export function usePlaces() {
  const { asked, byLens } = useAsked();
  return useStation(
    "places",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/places", {
          params: { path: { study }, query: { ...query, ...asked } },
          signal,
        }),
      ),
    byLens,
    JSON.stringify(asked),
  );
}

/** One place beside those that are like it. */
export function useBeside(place: string) {
  const { asked, byLens } = useAsked();
  const { alike } = usePlacesAddress();
  const more = { ...asked, place, ...(alike && { like: alike === NONE ? "" : alike }) };
  return useStation(
    "place beside its like",
    async ({ study, query, signal }) => {
      const page = await data(
        api.GET("/api/studies/{study}/portraits/places", {
          params: { path: { study }, query: { ...query, ...more } },
          signal,
        }),
      );
      return page.beside;
    },
    byLens,
    JSON.stringify(more),
  );
}
