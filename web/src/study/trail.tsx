import { NavLink, useLocation } from "react-router";

import type { Schemas } from "@/api/client";
import { StateMark } from "@/marks/state-mark";
import { useElsewhere } from "@/study/address";

const STATE_WORDS: Record<string, string> = {
  current: "",
  "not yet": "not yet",
  working: "working",
  "out of date": "out of date",
  failed: "failed",
};

/** The stations on one thread, each with its state and one fact. */
export function Trail({ stations }: { stations: Schemas["StationFact"][] }) {
  const { pathname } = useLocation();
  const search = useElsewhere();
  return (
    <nav
      aria-label="Stations"
      className="border-b border-line bg-card print:hidden px-4 pt-2.5 pb-3 small:px-2 small:pt-2 small:pb-1.5"
    >
      <ol className="flex">
        {stations.map((station, place) => {
          const here = pathname.endsWith(`/${station.key}`);
          const stale = station.state === "out of date";
          return (
            <li
              key={station.key}
              className={`relative min-w-0 flex-1 ${here ? "max-md:flex-[3]" : "max-[1200px]:flex-none max-[1200px]:pr-8 max-md:flex-1 max-md:pr-0"}`}
            >
              {place < stations.length - 1 && (
                <span
                  aria-hidden
                  className={`absolute top-[8px] right-1 left-[24px] h-[2px] ${
                    stations[place + 1]?.state === "out of date" ? "bg-transparent" : "bg-everyone"
                  }`}
                />
              )}
              <NavLink
                to={{ pathname: station.key, search }}
                title={here ? undefined : station.name}
                className="relative flex min-h-6 items-start gap-1.5"
              >
                <span className="bg-card pr-0.5">
                  <StateMark state={station.state} here={here} />
                </span>
                <span className="min-w-0">
                  <span
                    className={`block w-fit bg-card pr-2 font-head text-14 leading-[17px] font-semibold ${here ? "text-copper" : "max-md:sr-only"}`}
                  >
                    {station.name}
                    {STATE_WORDS[station.state] && (
                      <span className="sr-only">, {STATE_WORDS[station.state]}</span>
                    )}
                  </span>
                  <span
                    title={station.since ? `${station.words} (${station.since})` : undefined}
                    className={`block truncate text-12 text-quiet ${here ? "" : "max-[1200px]:hidden"} ${stale ? "stale" : ""}`}
                  >
                    {station.state !== "current" && station.since
                      ? station.since
                      : station.words + (station.since && ` (${station.since})`)}
                  </span>
                </span>
              </NavLink>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}
