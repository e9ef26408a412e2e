import { useLens } from "@/lens/context";
import { Select } from "@/ui/select";

/** What columns are: the segments, or the lens beside the rest or everyone. */
export const AGAINST = [
  ["segments", "the segments"],
  ["rest", "the lens and the rest"],
  ["everyone", "the lens beside everyone"],
] as const;
export type Against = (typeof AGAINST)[number][0];

/** Choose what is compared; without a lens there are only the segments. */
export function AgainstChoice(props: { value: Against; onChange: (value: Against) => void }) {
  const { value, onChange } = props;
  const alone = useLens().clauses.length === 0 && value === "segments";
  return (
    <span
      className="flex items-center gap-1.5"
      title={alone ? "Pick somebody, and the lens can be compared with the rest." : undefined}
    >
      <Select
        look="word"
        label="What is compared"
        value={value}
        disabled={alone}
        options={AGAINST}
        onChange={onChange}
      />
    </span>
  );
}
