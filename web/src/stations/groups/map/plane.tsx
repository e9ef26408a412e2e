import { useCallback } from "react";

import { drawCells, push, stamp } from "@/charts/dots";
import { placeOf } from "@/charts/axis";
import { count, inUnit } from "@/charts/format";
import { Scatter } from "@/charts/scatter";
import type { Places } from "@/charts/scatter";
import { useZoom } from "@/charts/use-zoom";
import type { Part } from "@/charts/use-zoom";
import { place, valueClause, withRanges } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { MarkShape } from "@/marks/segment-mark";
import { lassoField } from "@/stations/groups/map/lasso";
import { PointWords, useOpenCustomer } from "@/stations/groups/map/point-words";
import { brushes, shortLabel } from "@/stations/groups/map/points";
import type { Cloud, Plane as Page } from "@/stations/groups/map/points";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

type Axis = Schemas["AxisBody"];

interface Props {
  grouping: number;
  plane: Page;
  cloud: Cloud;
  centres: boolean;
}

/** Two axes with customers as points, the centres of the groups on them; a box narrows the lens. */
export function Plane({ grouping, plane, cloud, centres }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const narrowed = lens.clauses.length > 0;
  const [x, y] = plane.axes;
  const zoom = useZoom(x?.axis, y?.axis);
  const { part, x: across, y: up } = zoom;
  const draw = useCallback(
    (pen: CanvasRenderingContext2D) => {
      if (across && up) drawPlane(pen, plane, cloud, narrowed, { part, x: across, y: up });
    },
    // eslint-disable-next-line react-hooks/exhaustive-deps -- both axes are made of the part
    [plane, cloud, narrowed, part],
  );
  const open = useOpenCustomer();
  if (!x || !y || !across || !up) return null;
  const at = (n: number): [number, number] | null => {
    const [px, py] = placeOn(plane, cloud, n, across, up);
    return px === null || py === null ? null : [px, 1 - py];
  };
  const words = (unit: string) => (value: number) => inUnit(value, unit, study.currency);
  const bare = x.key.startsWith("neighbour");
  return (
    <Scatter
      x={{ label: x.label, axis: across, words: words(x.unit) }}
      y={{ label: y.label, axis: up, words: words(y.unit) }}
      label={`${x.label} across, ${y.label} upwards, ${count(plane.shown)} ${unit.many} coloured by ${plane.colour}`}
      bare={bare ? `Alike ${unit.many} stand side by side; the axes have no unit` : undefined}
      draw={draw}
      zoom={zoom}
      points={{ many: cloud.number.length, at, onOpen: (n) => open(cloud.number[n] ?? 0) }}
      tell={(n) => (
        <PointWords
          number={cloud.number[n] ?? 0}
          group={plane.names[cloud.group[n] ?? 0]?.name ?? ""}
          values={plane.axes.flatMap((axis, m) =>
            bare ? [] : [[shortLabel(axis), words(axis.unit)(cloud.along[m]?.[n] ?? 0)] as const],
          )}
        />
      )}
      onLasso={(corners) =>
        lens.set((now) => place(now, valueClause(lassoField(grouping, plane, corners), "inside")))
      }
      onBox={(across, up) =>
        lens.set((now) =>
          withRanges(now, [
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
  places: Places;
}

function Centres({ x, y, names, places }: CentresProps) {
  return x.map((across, group) => {
    const up = y[group];
    if (across === null || up === null || up === undefined) return null;
    const [px, py] = [places.x(across), places.y(up)];
    if (!places.shows(across, up)) return null;
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

interface Shown {
  part: Part;
  x: Axis;
  y: Axis;
}

/** Where a point stands, in shares of what is shown; null beside it. */
function placeOn(plane: Page, cloud: Cloud, n: number, across: Axis, up: Axis) {
  const number = cloud.number[n] ?? 0;
  return [across, up].map((axis, m) => {
    const push_ = plane.axes[m]?.whole ? 0.8 * push(number, m + 1) : 0;
    const value = (cloud.along[m]?.[n] ?? 0) + push_;
    const whole = plane.axes[m]?.axis;
    const zoomed = whole && (axis.low !== whole.low || axis.high !== whole.high);
    // Beyond the middle 99% points stand at the ends; of a part of it they are left out.
    if (zoomed && (value < axis.low || value > axis.high)) return null;
    return placeOf(value, axis);
  }) as [number | null, number | null];
}

function drawPlane(
  pen: CanvasRenderingContext2D,
  plane: Page,
  cloud: Cloud,
  narrowed: boolean,
  { part, x, y }: Shown,
): void {
  const { canvas } = pen;
  const token = (name: string) => getComputedStyle(canvas).getPropertyValue(name);
  if (plane.cells) {
    const [left, , right, high] = part;
    const nearer = 1 / (right - left);
    pen.save();
    pen.setTransform(
      nearer,
      0,
      0,
      1 / (high - part[1]),
      -left * nearer * canvas.width,
      -((1 - high) / (high - part[1])) * canvas.height,
    );
    pen.fillStyle = token("--color-everyone");
    drawCells(pen, plane.cells, plane.steps);
    pen.restore();
  }
  const brush = brushes(plane, token);
  const many = cloud.number.length;
  const size = many > 6000 ? 2.6 : 3.6;
  const pass = (inside: number, alpha: number) => {
    pen.globalAlpha = alpha;
    for (let n = 0; n < many; n++) {
      if (cloud.inside[n] !== inside) continue;
      const [px, py] = placeOn(plane, cloud, n, x, y);
      if (px === null || py === null) continue;
      const own = brush(cloud.tint[n] ?? 0);
      pen.fillStyle = inside || !narrowed ? own.fill : token("--color-everyone");
      stamp(pen, own.shape, px * canvas.width, canvas.height * (1 - py), size);
    }
  };
  if (narrowed) pass(0, 0.28);
  pass(1, many > 6000 ? 0.45 : 0.6);
}
