import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";
import { queueWrite } from "@/study/write-queue";
import type { Mark } from "@/study/write-queue";

export type Mapping = Schemas["MappingBody"];

/** What can be done with a file under review, and how its columns are read by now. */
export function useReview(intake: Schemas["IntakeRow"]) {
  const { study } = useStudy();
  const path = { params: { path: { study: study.id, intake: intake.id } } };
  const changed = <T>(send: (headers: Mark) => Promise<T>) =>
    queueWrite(`intake ${intake.id}`, intake.revision, send);
  const map = useLedgerChange((mapping: Mapping) =>
    changed((headers) =>
      data(
        api.PUT("/api/studies/{study}/intakes/{intake}", {
          ...path,
          body: { mapping },
          headers,
        }),
      ),
    ),
  );
  const importFile = useLedgerChange(() =>
    changed((headers) =>
      data(api.POST("/api/studies/{study}/intakes/{intake}/count", { ...path, headers })),
    ),
  );
  const discard = useLedgerChange(() =>
    changed((headers) =>
      data(api.DELETE("/api/studies/{study}/intakes/{intake}", { ...path, headers })),
    ),
  );
  const readAs = useLedgerChange((role: string) =>
    changed((headers) =>
      data(
        api.PUT("/api/studies/{study}/intakes/{intake}/role", { ...path, body: { role }, headers }),
      ),
    ),
  );
  const readIn = useLedgerChange((encoding: string) =>
    changed((headers) =>
      data(
        api.PUT("/api/studies/{study}/intakes/{intake}/encoding", {
          ...path,
          body: { encoding },
          headers,
        }),
      ),
    ),
  );
  const apart = useLedgerChange(() =>
    changed((headers) =>
      data(api.POST("/api/studies/{study}/intakes/{intake}/apart", { ...path, headers })),
    ),
  );
  // Each change goes on from the one before, even where the server has not answered that yet.
  const [draft, setDraft] = useState<Mapping | null>(null);
  const mapping = draft ?? intake.mapping;
  const remap = (next: Mapping) => {
    setDraft(next);
    map.mutate(next, { onError: () => setDraft(null) });
  };
  /** Something that has the columns guessed anew, so what was said of them goes. */
  const anew =
    <T>(change: { mutate: (value: T) => void }) =>
    (value: T) => {
      setDraft(null);
      change.mutate(value);
    };
  return {
    mapping,
    remap,
    importFile,
    discard,
    apart,
    readAs: readAs.isPending ? null : anew(readAs),
    readIn: readIn.isPending ? null : anew(readIn),
  };
}
