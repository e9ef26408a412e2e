import type { inferParserType } from "nuqs";

import { useGroupActions } from "@/stations/groups/queries";
import type { Change, Page } from "@/stations/groups/queries";
import { useAddress, whole, word } from "@/study/address";

/** Looks that show the rows tried, or what leads to them; the others stand by themselves. */
const BY_THEMSELVES = ["kept", "adopted", "propose"];

/**
 * `run`: a kept run that is shown instead of the present one; `k`, `open`, `group`: the row
 * that is chosen, whether it is open, and the group that is lit; `first`, `second`: what is
 * compared.
 */
const GROUPS = {
  look: word.withDefault("string"),
  run: word,
  k: whole,
  open: word,
  group: whole.withDefault(-1),
  first: word,
  second: word,
};

export function useGroupsAddress() {
  return useAddress(GROUPS);
}

type Held = inferParserType<typeof GROUPS>;
type Places = { [Key in keyof Held]?: Held[Key] | null };

/** What is looked at, as the address says, and what can be done with it. */
export function useGroupsView(page: Page) {
  const [at, putAll] = useGroupsAddress();
  const { look } = at;
  const recipe = page.recipe as NonNullable<Page["recipe"]>;
  const { draft, run, adopt } = useGroupActions(recipe, page.adopted?.id ?? 0);
  const k = chosenK(page, at.k);
  const old = page.status.state === "out of date" || page.status.state === "failed";
  const put = (places: Places) => void putAll(places);
  const go = (places: Places) => {
    put({ open: null, group: null, ...places });
  };
  return {
    look,
    recipe,
    draft,
    run,
    adopt,
    k,
    row: page.candidates.find((each) => each.k === k),
    stale: old && !page.foreign && page.run !== page.made_from,
    tried: !BY_THEMSELVES.includes(look),
    at,
    put,
    go,
    begin: () => {
      go({ run: null, k: null, look: null });
      run.mutate();
    },
    onDraft: (change: Change, words: string) => {
      if (page.foreign) go({ run: null });
      draft.mutate({ change, words });
    },
  };
}

export type GroupsView = ReturnType<typeof useGroupsView>;

/** The page and how it is looked at: what every part of it is given. */
export interface InView {
  page: Page;
  view: GroupsView;
}

/** The number of groups asked for, where it was tried; else the suggested or the first. */
function chosenK({ candidates, suggestion }: Page, asked: number): number | null {
  if (candidates.some((row) => row.k === asked)) return asked;
  return suggestion?.k ?? candidates[0]?.k ?? null;
}
