import { useMemo } from "react";
import { useSearchParams } from "react-router";

import { useStudy } from "@/study/context";

/** What a request says of the rows: window, and the trait whose levels stand for customers. */
export function useRows(): { to?: string; back?: string; of?: string } {
  const { view } = useStudy();
  const [search] = useSearchParams();
  const of = search.get("of") ?? "";
  return useMemo(() => ({ ...view, ...(of && { of }) }), [view, of]);
}
