import {
  createSerializer,
  parseAsArrayOf,
  parseAsInteger,
  parseAsString,
  useQueryStates,
} from "nuqs";
import type { UseQueryStatesKeysMap } from "nuqs";
import { useLocation } from "react-router";

/** What the address can hold; what is as usual leaves it, and so does what cannot be read. */
export const word = parseAsString.withDefault("");
export const whole = parseAsInteger.withDefault(0);
export const words = parseAsArrayOf(parseAsString).withDefault([]);

/** What a view keeps in the address, and a way to change it: a step that Back takes back. */
export function useAddress<Keys extends UseQueryStatesKeysMap>(keys: Keys) {
  return useQueryStates(keys, { history: "push", shallow: false });
}

/** For what is opened or looked at closer: Back leads to the page before, and there it stands again. */
export const IN_PLACE = { history: "replace" } as const;

/** What every station reads: the window, the lens, whose figures they are. */
export const SHARED = { to: word, back: word, lens: word, of: word };

const written = createSerializer(SHARED);

/**
 * The address for another station: how this one is looked at is nothing to it.
 *
 * What was just picked stands on the screen before the router knows of it; whoever follows a link
 * then takes it along.
 */
export function useElsewhere(): string {
  const [shared] = useAddress(SHARED);
  return written(shared);
}

/** The address as it stands, for a page that leads back to this one. */
export function useHere(): string {
  const { search } = useLocation();
  const [shared] = useAddress(SHARED);
  return written(search, shared);
}
