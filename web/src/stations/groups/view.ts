import { useGroupActions } from "@/stations/groups/queries";
import type { Change, Page } from "@/stations/groups/queries";
import { useUrlState } from "@/study/url-state";

/** Looks that show the rows tried, or what leads to them; the others stand by themselves. */
const BY_THEMSELVES = ["kept", "adopted", "propose"];

/** What is looked at, as the address says, and what can be done with it. */
export function useGroupsView(page: Page) {
  const [search, put] = useUrlState();
  const look = search.get("look") ?? "string";
  const recipe = page.recipe as NonNullable<Page["recipe"]>;
  const { draft, run, adopt } = useGroupActions(recipe, page.adopted?.id ?? 0);
  const k = chosenK(page, Number(search.get("k") ?? 0));
  const old = page.status.state === "out of date" || page.status.state === "failed";
  const go = (values: Record<string, string>) => put({ open: "", group: "", ...values });
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
    search,
    put,
    go,
    begin: () => {
      go({ run: "", k: "", look: "" });
      run.mutate();
    },
    onDraft: (change: Change, words: string) => {
      if (page.foreign) go({ run: "" });
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
