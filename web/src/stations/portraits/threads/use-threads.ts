import { parseAsArrayOf, parseAsBoolean, parseAsInteger, parseAsString } from "nuqs";

import { api, data } from "@/api/client";
import { useCompared } from "@/stations/portraits/compared";
import { SHADES, VALUES } from "@/stations/portraits/threads/cells";
import type { Order } from "@/stations/portraits/threads/rows";
import { useStation } from "@/stations/use-station";
import { useAddress, word, words } from "@/study/address";
import { chosen } from "@/ui/chosen";

export const SEPARATION = [
  ["means", "means"],
  ["ranks", "ranks"],
] as const;

const THREADS = {
  show: word,
  shade: word,
  order: parseAsString.withDefault("separation"),
  by: word,
  pair: parseAsArrayOf(parseAsInteger).withDefault([]),
  rows: words,
  pinned: words,
  hidden: words,
  open: words,
  all: parseAsBoolean.withDefault(false),
};

/** How the table is looked at, from the address. */
export function useThreadsAddress() {
  const [at, put] = useAddress(THREADS);
  const order: Order = /^\d+$/.test(at.order)
    ? Number(at.order)
    : at.order === "name"
      ? "name"
      : "separation";
  return {
    show: chosen(VALUES, at.show),
    shade: chosen(SHADES, at.shade),
    by: chosen(SEPARATION, at.by),
    order,
    pair: at.pair,
    rows: at.rows,
    pinned: at.pinned,
    hidden: at.hidden,
    open: at.open,
    all: at.all,
    put,
  };
}

/** The station's page, with the rows and columns that the address asks for. */
export function usePortraits() {
  const { asked: compared, byLens } = useCompared();
  const { by, pair, rows, pinned } = useThreadsAddress();
  const wanted = [...new Set([...rows, ...pinned])].sort().join(",");
  const asked = {
    ...compared,
    ...(by !== "means" && { by }),
    ...(pair.length === 2 && { pair: pair.join(",") }),
    ...(wanted && { rows: wanted }),
  };
  return useStation(
    "portraits",
    ({ study, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/portraits", {
          params: { path: { study }, query: { ...query, ...asked } },
          signal,
        }),
      ),
    byLens,
    JSON.stringify(asked),
  );
}
