import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Row } from "@/stations/campaigns/types";
import { inHundred } from "@/stations/campaigns/words";
import { useStudy } from "@/study/context";
import { Input } from "@/ui/input";

/** What a list of another size would prove, with the same share held out. */
export function OfSize({ row }: { row: Row }) {
  const { study } = useStudy();
  const [typed, setTyped] = useState("");
  const customers = Number(typed.replace(/[, ]/g, ""));
  const asked = Number.isInteger(customers) && customers > 0 && customers <= 1e8;
  const found = useQuery({
    queryKey: ["study", study.id, "campaign proof", row.id, row.revision, customers],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/campaigns/{campaign}/proof", {
          params: { path: { study: study.id, campaign: row.id }, query: { customers } },
          signal,
        }),
      ),
    enabled: asked,
  });
  const effect = found.data?.effect;
  return (
    <label className="mt-1.5 flex flex-wrap items-center gap-1.5 text-12 text-quiet">
      A list of
      <Input
        inputMode="numeric"
        className="w-20 text-12"
        value={typed}
        placeholder={String(Math.max(1000, 2 * (row.written + row.held)))}
        onChange={(event) => setTyped(event.target.value)}
      />
      customers would find{" "}
      <span aria-live="polite">
        {effect === undefined
          ? "…"
          : effect === null
            ? "no rise: it cannot be measured."
            : `a rise of ${inHundred(effect)} points.`}
      </span>
    </label>
  );
}
