import { useEffect, useRef } from "react";

import { placeOf, valueAt } from "@/charts/axis";
import { inUnit } from "@/charts/format";
import { place, rangeClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { useBox } from "@/charts/use-box";
import { push, stamp } from "@/charts/dots";
import { brushes, shortLabel } from "@/stations/groups/map/points";
import type { Cloud, Plane } from "@/stations/groups/map/points";
import { Ticks } from "@/stations/groups/map/ticks";
import { useStudy } from "@/study/context";

const WIDTH = 172;
const HEIGHT = 129;

/** Every pair of some axes as small panels; the names stand on the diagonal, axes at two sides. */
export function PointMatrix({ plane, cloud }: { plane: Plane; cloud: Cloud }) {
  const { study } = useStudy();
  const many = plane.axes.length;
  return (
    <div
      className="mb-5 ml-9 grid max-w-[704px] gap-1"
      style={{ gridTemplateColumns: `repeat(${many}, minmax(0, 1fr))` }}
      role="group"
      aria-label={`Pairs of ${plane.axes.map((axis) => axis.label).join(", ")}`}
    >
      {plane.axes.map((up, r) =>
        plane.axes.map((across, c) => {
          const words = (value: number, axis: typeof up) =>
            inUnit(value, axis.unit, study.currency);
          return r === c ? (
            <div
              key={`${r}-${c}`}
              className="relative grid aspect-4/3 place-content-center rounded border border-line bg-paper p-1 text-center text-12"
            >
              {r === many - 1 && <Ticks axis={across} below />}
              {c === 0 && <Ticks axis={up} />}
              <b className="font-semibold break-words">{shortLabel(up)}</b>
              <span className="text-11 text-quiet">
                {words(up.axis.low, up)} to {words(up.axis.high, up)}
                {up.axis.log && ", log"}
              </span>
            </div>
          ) : (
            <Panel
              key={`${r}-${c}`}
              plane={plane}
              cloud={cloud}
              across={c}
              up={r}
              title={`${across.label} across, ${up.label} upwards`}
              edges={[r === many - 1, c === 0]}
            />
          );
        }),
      )}
    </div>
  );
}

interface PanelProps {
  plane: Plane;
  cloud: Cloud;
  across: number;
  up: number;
  title: string;
  /** Whether the values stand below and at the left of it. */
  edges: [boolean, boolean];
}

function Panel({ plane, cloud, across, up, title, edges }: PanelProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const lens = useLens();
  const narrowed = lens.clauses.length > 0;
  const [x, y] = [plane.axes[across], plane.axes[up]];
  const box = useBox((range) => {
    if (!x || !y) return;
    let clauses = lens.clauses;
    const ends = [
      [x.field, valueAt(range[0], x.axis), valueAt(range[2], x.axis)],
      [y.field, valueAt(1 - range[3], y.axis), valueAt(1 - range[1], y.axis)],
    ] as const;
    for (const [field, low, high] of ends)
      clauses = place(
        clauses,
        rangeClause(field, [Number(low.toPrecision(4)), Number(high.toPrecision(4))]),
      );
    lens.set(clauses);
  });
  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen || !canvas.current || !x || !y) return;
    const token = (name: string) => getComputedStyle(pen.canvas).getPropertyValue(name);
    const brush = brushes(plane, token);
    const pale = token("--color-everyone");
    const { width, height } = canvas.current;
    pen.clearRect(0, 0, width, height);
    for (const inside of narrowed ? [0, 1] : [1])
      for (let n = 0; n < cloud.number.length; n++) {
        if (cloud.inside[n] !== inside) continue;
        const number = cloud.number[n] ?? 0;
        const own = brush(cloud.tint[n] ?? 0);
        const a = (cloud.along[across]?.[n] ?? 0) + (x.whole ? 0.8 * push(number, 1) : 0);
        const b = (cloud.along[up]?.[n] ?? 0) + (y.whole ? 0.8 * push(number, 2) : 0);
        pen.globalAlpha = narrowed && !inside ? 0.25 : 0.5;
        pen.fillStyle = narrowed && !inside ? pale : own.fill;
        stamp(pen, own.shape, placeOf(a, x.axis) * width, height * (1 - placeOf(b, y.axis)), 2.2);
      }
  }, [plane, cloud, x, y, across, up, narrowed]);
  return (
    <div className="relative aspect-4/3 rounded border border-line" title={title}>
      <canvas
        ref={canvas}
        width={WIDTH * 2}
        height={HEIGHT * 2}
        role="img"
        aria-label={title}
        className="size-full cursor-crosshair touch-none"
        {...box.handlers}
      />
      {edges[0] && x && <Ticks axis={x} below />}
      {edges[1] && y && <Ticks axis={y} />}
      {box.box && (
        <span
          className="pointer-events-none absolute border border-dashed border-teal bg-teal/10"
          style={{
            left: `${100 * box.box[0]}%`,
            top: `${100 * box.box[1]}%`,
            width: `${100 * (box.box[2] - box.box[0])}%`,
            height: `${100 * (box.box[3] - box.box[1])}%`,
          }}
        />
      )}
    </div>
  );
}
