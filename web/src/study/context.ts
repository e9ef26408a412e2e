import { createContext, useContext } from "react";

import type { Schemas } from "@/api/client";
import { money } from "@/charts/format";

export interface StudyInView {
  study: Schemas["StudyRow"];
  window: Schemas["WindowRow"] | null;
  /** What a request says of window and lens. */
  view: { to?: string; back?: string };
  canChange: boolean;
  undo: () => void;
}

export const StudyContext = createContext<StudyInView | null>(null);

/** The study and the window in view, for everything within the frame. */
export function useStudy(): StudyInView {
  const value = useContext(StudyContext);
  if (!value) throw new Error("This belongs inside a study.");
  return value;
}

/** Writes money of the study; in short where every penny would be noise. */
export function useMoney(form: "short" | "exact"): (value: number) => string {
  const { study } = useStudy();
  return (value) => money(value, study.scale, study.currency, form === "short");
}
