import { useEffect, useRef, useState } from "react";
import type { PointerEvent } from "react";

import { placeOf, ticksOf, valueAt } from "@/charts/axis";
import { count, inUnit } from "@/charts/format";
import { place } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { brushes, push, stamp } from "@/stations/groups/map/points";
import type { Cloud, Plane as Page } from "@/stations/groups/map/points";
import { useStudy } from "@/study/context";

const W = 600;
const H = 400;
const LEFT = 62;
const FOOT = 38;

interface Props {
  plane: Page;
  cloud: Cloud;
  centres: boolean;
}

/** Two axes with customers as points, the centres of the groups on them; a box narrows the lens. */
export function Plane({ plane, cloud, centres }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [x, y] = plane.axes as [Page["axes"][number], Page["axes"][number]];
  const box = useBox((range) => {
    let clauses = lens.clauses;
    [
      [valueAt(range[0], x.axis), valueAt(range[2], x.axis)],
      [valueAt(1 - range[3], y.axis), valueAt(1 - range[1], y.axis)],
    ].forEach((ends, n) => {
      const field = (n === 0 ? x : y).field;
      const rounded = ends.map((v) => Number(v.toPrecision(4))) as [number, number];
      clauses = place(clauses, {
        field,
        values: [],
        ranges: [rounded],
        negated: false,
        window: "",
      });
    });
    lens.set(clauses);
  });
  const narrowed = lens.clauses.length > 0;
  useEffect(() => {
    if (canvas.current) draw(canvas.current, plane, cloud, narrowed);
  }, [plane, cloud, narrowed]);
  const words = (value: number, axis: Page["axes"][number]) =>
    inUnit(value, axis.unit, study.currency);
  const bare = x.key.startsWith("neighbour");
  return (
    <div className="relative">
      <svg
        viewBox={`0 0 ${LEFT + W + 8} ${H + FOOT + 8}`}
        className="block w-full"
        role="img"
        aria-label={`${x.label} across, ${y.label} upwards, ${count(plane.shown)} customers coloured by ${plane.colour}`}
      >
        <rect x={LEFT} y={8} width={W} height={H} fill="none" stroke="var(--color-line)" />
        <g fontSize={12} className="[&_text]:fill-quiet">
          {!bare &&
            ticksOf(x.axis, 6).map((tick) => (
              <text key={tick} x={LEFT + placeOf(tick, x.axis) * W} y={H + 23} textAnchor="middle">
                {words(tick, x)}
              </text>
            ))}
          {!bare &&
            ticksOf(y.axis, 6).map((tick) => (
              <text
                key={tick}
                x={LEFT - 6}
                y={8 + H - placeOf(tick, y.axis) * H + 4}
                textAnchor="end"
              >
                {words(tick, y)}
              </text>
            ))}
          <text x={LEFT + W / 2} y={H + 41} textAnchor="middle" fontWeight={600}>
            {bare ? "Alike customers stand side by side; the axes have no unit" : x.label}
            {x.axis.log && ", log scale"}
          </text>
          {!bare && (
            <text
              transform={`translate(12 ${8 + H / 2}) rotate(-90)`}
              textAnchor="middle"
              fontWeight={600}
            >
              {y.label}
              {y.axis.log && ", log scale"}
            </text>
          )}
        </g>
      </svg>
      <canvas
        ref={canvas}
        width={W * 2}
        height={H * 2}
        className="absolute cursor-crosshair touch-none"
        style={frame}
        {...box.handlers}
      />
      <svg viewBox={`0 0 ${W} ${H}`} className="pointer-events-none absolute" style={frame}>
        {centres &&
          x.centres.map((cx, g) => {
            const cy = y.centres[g];
            if (cx === null || cy === null || cy === undefined) return null;
            const [px, py] = [placeOf(cx, x.axis) * W, H - placeOf(cy, y.axis) * H];
            return (
              <g key={g}>
                <circle
                  cx={px}
                  cy={py}
                  r={9.5}
                  fill="var(--color-card)"
                  stroke="var(--color-ink)"
                  strokeWidth={2}
                />
                <text x={px} y={py + 4} fontSize={11} fontWeight={700} textAnchor="middle">
                  {g + 1}
                </text>
              </g>
            );
          })}
        {box.range && (
          <rect
            x={box.range[0] * W}
            y={box.range[1] * H}
            width={(box.range[2] - box.range[0]) * W}
            height={(box.range[3] - box.range[1]) * H}
            fill="var(--color-teal)"
            fillOpacity={0.12}
            stroke="var(--color-teal)"
            strokeDasharray="4 3"
          />
        )}
      </svg>
    </div>
  );
}

const frame = {
  left: `${(100 * LEFT) / (LEFT + W + 8)}%`,
  top: `${(100 * 8) / (H + FOOT + 8)}%`,
  width: `${(100 * W) / (LEFT + W + 8)}%`,
  height: `${(100 * H) / (H + FOOT + 8)}%`,
};

type Range = [number, number, number, number];

/** A box drawn with the pointer, in shares of an element. */
export function useBox(onBox: (range: Range) => void) {
  const [range, setRange] = useState<Range | null>(null);
  const from = useRef<[number, number] | null>(null);
  const at = (event: PointerEvent): [number, number] => {
    const area = event.currentTarget.getBoundingClientRect();
    const clamp = (v: number) => Math.min(1, Math.max(0, v));
    return [
      clamp((event.clientX - area.left) / area.width),
      clamp((event.clientY - area.top) / area.height),
    ];
  };
  return {
    range,
    handlers: {
      onPointerDown: (event: PointerEvent) => {
        from.current = at(event);
        event.currentTarget.setPointerCapture(event.pointerId);
      },
      onPointerMove: (event: PointerEvent) => {
        if (!from.current) return;
        const [x0, y0] = from.current;
        const [x1, y1] = at(event);
        setRange([Math.min(x0, x1), Math.min(y0, y1), Math.max(x0, x1), Math.max(y0, y1)]);
      },
      onPointerUp: () => {
        from.current = null;
        if (range && range[2] - range[0] > 0.01 && range[3] - range[1] > 0.01) onBox(range);
        setRange(null);
      },
      onPointerCancel: () => {
        from.current = null;
        setRange(null);
      },
    },
  };
}

function draw(canvas: HTMLCanvasElement, plane: Page, cloud: Cloud, narrowed: boolean): void {
  const pen = canvas.getContext("2d");
  const [x, y] = plane.axes;
  if (!pen || !x || !y) return;
  const token = (name: string) => getComputedStyle(canvas).getPropertyValue(name);
  const [w, h] = [canvas.width, canvas.height];
  pen.clearRect(0, 0, w, h);
  if (plane.cells) {
    const most = Math.max(1, ...plane.cells);
    const [sx, sy] = [w / plane.steps, h / plane.steps];
    pen.fillStyle = token("--color-everyone");
    plane.cells.forEach((value, n) => {
      if (!value) return;
      pen.globalAlpha = 0.12 + 0.6 * Math.sqrt(value / most);
      pen.fillRect((n % plane.steps) * sx, h - (Math.floor(n / plane.steps) + 1) * sy, sx, sy);
    });
  }
  const brush = brushes(plane, token);
  const many = cloud.number.length;
  const size = many > 6000 ? 2.6 : 3.6;
  const spread = [x.whole ? 0.8 : 0, y.whole ? 0.8 : 0] as const;
  const [along, up] = cloud.along as [Float64Array, Float64Array];
  const pass = (inside: number, alpha: number) => {
    pen.globalAlpha = alpha;
    for (let n = 0; n < many; n++) {
      if (cloud.inside[n] !== inside) continue;
      const number = cloud.number[n] ?? 0;
      const own = brush(cloud.tint[n] ?? 0);
      pen.fillStyle = inside || !narrowed ? own.fill : token("--color-everyone");
      const px = placeOf((along[n] ?? 0) + spread[0] * push(number, 1), x.axis) * w;
      const py = h - placeOf((up[n] ?? 0) + spread[1] * push(number, 2), y.axis) * h;
      stamp(pen, own.shape, px, py, size);
    }
  };
  if (narrowed) pass(0, 0.28);
  pass(1, many > 6000 ? 0.45 : 0.6);
  pen.globalAlpha = 1;
}
