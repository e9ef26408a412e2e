import { parseAsBoolean } from "nuqs";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useCompared } from "@/stations/portraits/compared";
import { useStation } from "@/stations/use-station";
import { useAddress, word } from "@/study/address";
import { chosen } from "@/ui/chosen";

export type Page = Schemas["AgainstPage"];
export type Level = Schemas["AgainstLevel"];

export const KINDS = [
  ["table", "A category"],
  ["multiples", "Two measures"],
  ["first", "First customers"],
] as const;
/** What the cells of the table tell. */
export const FIGURES = [
  ["column", "share of the segment"],
  ["level", "share of the value"],
  ["counts", "customers"],
  ["index", "index, everyone 100"],
  ["residuals", "residuals"],
] as const;
export type Figure = (typeof FIGURES)[number][0];

const AGAINST_AT = {
  kind: word,
  set: word,
  figure: word,
  x: word,
  y: word,
  first: word,
  least: parseAsBoolean.withDefault(false),
};

/** How the view is looked at, from the address. */
export function useAgainstAddress() {
  const [at, put] = useAddress(AGAINST_AT);
  return {
    kind: chosen(KINDS, at.kind),
    figure: chosen(FIGURES, at.figure),
    set: at.set,
    x: at.x,
    y: at.y,
    first: at.first,
    least: at.least,
    put,
  };
}

export function useAgainst() {
  const { set } = useAgainstAddress();
  const { asked: compared, byLens } = useCompared();
  return useStation(
    "against",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/against", {
          params: { path: { study }, query: { ...query, ...compared, ...(set && { by: set }) } },
          signal,
        }),
      ),
    byLens,
    JSON.stringify([compared, set]),
  );
}

export function useMultiples() {
  const { x, y } = useAgainstAddress();
  const { asked: compared, byLens } = useCompared();
  return useStation(
    "multiples",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/multiples", {
          params: {
            path: { study },
            query: { ...query, ...compared, ...(x && { x }), ...(y && { y }) },
          },
          signal,
        }),
      ),
    byLens,
    JSON.stringify([compared, x, y]),
  );
}

export function useFirst() {
  const { first, least } = useAgainstAddress();
  const { asked: compared, byLens } = useCompared();
  return useStation(
    "first",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/first", {
          params: {
            path: { study },
            query: {
              ...query,
              ...compared,
              ...(first && { by: first }),
              ...(least && { least: "1" }),
            },
          },
          signal,
        }),
      ),
    byLens,
    JSON.stringify([compared, first, least]),
  );
}
