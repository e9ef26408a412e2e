import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";

type Query = { to?: string; back?: string; lens?: string };
type Ask<T> = (where: { study: number; query: Query; signal: AbortSignal }) => Promise<T>;

/** One station's page for the window in view (and the lens, and `more` that `ask` goes by). */
export function useStation<T>(key: string, ask: Ask<T>, withLens = false, more = "") {
  const { study, view } = useStudy();
  const { digest } = useLens();
  const lens = withLens ? digest : "";
  return useQuery({
    queryKey: ["study", study.id, key, view, lens, more],
    queryFn: ({ signal }) =>
      ask({ study: study.id, query: { ...view, ...(lens && { lens }) }, signal }),
    placeholderData: keepPreviousData,
  });
}
