import { Header } from "@/stations/groups/header";
import { Look } from "@/stations/groups/look";
import { AdoptedNote, Notices } from "@/stations/groups/notices";
import { useGroups } from "@/stations/groups/queries";
import type { Page } from "@/stations/groups/queries";
import { useGroupsAddress, useGroupsView } from "@/stations/groups/view";
import { StatusBanner } from "@/study/status-banner";
import { Button } from "@/ui/button";
import { PageHeader } from "@/ui/page-header";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

/** Groups: the recipe, the string of k and other looks at it; adopt one. */
export function Groups() {
  const [{ run }] = useGroupsAddress();
  const groups = useGroups(run);
  if (groups.isPending) return <Waiting />;
  if (groups.isError) return <NotFound words={groups.error.message} />;
  return groups.data.recipe ? <Whole page={groups.data} /> : <NothingYet page={groups.data} />;
}

/** A kept run that is gone is left, so that the present one is seen. */
function NotFound({ words }: { words: string }) {
  const [{ run }, put] = useGroupsAddress();
  const again = run && (
    <Button onClick={() => void put({ run: null, k: null })}>Show the current recipe</Button>
  );
  return <Failed words={words} action={again} />;
}

function NothingYet({ page }: { page: Page }) {
  return (
    <div className="grid gap-3">
      <PageHeader
        title="Groups"
        words={`${unit.Many} who are alike, found together from measures and traits.`}
      />
      {page.status.state !== "empty" ? (
        <StatusBanner status={page.status} />
      ) : (
        <Empty
          title="Groups are made from measures"
          action={<NextStep to="ledger">Import a log first</NextStep>}
        >
          Here rows of 2 to 8 groups will hang as rings, with threads that show who stays together
          from one number of groups to the next.
        </Empty>
      )}
    </div>
  );
}

function Whole({ page }: { page: Page }) {
  const view = useGroupsView(page);
  return (
    <div className="grid gap-3">
      <Header page={page} view={view} />
      <Notices page={page} view={view} />
      <Look page={page} view={view} />
      {view.look !== "adopted" && <AdoptedNote page={page} />}
    </div>
  );
}
