import { parseAsBoolean } from "nuqs";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { AGAINST } from "@/stations/portraits/compared";
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
  against: word,
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
    against: chosen(AGAINST, at.against),
    some: at.some,
    put,
  };
}

export function useSpread() {
  const { against, panels, some, form } = useSpreadAddress();
  const asked = {
    ...(against !== "segments" && { against }),
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
    against !== "segments",
    JSON.stringify(asked),
  );
}
