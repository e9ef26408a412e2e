import { useMemo } from "react";

import { SHARED, useAddress } from "@/study/address";
import { useStudy } from "@/study/context";

/** What a request says of the rows: window, and the trait whose levels stand for customers. */
export function useRows(): { to?: string; back?: string; of?: string } {
  const { view } = useStudy();
  const [{ of }] = useAddress(SHARED);
  return useMemo(() => ({ ...view, ...(of && { of }) }), [view, of]);
}
