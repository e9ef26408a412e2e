import type { SubmitEvent } from "react";

export type Submitted = SubmitEvent<HTMLFormElement>;

/** What was typed into a field of a form; empty where there is none. */
export function typed(form: FormData, name: string): string {
  const value = form.get(name);
  return typeof value === "string" ? value : "";
}
