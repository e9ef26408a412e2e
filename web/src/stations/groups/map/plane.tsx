import { useCallback } from "react";

import { drawCells, push, stamp } from "@/charts/dots";
import { placeOf } from "@/charts/axis";
import { count, inUnit } from "@/charts/format";
import { Scatter } from "@/charts/scatter";
import { withRanges } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { MarkShape } from "@/marks/segment-mark";
import { brushes } from "@/stations/groups/map/points";
import type { Cloud, Plane as Page } from "@/stations/groups/map/points";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

interface Props {
  plane: Page;
  cloud: Cloud;
  centres: boolean;
}

/** Two axes with customers as points, the centres of the groups on them; a box narrows the lens. */
export function Plane({ plane, cloud, centres }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const narrowed = lens.clauses.length > 0;
  const draw = useCallback(
    (pen: CanvasRenderingContext2D) => drawPlane(pen, plane, cloud, narrowed),
    [plane, cloud, narrowed],
  );
  const [x, y] = plane.axes;
  if (!x || !y) return null;
  const words = (unit: string) => (value: number) => inUnit(value, unit, study.currency);
  const bare = x.key.startsWith("neighbour");
  return (
    <Scatter
      x={{ label: x.label, axis: x.axis, words: words(x.unit) }}
      y={{ label: y.label, axis: y.axis, words: words(y.unit) }}
      label={`${x.label} across, ${y.label} upwards, ${count(plane.shown)} ${unit.many} coloured by ${plane.colour}`}
      bare={bare ? `Alike ${unit.many} stand side by side; the axes have no unit` : undefined}
      draw={draw}
      onBox={(across, up) =>
        lens.set(
          withRanges(lens.clauses, [
            [x.field, across],
            [y.field, up],
          ]),
        )
      }
    >
      {(places) =>
        centres && <Centres x={x.centres} y={y.centres} names={plane.names} places={places} />
      }
    </Scatter>
  );
}

interface CentresProps {
  x: (number | null)[];
  y: (number | null)[];
  names: Page["names"];
  places: { x: (value: number) => number; y: (value: number) => number };
}

function Centres({ x, y, names, places }: CentresProps) {
  return x.map((across, group) => {
    const up = y[group];
    if (across === null || up === null || up === undefined) return null;
    const [px, py] = [places.x(across), places.y(up)];
    const mark = names[group]?.mark ?? null;
    return (
      <g key={group}>
        <circle
          cx={px}
          cy={py}
          r={9.5}
          fill="var(--color-card)"
          stroke="var(--color-ink)"
          strokeWidth={2}
        />
        {mark === null ? (
          <text x={px} y={py + 4} fontSize={11} fontWeight={700} textAnchor="middle">
            {group + 1}
          </text>
        ) : (
          <MarkShape mark={mark} x={px} y={py} size={15} />
        )}
        <title>{names[group]?.name}</title>
      </g>
    );
  });
}

function drawPlane(
  pen: CanvasRenderingContext2D,
  plane: Page,
  cloud: Cloud,
  narrowed: boolean,
): void {
  const [x, y] = plane.axes;
  const [along, up] = cloud.along;
  if (!x || !y || !along || !up) return;
  const { canvas } = pen;
  const token = (name: string) => getComputedStyle(canvas).getPropertyValue(name);
  if (plane.cells) {
    pen.fillStyle = token("--color-everyone");
    drawCells(pen, plane.cells, plane.steps);
  }
  const brush = brushes(plane, token);
  const many = cloud.number.length;
  const size = many > 6000 ? 2.6 : 3.6;
  const spread = [x.whole ? 0.8 : 0, y.whole ? 0.8 : 0] as const;
  const pass = (inside: number, alpha: number) => {
    pen.globalAlpha = alpha;
    for (let n = 0; n < many; n++) {
      if (cloud.inside[n] !== inside) continue;
      const number = cloud.number[n] ?? 0;
      const own = brush(cloud.tint[n] ?? 0);
      pen.fillStyle = inside || !narrowed ? own.fill : token("--color-everyone");
      const px = placeOf((along[n] ?? 0) + spread[0] * push(number, 1), x.axis) * canvas.width;
      const py = placeOf((up[n] ?? 0) + spread[1] * push(number, 2), y.axis) * canvas.height;
      stamp(pen, own.shape, px, canvas.height - py, size);
    }
  };
  if (narrowed) pass(0, 0.28);
  pass(1, many > 6000 ? 0.45 : 0.6);
}
