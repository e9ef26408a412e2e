import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import { count, percent } from "@/charts/format";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

interface Props {
  /** Numbers are picked too, so that there is something to balance. */
  slides: boolean;
  balance: number;
  k: number;
  /** Names everything that the preview is made from. */
  madeFrom: string;
  /** While customers are grouped the machine is left to that. */
  waits: boolean;
  onBalance: (balance: number) => void;
}

/** How much categories count against numbers; what each place would change is told beforehand. */
export function Balance({ slides, balance, k, madeFrom, waits, onBalance }: Props) {
  const { study, view, canChange } = useStudy();
  const [tried, setTried] = useState<number | null>(null);
  const preview = useQuery({
    queryKey: ["study", study.id, "balance", view, madeFrom, k],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups/balance", {
          params: { path: { study: study.id }, query: { ...view, k } },
          signal,
        }),
      ),
    staleTime: Infinity,
    retry: false,
    enabled: !waits,
  });
  const stops = preview.data?.stops ?? [];
  const places = stops.length
    ? stops.map((stop) => stop.balance)
    : [0, 0.25, 0.5, 0.75, 1, 1.5, 2, 3, 4];
  const nearest = (value: number) =>
    places.reduce(
      (best, stop, n) =>
        Math.abs(stop - value) < Math.abs((places[best] ?? 0) - value) ? n : best,
      0,
    );
  const place = tried ?? nearest(balance);
  const stop = stops[place];
  const land = () => {
    const next = places[place];
    if (tried !== null && next !== undefined && next !== balance) onBalance(next);
    setTried(null);
  };
  const relevance = preview.data?.relevance ?? [];
  const told = relevance.length > 0 && (
    <ul className="mt-1.5 grid gap-0.5 text-11 text-quiet" aria-label="What categories count">
      {relevance.map((row) => (
        <li key={row.name}>{row.words}</li>
      ))}
    </ul>
  );
  if (!slides) return told || null;
  return (
    <div className="mt-2.5">
      <div className="flex items-baseline justify-between">
        <span className="font-semibold">Balance</span>
        <span className="text-11 text-quiet">
          {stop ? `numbers ${100 - stop.categories} : ${stop.categories} categories` : ""}
        </span>
      </div>
      <input
        type="range"
        min={0}
        max={places.length - 1}
        step={1}
        value={place}
        disabled={!canChange}
        aria-label="Balance of categories against numbers"
        aria-valuetext={
          stop
            ? `categories decide ${stop.categories} percent of the distances`
            : `${places[place]} times`
        }
        className="mt-1 w-full accent-ink"
        onChange={(event) => setTried(Number(event.target.value))}
        onPointerUp={land}
        onKeyUp={(event) => {
          if (event.key.startsWith("Arrow")) return;
          land();
        }}
        onBlur={land}
      />
      <p className="text-11 text-quiet" aria-live="polite">
        {tried !== null && stop && preview.data
          ? places[place] === balance
            ? "As it is."
            : `Would move ${percent(stop.moved, preview.data.customers, 0)} of ${count(preview.data.customers)} ${unit.many} looked at into another of ${k} groups.`
          : balance === 0
            ? "Numbers alone."
            : stop
              ? `Categories decide ${stop.categories}% of how far ${unit.many} are apart.`
              : " "}
      </p>
      {told}
    </div>
  );
}
