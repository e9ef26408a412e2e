import { useIsFetching } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Outlet, useLocation, useNavigate, useParams } from "react-router";

import type { Schemas } from "@/api/client";
import { Dock } from "@/lens/dock";
import { LensOnPaper } from "@/lens/on-paper";
import { LensProvider, useLens } from "@/lens/context";
import { place } from "@/lens/clauses";
import { mayComeBack } from "@/api/client";
import { StudyContext } from "@/study/context";
import { KeysCard, useKeys } from "@/study/keys";
import { useHistorySteps, usePulse, useTrail } from "@/study/queries";
import { SessionEnded } from "@/study/session-ended";
import { callRows, unit } from "@/study/unit";
import { useKeptScroll } from "@/study/use-kept-scroll";
import { TopBar } from "@/study/top-bar";
import { Trail } from "@/study/trail";
import { SHARED, useAddress, useElsewhere } from "@/study/address";
import { Failed, Waiting } from "@/ui/status";

/** The frame of a study: top bar, trail, the station, the lens. */
export function Frame() {
  const { study: number } = useParams();
  const [{ to, back }] = useAddress(SHARED);
  const id = Number(number);
  const asked = useMemo(() => ({ ...(to && { to }), ...(back && { back }) }), [to, back]);
  const trail = useTrail(id, asked);
  const { undo } = useHistorySteps(id);
  const inView = useMemo(() => {
    if (!trail.data) return null;
    const { study, window } = trail.data;
    callRows(study.unit, study.units);
    const view = window ? { to: window.to, back: window.back } : asked;
    return { study, window, view, canChange: study.role !== "reader", undo };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- undo is stable in effect
  }, [trail.data, asked]);
  // What is on the screen stays while its answer may come back: after signing in, or by itself.
  if (trail.isError && !(trail.data && mayComeBack(trail.error))) {
    return (
      <main className="mx-auto mt-16 max-w-xl p-6">
        <Failed
          words={trail.error.message}
          action={
            <a className="text-copper underline" href="/#all">
              All studies
            </a>
          }
        />
      </main>
    );
  }
  if (!inView || !trail.data) return <Waiting height={100} />;
  return (
    <StudyContext.Provider value={inView}>
      <LensProvider>
        <Inside trail={trail.data} />
        <SessionEnded />
      </LensProvider>
    </StudyContext.Provider>
  );
}

/** Pages of a study that are no stations. */
const PAGES: Record<string, () => string> = {
  customers: () => unit.Many,
  customer: () => unit.One,
  receipt: () => "Receipt",
};

/** The browser's tab says which page of which study it is. */
function useTitle({ study, stations }: Schemas["Trail"]) {
  const page = useLocation().pathname.split("/")[3] ?? "";
  const name = stations.find((each) => each.key === page)?.name ?? PAGES[page]?.() ?? "";
  useEffect(() => {
    document.title = [name, study.name, "Sortija"].filter(Boolean).join(" · ");
    return () => {
      document.title = "Sortija";
    };
  }, [name, study.name]);
}

const LATE_AFTER = 400;
/** Pages on which the lens has no place of its own: see the dock. */
const OVER_THE_PAGE = "(width < 1200px)";

/** Whether figures on the screen are known to be of before, and the answer takes its time. */
function useLate(study: number): boolean {
  const asking = useIsFetching({
    queryKey: ["study", study],
    predicate: (query) =>
      query.isActive() &&
      query.queryKey[2] !== "trail" &&
      (query.state.isInvalidated || query.state.data === undefined),
  });
  const [late, setLate] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setLate(asking > 0), asking > 0 ? LATE_AFTER : 0);
    return () => clearTimeout(timer);
  }, [asking]);
  return late;
}

/** What the log lacks of the window in view, where it does not cover it whole. */
function Coverage({ window }: { window: Schemas["Trail"]["window"] }) {
  const atLedger = useLocation().pathname.endsWith("/ledger");
  if (!window?.covered || atLedger) return null;
  return (
    <p role="note" className="mb-3 border-l-2 border-below bg-card px-3 py-2 text-12">
      <b className="font-semibold">
        {window.covered.charAt(0).toUpperCase() + window.covered.slice(1)}.
      </b>{" "}
      <span className="text-quiet">
        Sums and counts of this window are lower for that reason alone; it is compared with no other
        window.
      </span>
    </p>
  );
}

/** Whether the lens is folded: at first, and whenever the page narrows, where it would lie over it. */
function useFolded() {
  const [folded, setFolded] = useState(() => matchMedia(OVER_THE_PAGE).matches);
  useEffect(() => {
    const over = matchMedia(OVER_THE_PAGE);
    const follow = () => setFolded(over.matches);
    over.addEventListener("change", follow);
    return () => over.removeEventListener("change", follow);
  }, []);
  return [folded, setFolded] as const;
}

function Inside({ trail }: { trail: Schemas["Trail"] }) {
  const navigate = useNavigate();
  const [, put] = useAddress(SHARED);
  const [folded, setFolded] = useFolded();
  const [keys, setKeys] = useState(false);
  const [keeping, setKeeping] = useState(false);
  const pulse = usePulse(trail.study.id);
  const steps = useHistorySteps(trail.study.id);
  const lens = useLens();
  const elsewhere = useElsewhere();
  const late = useLate(trail.study.id);
  const main = useRef<HTMLElement>(null);
  useTitle(trail);
  useKeptScroll(main, "station");
  const onWindow = useCallback((to: string, back: string) => void put({ to, back }), [put]);
  const act = (key: string) => {
    const station = trail.stations[Number(key) - 1];
    const last = lens.clauses.at(-1);
    if (/^[1-7]$/.test(key) && station) void navigate({ pathname: station.key, search: elsewhere });
    else if (key === "l") setFolded((value) => !value);
    else if (key === "c") lens.set([]);
    else if (key === "k") {
      setFolded(false);
      setKeeping(true);
    } else if (key === "!" && last)
      lens.set(place(lens.clauses, { ...last, negated: !last.negated }));
    else if (key === "z") steps.undo();
    else if (key === "Z") steps.redo();
    else if (key === "?") setKeys(true);
    else if ((key === "," || key === ".") && trail.window) {
      onWindow(key === "," ? trail.window.earlier : trail.window.later, trail.window.back);
    }
  };
  useKeys(act);
  return (
    <div className="flex h-screen flex-col small:h-auto small:min-h-screen print:block print:h-auto">
      <a
        href="#station"
        className="sr-only z-50 rounded-md bg-ink px-3 py-2 text-white focus:not-sr-only focus:absolute focus:top-2 focus:left-2 focus:px-3 focus:py-2"
        onClick={(event) => {
          event.preventDefault();
          document.getElementById("station")?.focus();
        }}
      >
        Skip to the station
      </a>
      <TopBar
        study={trail.study}
        window={trail.window}
        backs={trail.backs}
        years={trail.years}
        jobs={pulse.data?.jobs ?? []}
        onWindow={onWindow}
        onKeys={() => setKeys(true)}
      />
      <Trail stations={trail.stations} />
      <div className="relative flex min-h-0 flex-1 print:block">
        <main
          ref={main}
          id="station"
          tabIndex={-1}
          className="min-w-0 flex-1 overflow-y-auto p-3.5 outline-none small:overflow-y-visible small:p-2 small:pb-16 print:p-0"
        >
          <div
            className={`@container/station ${late ? "stale-over" : ""}`}
            data-testid={late ? "out-of-date" : undefined}
          >
            <LensOnPaper />
            <Coverage window={trail.window} />
            <Outlet />
          </div>
        </main>
        <Dock
          folded={folded}
          onFold={() => setFolded((value) => !value)}
          keeping={keeping}
          onKeeping={setKeeping}
        />
      </div>
      <KeysCard open={keys} onClose={() => setKeys(false)} />
    </div>
  );
}
