import type { Schemas } from "@/api/client";
import { Select } from "@/ui/select";

const MARGINS = [
  ["0", "nothing"],
  ["0.1", "a margin of 0.1"],
  ["0.2", "a margin of 0.2"],
  ["0.3", "a margin of 0.3"],
  ["0.5", "a margin of 0.5"],
] as const;

/** Keep customers in their segment until another fits clearly better, and what that takes away. */
export function Hold({
  hold,
  price,
  onHold,
}: {
  hold: number;
  price: Schemas["Price"] | null | undefined;
  onHold: (hold: number) => void;
}) {
  return (
    <div className="flex flex-wrap items-center gap-1.5 text-12">
      <label className="flex items-center gap-1.5">
        <span className="text-quiet">
          A customer stays in its segment until another beats it by
        </span>
        <Select
          look="word"
          value={String(hold)}
          options={MARGINS}
          onChange={(margin) => onHold(Number(margin))}
        />
      </label>
      {hold > 0 && price && (
        <span aria-live="polite">
          This takes away <b className="font-semibold">{share(price.chance)}</b> of the moves that
          chance makes between segments, and <b className="font-semibold">{share(price.real)}</b> of
          those told as real.
        </span>
      )}
    </div>
  );
}

function share(value: number): string {
  return `${(100 * value).toFixed(0)}%`;
}
