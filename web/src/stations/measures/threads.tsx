import { PickList } from "@/charts/picture";
import { count } from "@/charts/format";
import { CategoryRow } from "@/stations/measures/category-row";
import { ThreadRow } from "@/stations/measures/thread-row";
import { levelsGrid, threadsGrid } from "@/stations/measures/grids";
import { COLUMNS } from "@/stations/measures/row";
import { useChoice } from "@/stations/measures/use-measures";
import type { Page, Thread } from "@/stations/measures/use-measures";
import { useMoney, useStudy } from "@/study/context";
import { IN_PLACE, useAddress, word, words } from "@/study/address";
import { TableBehind } from "@/study/table-behind";
import { unit } from "@/study/unit";

const FAMILIES: Record<string, string> = {
  visits: "Visits",
  money: "Money",
  rhythm: "Rhythm",
  breadth: "Breadth",
  expected: "What is expected",
  own: "The study's own",
  traits: "Traits",
  offers: "Offers",
  season: "Shares by season",
  weekday: "Shares by weekday",
  department: "Shares by department",
  channel: "Shares by channel",
  site: "Shares by site",
};
/** The measure whose preparation is open, and the families that are unfolded. */
const OPENED = { open: word, unfolded: words };
/** Families of many alike measures, told in a line until somebody opens them. */
const FOLDED = ["offers", "season", "weekday", "department", "channel", "site"];

/** The main picture: measures by family, each on its thread. */
export function Threads({ page, beside }: { page: Page; beside: string }) {
  const [{ open, unfolded }, put] = useAddress(OPENED);
  const setOpen = (name: string) => void put({ open: name || null }, IN_PLACE);
  const setUnfolded = (families: string[]) => void put({ unfolded: families }, IN_PLACE);
  const choose = useChoice(page.plan_revision);
  const families = Object.keys(FAMILIES)
    .map((key) => ({ key, threads: page.threads.filter((thread) => thread.family === key) }))
    .filter(({ threads }) => threads.length > 0);
  const { study } = useStudy();
  const inMoney = useMoney("exact");
  const row = (thread: Thread) => {
    const props = {
      thread,
      onChoose: (choice: Parameters<typeof choose.mutate>[0]["choice"]) =>
        choose.mutate({ thread, choice }),
    };
    return thread.numbers ? (
      <ThreadRow
        key={thread.name}
        {...props}
        numbers={thread.numbers}
        page={page}
        open={open === thread.name}
        onOpen={() => setOpen(open === thread.name ? "" : thread.name)}
        onGo={setOpen}
      />
    ) : (
      <CategoryRow key={thread.name} {...props} />
    );
  };
  return (
    <>
      <section className="card overflow-hidden" aria-label="Threads">
        <div className={`${COLUMNS} items-end border-b border-line py-2 text-11 text-quiet`}>
          <span className="text-13 font-semibold text-ink">Measure</span>
          <span className="px-14">
            <b className="font-semibold text-ink">Above: as it is. Below: as prepared.</b> Links go
            from where 5, 25, 50, 75, 95% of the {unit.many} stand to where the preparation puts
            them. The ends hold the middle 99%, in the measure&rsquo;s unit and as prepared.
            {beside && " Dashed: the second window."}
          </span>
          <span>missing, outliers, skew</span>
          <span className="text-right">in groups</span>
        </div>
        <PickList label="Threads of measures">
          {families.map(({ key, threads }) => {
            const folds = FOLDED.includes(key);
            const shown = !folds || unfolded.includes(key);
            const used = threads.filter((thread) => thread.role === "shapes");
            return (
              <section key={key} aria-label={FAMILIES[key]}>
                <h2 className="flex items-baseline gap-2 border-b border-line bg-paper px-3 py-1 text-12">
                  {folds ? (
                    <button
                      type="button"
                      aria-expanded={shown}
                      className="hover:underline"
                      onClick={() =>
                        setUnfolded(
                          shown ? unfolded.filter((each) => each !== key) : [...unfolded, key],
                        )
                      }
                    >
                      <span aria-hidden className="inline-block w-3 text-quiet">
                        {shown ? "▾" : "▸"}
                      </span>
                      {FAMILIES[key]}
                    </button>
                  ) : (
                    FAMILIES[key]
                  )}
                  <span className="font-sans text-11 font-normal text-quiet">
                    {count(threads.length)} {threads.length === 1 ? "measure" : "measures"}
                    {used.length > 0 && `, ${used.length} in use`}
                    {folds && !shown && `: ${someOf(threads)}`}
                  </span>
                </h2>
                {(shown ? threads : used).map(row)}
              </section>
            );
          })}
        </PickList>
      </section>
      <TableBehind name="measures" grid={() => threadsGrid(page, study.currency)} />
      {page.threads.some((thread) => thread.levels) && (
        <TableBehind what="categories" name="categories" grid={() => levelsGrid(page)} />
      )}
      {page.reconciliation && (
        <p className="px-1 text-12 text-quiet">
          The window&rsquo;s ledger, {inMoney(page.reconciliation.ledger)}, is{" "}
          {inMoney(page.reconciliation.table)} in this table,{" "}
          {inMoney(page.reconciliation.without_purchase)} of {unit.many} without a purchase, and{" "}
          {inMoney(page.reconciliation.without_customer)} of lines without a {unit.one}.
        </p>
      )}
    </>
  );
}

function someOf(threads: Thread[]): string {
  const names = threads.slice(0, 4).map((thread) => thread.label.replace(", share", ""));
  return names.join(", ") + (threads.length > 4 ? ` and ${threads.length - 4} more` : "");
}
