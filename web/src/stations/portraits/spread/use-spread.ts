import { parseAsBoolean } from "nuqs";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useCompared } from "@/stations/portraits/compared";
import { useStation } from "@/stations/use-station";
import { useAddress, word, words } from "@/study/address";
import { chosen } from "@/ui/chosen";

export type Page = Schemas["SpreadPage"];
export type Panel = Schemas["Panel"];
export type Box = Schemas["Box"];

export const FORMS = [
  ["boxes", "Boxes"],
  ["lines", "Lines"],
] as const;
/** In a measure's own unit, or as percentiles among everyone. */
export const SCALES = [
  ["own", "own units"],
  ["among", "0 to 100 among everyone"],
] as const;
export type Scale = (typeof SCALES)[number][0];

const SPREAD = {
  form: word,
  scale: word,
  panels: words,
  turned: words,
  some: parseAsBoolean.withDefault(false),
};

/** How the spread is looked at, from the address. */
export function useSpreadAddress() {
  const [at, put] = useAddress(SPREAD);
  const form = chosen(FORMS, at.form);
  return {
    form,
    // Lines cross measures, and only ranks can be compared from one to the next at first sight.
    scale: at.scale === "" && form === "lines" ? ("among" as const) : chosen(SCALES, at.scale),
    panels: at.panels,
    turned: at.turned,
    some: at.some,
    put,
  };
}

export function useSpread() {
  const { asked: compared, byLens } = useCompared();
  const { panels, some, form } = useSpreadAddress();
  const asked = {
    ...compared,
    ...(panels.length > 0 && { rows: panels.join(",") }),
    ...(some && form === "lines" && { customers: "1" }),
  };
  return useStation(
    "spread",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits/spread", {
          params: { path: { study }, query: { ...query, ...asked } },
          signal,
        }),
      ),
    byLens,
    JSON.stringify(asked),
  );
}
