import type { InView } from "@/stations/groups/view";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { PageHeader } from "@/ui/page-header";
import { Views } from "@/ui/views";
import { unit } from "@/study/unit";

/** The page's name, its main action and its views. */
export function Header({ page, view }: InView) {
  const { look, put } = view;
  const views = [
    ["string", "String of k"],
    ["map", "Map"],
    ["merges", "Merges"],
    ["kept", `Kept ${page.kept || ""}`.trim()],
    ["adopted", "In use"],
  ] as const;
  return (
    <>
      <PageHeader
        title="Groups"
        words={`Each row splits the ${unit.many} once more; threads show who stays together.`}
      >
        <Actions page={page} view={view} />
      </PageHeader>
      <nav className="flex items-center gap-3" aria-label="Views of the groups">
        <Views
          views={views}
          view={look}
          onView={(next) => put({ look: next, first: null, second: null })}
        />
      </nav>
    </>
  );
}

function Actions({ page, view }: InView) {
  const { canChange } = useStudy();
  const { look, row, stale, adopt, go } = view;
  if (!canChange) return null;
  const standing = !!row && page.adopted?.grouping === row.id;
  return (
    <>
      <Button aria-pressed={look === "propose"} onClick={() => go({ look: "propose" })}>
        Propose three
      </Button>
      {row && (look === "string" || look === "map") && (
        <Button
          kind="main"
          disabled={stale || row.refusal !== ""}
          aria-disabled={adopt.isPending || standing}
          title={row.refusal}
          onClick={() => !adopt.isPending && !standing && adopt.mutate(row.id)}
        >
          {standing ? `These ${row.k} are adopted` : `Adopt these ${row.k} groups`}
        </Button>
      )}
    </>
  );
}
