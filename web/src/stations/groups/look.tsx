import { AdoptedView } from "@/stations/groups/adopted";
import { Compare } from "@/stations/groups/compare";
import { KeptList } from "@/stations/groups/kept";
import { Merges } from "@/stations/groups/merges";
import { Propose } from "@/stations/groups/propose";
import type { Draft } from "@/stations/groups/queries";
import { Tried } from "@/stations/groups/tried";
import type { InView } from "@/stations/groups/view";

/** The look that the address names. */
export function Look({ page, view }: InView) {
  const { look, adopt, go } = view;
  if (look === "propose") {
    return (
      <Propose
        onRun={(id, k) => go({ run: id, k, look: null })}
        onCompare={(first, second) => go({ look: "kept", first, second })}
        onAdopt={(chosen) => adopt.mutate(chosen.id)}
      />
    );
  }
  if (look === "adopted") return <AdoptedView adopted={page.adopted} />;
  if (look === "kept") return <Kept page={page} view={view} />;
  if (look === "merges") return <Trees view={view} />;
  return <Tried page={page} view={view} />;
}

/** What was kept, or two of them side by side. */
function Kept({ page, view }: InView) {
  const { at, put, go } = view;
  const { first, second } = at;
  const pick = (one: string, other: string) => put({ first: one, second: other });
  if (first && second) {
    return <Compare first={first} second={second} onPick={pick} onClose={() => pick("", "")} />;
  }
  return (
    <KeptList
      onRun={(id, k) => go({ run: id === page.made_from ? null : id, k, look: null })}
      onCompare={pick}
    />
  );
}

/** Trees of merges; a cut becomes the recipe, and is judged. */
function Trees({ view: { draft, run, go } }: Pick<InView, "view">) {
  const judge = (linkage: string, groups: number) => {
    const change = (now: Draft): Draft => ({
      ...now,
      method: "hierarchical",
      linkage: linkage as Draft["linkage"],
      most: Math.max(now.most, groups),
    });
    const onSuccess = () => {
      go({ look: null, run: null, k: groups });
      run.mutate();
    };
    draft.mutate({ change }, { onSuccess });
  };
  return <Merges onJudge={judge} />;
}
