import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import type { ReactNode } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { joined, picked } from "@/lens/clauses";
import type { Clause, Pick } from "@/lens/clauses";
import { useStudy } from "@/study/context";
import { useNotice } from "@/ui/notices";
import { SHARED, useAddress } from "@/study/address";

export interface LensInView {
  digest: string;
  clauses: Clause[];
  answer: Schemas["LensAnswer"] | undefined;
  fields: Schemas["FieldRow"][];
  set: (next: Next) => void;
  pick: (field: string, pick: Pick, add: boolean) => void;
  /** Look at these customers alone, or, adding, at what is looked at and these together. */
  take: (clauses: Clause[], add: boolean) => void;
  /** Try a clause without taking it: the dock says what the lens would be. */
  preview: (clause: Clause | null) => void;
  chart: (field: string) => Schemas["BarChart"] | undefined;
  /** Fields of the dock's charts, in their order. */
  charts: string[];
  /** The window whose money the dock tells, where a station asks for another one. */
  spend: Spend | null;
  setSpend: (spend: Spend | null) => void;
}

/** The lens to be, or how it comes of the one that was picked last. */
type Next = Clause[] | ((now: Clause[]) => Clause[]);

export interface Spend {
  window: string;
  words: string;
}

const Context = createContext<LensInView | null>(null);
const PREVIEW_AFTER = 150;
const NONE: Clause[] = [];

export function useLens(): LensInView {
  const value = useContext(Context);
  if (!value) throw new Error("This belongs inside a study.");
  return value;
}

function useKept(study: number, digest: string): Clause[] | undefined {
  const kept = useQuery({
    queryKey: ["kept lens", study, digest],
    queryFn: () =>
      data(api.GET("/api/studies/{study}/lens/{digest}", { params: { path: { study, digest } } })),
    enabled: digest !== "",
    staleTime: Infinity,
  });
  return digest === "" ? NONE : kept.data?.clauses;
}

/** While a station stands on the screen, the dock tells the money of this window. */
export function useSpendOf(window: string, words: string): void {
  const { setSpend } = useLens();
  useEffect(() => {
    setSpend(window ? { window, words } : null);
    return () => setSpend(null);
  }, [setSpend, window, words]);
}

/** The usual charts of the dock: recency, then the first categories that the study has. */
function dockCharts(fields: Schemas["FieldRow"][]): string[] {
  const recency = fields.filter((field) => field.field === "measure:recency");
  const kept = (field: Schemas["FieldRow"]) => field.field.startsWith("kept:");
  const categories = fields
    .filter((field) => field.kind === "category" && !kept(field))
    .slice(0, 2);
  return [...recency, ...categories].map((field) => field.field);
}

/** A preview ends with its pointing, even where what was pointed at is gone from the page. */
function useEndOfTrying(trying: boolean, end: () => void) {
  const latest = useRef(end);
  useEffect(() => {
    latest.current = end;
  });
  useEffect(() => {
    if (!trying) return;
    const hovered = [...document.querySelectorAll(":hover")].at(-1);
    const focused = document.activeElement;
    const moved = (event: Event) => {
      const there = [hovered, focused].some(
        (mark) => mark?.isConnected && event.target instanceof Node && mark.contains(event.target),
      );
      if (!there && !hovered?.isConnected) latest.current();
    };
    document.addEventListener("pointermove", moved);
    document.addEventListener("focusin", moved);
    return () => {
      document.removeEventListener("pointermove", moved);
      document.removeEventListener("focusin", moved);
    };
  }, [trying]);
}

/** One selection of customers for every station; it stands in the address, so Back steps it. */
export function LensProvider({ children }: { children: ReactNode }) {
  const { study, view } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const [{ lens: digest }, put] = useAddress(SHARED);
  const clauses = useKept(study.id, digest);
  const [tried, setTried] = useState<Clause | null>(null);
  const [spend, setSpend] = useState<Spend | null>(null);
  const timer = useRef(0);
  const path = { params: { path: { study: study.id }, query: view } };

  const fields = useQuery({
    queryKey: ["study", study.id, "fields", view],
    queryFn: () => data(api.GET("/api/studies/{study}/fields", path)),
    placeholderData: keepPreviousData,
  });
  const charts = useMemo(() => {
    const { fields: all = [], dock = [] } = fields.data ?? {};
    const own = dock.filter((field) => all.some((row) => row.field === field));
    return own.length > 0 ? own : dockCharts(all);
  }, [fields.data]);
  const ask = useCallback(
    (asked: Clause[], preview: Clause | null, signal?: AbortSignal) =>
      data(
        api.POST("/api/studies/{study}/lens", {
          ...path,
          body: { clauses: asked, charts, preview, spend: spend?.window ?? "" },
          signal,
        }),
      ),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- path is made of these
    [study.id, view, charts, spend?.window],
  );
  const answer = useQuery({
    queryKey: ["study", study.id, "lens", view, spend?.window ?? "", digest, charts, tried],
    queryFn: ({ signal }) => ask(clauses ?? NONE, tried, signal),
    enabled: clauses !== undefined && fields.data !== undefined,
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.ready === false && view.to ? 700 : false),
  });

  const asking = useRef<AbortController | null>(null);
  // What was picked last, while the lens is still on its way: a second pick builds on it.
  const wanted = useRef<Clause[] | null>(null);
  const set = useCallback(
    (asked: Next) => {
      const next = typeof asked === "function" ? asked(wanted.current ?? clauses ?? NONE) : asked;
      wanted.current = next;
      window.clearTimeout(timer.current); // what is taken need not be tried any more
      asking.current?.abort();
      asking.current = new AbortController();
      const go = (to: string) => void put({ lens: to });
      setTried(null);
      if (next.length === 0) {
        go("");
        return;
      }
      ask(next, null, asking.current.signal).then(
        (found) => {
          queries.setQueryData(["kept lens", study.id, found.digest], { clauses: next });
          queries.setQueryData(
            ["study", study.id, "lens", view, spend?.window ?? "", found.digest, charts, null],
            found,
          );
          go(found.digest);
        },
        (problem: unknown) => {
          if (!(problem instanceof Error) || problem.name === "AbortError") return;
          wanted.current = null;
          say(problem.message, { trouble: true });
        },
      );
    },
    [ask, charts, clauses, put, queries, say, spend?.window, study.id, view],
  );
  const preview = useCallback((clause: Clause | null) => {
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => setTried(clause), clause ? PREVIEW_AFTER : 60);
  }, []);
  useEffect(() => () => window.clearTimeout(timer.current), []);
  useEndOfTrying(tried !== null, () => preview(null));

  useEffect(() => {
    wanted.current = null;
  }, [digest, clauses]);

  const value = useMemo<LensInView>(
    () => ({
      digest,
      clauses: clauses ?? NONE,
      answer: answer.data,
      fields: fields.data?.fields ?? [],
      set,
      pick: (field, pick, add) => set((now) => picked(now, field, pick, add)),
      take: (next, add) => set((now) => (add ? joined(now, next) : next)),
      preview,
      charts,
      spend,
      setSpend,
      chart: (field) => answer.data?.charts.find((chart) => chart.field === field),
    }),
    [digest, clauses, answer.data, fields.data, set, preview, charts, spend],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
