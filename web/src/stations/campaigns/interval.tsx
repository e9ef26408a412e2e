import { placeOf } from "@/charts/axis";
import { Picture } from "@/charts/picture";
import { points } from "@/stations/campaigns/words";
import { Column } from "@/ui/table";

const WIDTH = 180;

interface IntervalProps {
  low: number;
  high: number;
  at: number;
  axis: { low: number; high: number; log: boolean };
}

/** An effect with its interval, and where none would be. */
function Interval({ low, high, at, axis }: IntervalProps) {
  const x = (value: number) => 4 + placeOf(value, axis) * (WIDTH - 8);
  return (
    <Picture
      width={WIDTH}
      height={18}
      viewBox={`0 0 ${WIDTH} 18`}
      label={`${points(low)} to ${points(high)}`}
    >
      <path d={`M4 9H${WIDTH - 4}`} stroke="var(--color-line)" />
      <path d={`M${x(0)} 1V17`} stroke="var(--color-quiet)" />
      <path d={`M${x(low)} 9H${x(high)}`} stroke="var(--color-ink)" strokeWidth={2} />
      <circle cx={x(at)} cy={9} r={4.5} fill="var(--color-ink)" />
    </Picture>
  );
}

/** The heads of `EffectCells`. */
export function EffectHeads() {
  return (
    <>
      <Column className="pl-3">
        <span className="sr-only">interval</span>
      </Column>
      <Column figures>points</Column>
    </>
  );
}

/** An effect as a mark with its interval, and as a number. */
export function EffectCells(effect: IntervalProps) {
  return (
    <>
      <td className="pl-3">
        <Interval {...effect} />
      </td>
      <td className="text-right">{points(effect.at)}</td>
    </>
  );
}
