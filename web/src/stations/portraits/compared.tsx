import { SEGMENT, valueClause } from "@/lens/clauses";
import type { Clause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import type { Schemas } from "@/api/client";
import { useAddress, word } from "@/study/address";
import { chosen } from "@/ui/chosen";
import { Select } from "@/ui/select";

/** What columns are: the segments, or the lens beside the rest or everyone. */
const AGAINST = [
  ["segments", "the segments"],
  ["rest", "the lens and the rest"],
  ["everyone", "the lens beside everyone"],
] as const;

const COMPARED = { against: word };

/** What is compared, from the address, and how a request asks for it. */
export function useCompared() {
  const [at, put] = useAddress(COMPARED);
  const against = chosen(AGAINST, at.against);
  const byLens = against !== "segments";
  return { against, byLens, asked: byLens ? { against } : {}, put };
}

/** Choose what is compared; without a lens there are only the segments. */
export function AgainstChoice({ onChange }: { onChange?: () => void }) {
  const { against, byLens, put } = useCompared();
  const alone = useLens().clauses.length === 0 && !byLens;
  return (
    <span
      className="flex items-center gap-1.5"
      title={alone ? "Pick somebody, and the lens can be compared with the rest." : undefined}
    >
      <Select
        look="word"
        label="What is compared"
        value={against}
        disabled={alone}
        options={AGAINST}
        onChange={(next) => {
          onChange?.();
          void put({ against: next === "segments" ? null : next });
        }}
      />
    </span>
  );
}

/** A column's customers, as a lens; the lens and the rest have no clause of their own. */
export function customersOf(head: Pick<Schemas["ColumnHead"], "number" | "mark">): Clause[] {
  return head.mark === null ? [] : [valueClause(SEGMENT, String(head.number))];
}
