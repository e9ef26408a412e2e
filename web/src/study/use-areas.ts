import { useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import type { Corner } from "@/charts/areas";
import { useStudy } from "@/study/context";

/** The districts of the study with their outlines, and the trait that they are called by. */
export function useAreas() {
  const { study } = useStudy();
  return useQuery({
    queryKey: ["study", study.id, "areas"],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/ledger/districts", { params: { path: { study: study.id } } }),
      ),
  });
}

/** A district's rings, as a drawing takes them. */
export function ringsOf(area: Schemas["AreaRow"]): Corner[][] {
  return area.rings as Corner[][];
}
