import { Link, useLocation } from "react-router";

import { count, percent } from "@/charts/format";
import { ClauseChip, useClauseWords } from "@/lens/clause-chip";
import { Histogram, LevelBars } from "@/lens/bars";
import { useLens } from "@/lens/context";
import { LensMark } from "@/marks/state-mark";
import { useMoney, useStudy } from "@/study/context";
import { AddClause } from "@/lens/add-clause";
import { Keep } from "@/lens/keep";
import { useElsewhere } from "@/study/address";
import { ChooseCharts } from "@/lens/choose-charts";
import { unit } from "@/study/unit";

interface Props {
  folded: boolean;
  onFold: () => void;
  keeping: boolean;
  onKeeping: (open: boolean) => void;
}

/** The dock: how many customers and how much money are in the lens, always. */
export function Dock({ folded, onFold, keeping, onKeeping }: Props) {
  const lens = useLens();
  if (folded) {
    return (
      <aside
        aria-label="Lens"
        className="flex w-10 flex-col print:hidden items-center gap-3 border-l border-line bg-card py-4 small:fixed small:right-2 small:bottom-2 small:z-20 small:w-auto small:flex-row small:gap-1.5 small:rounded-full small:border small:px-3 small:py-2 small:shadow-lg"
      >
        <button
          type="button"
          onClick={onFold}
          aria-label="Open the lens"
          className="rounded p-1 hover:bg-paper"
        >
          <LensMark />
        </button>
        {lens.clauses.length > 0 && (
          <span className="text-11 font-semibold text-teal">{lens.clauses.length}</span>
        )}
      </aside>
    );
  }
  return (
    <aside
      aria-label="Lens"
      className="w-[260px] shrink-0 print:hidden overflow-y-auto border-l border-line bg-card p-4 max-[1200px]:absolute max-[1200px]:inset-y-0 max-[1200px]:right-0 max-[1200px]:z-20 max-[1200px]:shadow-xl small:fixed small:inset-y-0 small:right-0 small:z-30 small:max-w-[92vw] small:shadow-xl"
    >
      <div className="flex items-center gap-2">
        <LensMark />
        <h2 className="flex-1 text-14">Lens</h2>
        <Keep open={keeping} onOpenChange={onKeeping} />
        {lens.clauses.length > 0 && (
          <button
            type="button"
            className="rounded-md border border-line px-2 py-0.5 text-12 hover:border-quiet"
            onClick={() => lens.set([])}
          >
            Clear
          </button>
        )}
        <button
          type="button"
          onClick={onFold}
          aria-label="Collapse the lens"
          className="rounded px-1 text-quiet hover:bg-paper"
        >
          »
        </button>
      </div>
      <div className="mt-3 flex flex-wrap gap-1.5">
        {lens.clauses.map((clause) => (
          <ClauseChip key={clause.field} clause={clause} />
        ))}
        {lens.fields.length > 0 && <AddClause />}
      </div>
      <Totals />
      <Coverage />
      <Charts />
      <Onward />
    </aside>
  );
}

function Totals() {
  const { study, window } = useStudy();
  const inMoney = useMoney("short");
  const { answer, clauses, set, spend } = useLens();
  const words = useClauseWords();
  if (!answer?.ready) {
    return (
      <p className="mt-4 text-quiet">
        {!answer
          ? "Counting …"
          : window
            ? "Counted when the measures of this window are up to date."
            : `No ${unit.many} to look at yet. They come with the first log.`}
      </p>
    );
  }
  const { lens, everyone, preview, widest } = answer;
  const widestClause = clauses.find((clause) => clause.field === widest?.field);
  return (
    <>
      <div className="mt-3 grid grid-cols-2 gap-2" aria-live="polite">
        <div>
          <div
            className="font-head text-20 leading-tight font-semibold"
            data-testid="customers-in-lens"
          >
            {count(lens.customers)}
          </div>
          <div className="text-12 text-quiet">
            {unit.many}
            {clauses.length ? `, ${percent(lens.customers, everyone.customers)}` : ", all"}
          </div>
        </div>
        {study.has_log && (
          <div>
            <div className="font-head text-20 leading-tight font-semibold">
              {inMoney(lens.money)}
            </div>
            <div className="text-12 text-quiet">
              spend{clauses.length ? `, ${percent(lens.money, everyone.money)}` : ", all"}
            </div>
          </div>
        )}
      </div>
      <p className="mt-1.5 min-h-[34px] text-12 text-quiet">
        {preview ? (
          <span className="text-teal">
            would be {count(preview.customers)}
            {study.has_log && `, ${inMoney(preview.money)}`}
          </span>
        ) : spend ? (
          `Spend here: ${spend.words}.`
        ) : clauses.length === 0 ? (
          "Everyone. Pick any bar, ring or thread to look closer."
        ) : lens.customers === 0 && widest ? (
          <>
            No one. Widest without{" "}
            <button
              type="button"
              className="text-teal underline"
              onClick={() => set(clauses.filter((clause) => clause.field !== widest.field))}
            >
              {widestClause ? words(widestClause).label : widest.field}
            </button>
            : {count(widest.total.customers)}.
          </>
        ) : null}
      </p>
    </>
  );
}

/** What the log lacks of the times that the lens speaks of. */
function Coverage() {
  const { window } = useStudy();
  const { answer } = useLens();
  const told = [
    ...(window?.covered ? [`Of the window in view ${window.covered}.`] : []),
    ...Object.entries(answer?.covered ?? {}).map(
      ([field, words]) => `${answer?.labels[field] ?? field}: ${words}.`,
    ),
  ];
  if (told.length === 0) return null;
  return (
    <ul role="note" className="mt-2 grid gap-1 border-l-2 border-below pl-2 text-12">
      {told.map((words) => (
        <li key={words}>{words}</li>
      ))}
    </ul>
  );
}

/** What one would do next with these customers. */
function Onward() {
  const { study } = useStudy();
  const { answer, clauses } = useLens();
  const { pathname } = useLocation();
  const search = useElsewhere();
  if (!answer?.ready || answer.lens.customers === 0) return null;
  const to = (page: string) => ({ pathname: `/study/${study.id}/${page}`, search });
  return (
    <div className="mt-4 grid gap-2 text-center">
      {study.has_log && !pathname.endsWith("/campaigns") && (
        <Link
          to={to("campaigns")}
          className="rounded-md bg-teal px-3 py-2 font-semibold text-white hover:brightness-110"
        >
          Plan a campaign for {clauses.length ? "these" : "all"}
        </Link>
      )}
      {!pathname.endsWith("/customers") && (
        <Link
          to={to("customers")}
          className="rounded-md border border-line px-3 py-1.5 hover:border-quiet"
        >
          List {clauses.length ? `the ${count(answer.lens.customers)}` : "everyone"}
        </Link>
      )}
    </div>
  );
}

function Charts() {
  const { answer, clauses } = useLens();
  if (!answer?.ready) return null;
  return (
    <>
      <div className="mt-2.5 flex items-center justify-between text-11 text-quiet">
        <span>share of {unit.many}</span>
        <ChooseCharts />
      </div>
      {answer.charts.map((chart) => (
        <section key={chart.field} className="mt-2">
          <h3 className="mb-1 text-13">{chart.label}</h3>
          {chart.edges.length > 0 ? <Histogram chart={chart} /> : <LevelBars chart={chart} />}
        </section>
      ))}
      <div className="mt-3 flex flex-wrap gap-x-3 gap-y-1 text-11 text-quiet">
        <span className="inline-flex items-center gap-1">
          <span className="inline-block size-2 bg-everyone" /> everyone
        </span>
        {clauses.length > 0 && (
          <span className="inline-flex items-center gap-1">
            <span className="inline-block size-2 bg-teal" /> in the lens, shares of each
          </span>
        )}
      </div>
    </>
  );
}
