import { parseAsArrayOf, parseAsInteger, parseAsString, useQueryStates } from "nuqs";
import type { UseQueryStatesKeysMap } from "nuqs";
import { useSearchParams } from "react-router";

/** What the address can hold; what is as usual leaves it, and so does what cannot be read. */
export const word = parseAsString.withDefault("");
export const whole = parseAsInteger.withDefault(0);
export const words = parseAsArrayOf(parseAsString).withDefault([]);

/** What a view keeps in the address, and a way to change it: a step that Back takes back. */
export function useAddress<Keys extends UseQueryStatesKeysMap>(keys: Keys) {
  return useQueryStates(keys, { history: "push", shallow: false });
}

/** What every station reads: the window, the lens, whose figures they are. */
export const SHARED = { to: word, back: word, lens: word, of: word };

/** The address for another station: how this one is looked at is nothing to it. */
export function useElsewhere(): string {
  const [search] = useSearchParams();
  const kept = [...search].filter(([key]) => key in SHARED);
  return new URLSearchParams(kept).toString();
}
