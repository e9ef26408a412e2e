import { CrossTable } from "@/stations/portraits/against/cross-table";
import { First } from "@/stations/portraits/against/first";
import { Multiples } from "@/stations/portraits/against/multiples";
import { KINDS, useAgainstAddress } from "@/stations/portraits/against/use-against";
import { AgainstChoice } from "@/stations/portraits/compared";
import { Choice } from "@/ui/choice";

/** What the segments are set against, and what is compared. */
export function AgainstChoices() {
  const { kind, put } = useAgainstAddress();
  return (
    <div className="flex flex-wrap items-center gap-2 text-12">
      <AgainstChoice />
      <Choice
        label="What the segments are set against"
        choices={KINDS}
        value={kind}
        onChoose={(next) => void put({ kind: next === "table" ? null : next })}
      />
    </div>
  );
}

/** Against: segments by a category, by two measures, and their first customers. */
export function AgainstView() {
  const { kind } = useAgainstAddress();
  if (kind === "multiples") return <Multiples />;
  return kind === "first" ? <First /> : <CrossTable />;
}
