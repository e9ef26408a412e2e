import { useSearchParams } from "react-router";

/** What a view keeps in the address, and a way to change it; empty values leave it. */
export function useUrlState(): [URLSearchParams, (values: Record<string, string>) => void] {
  const [search, setSearch] = useSearchParams();
  const put = (values: Record<string, string>) =>
    // What the router hands over may be from before another change of this very moment.
    setSearch(() => {
      const next = new URLSearchParams(window.location.search);
      for (const [key, value] of Object.entries(values))
        if (value) next.set(key, value);
        else next.delete(key);
      return next;
    });
  return [search, put];
}

/** What every station reads: the window, the lens, whose figures they are. */
const SHARED = ["to", "back", "lens", "of"];

/** The address for another station: how this one is looked at is nothing to it. */
export function useElsewhere(): string {
  const [search] = useSearchParams();
  const kept = [...search].filter(([key]) => SHARED.includes(key));
  return new URLSearchParams(kept).toString();
}
