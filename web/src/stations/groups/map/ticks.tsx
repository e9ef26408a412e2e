import { placeOf, ticksOf } from "@/charts/axis";
import { inUnit } from "@/charts/format";
import type { Plane } from "@/stations/groups/map/points";
import { useStudy } from "@/study/context";

type Axis = Plane["axes"][number];
/** Values nearer to each other than this, as a share of the panel, would run together. */
const APART = 0.13;

function apart(axis: Axis): number[] {
  const kept: number[] = [];
  for (const tick of ticksOf(axis.axis, 2)) {
    const last = kept.at(-1);
    if (last === undefined || placeOf(tick, axis.axis) - placeOf(last, axis.axis) >= APART)
      kept.push(tick);
  }
  return kept;
}

/** The values of an axis outside a small panel, below it or at its left. Each is moved back by as
 * much of its own size as it stands along, so that none reaches into the next panel. */
export function Ticks({ axis, below = false }: { axis: Axis; below?: boolean }) {
  const { study } = useStudy();
  return apart(axis).map((tick) => {
    const along = `${100 * placeOf(tick, axis.axis)}%`;
    return (
      <span
        key={tick}
        className={`absolute text-11 text-quiet ${below ? "top-full" : "right-full pr-1"}`}
        style={
          below
            ? { left: along, transform: `translateX(-${along})` }
            : { bottom: along, transform: `translateY(${along})` }
        }
      >
        {inUnit(tick, axis.unit, study.currency)}
      </span>
    );
  });
}
