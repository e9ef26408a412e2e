import { useCallback, useEffect, useMemo, useRef, useState } from "react";

import { placeOf, ticksOf } from "@/charts/axis";
import { stamp } from "@/charts/dots";
import { inUnit } from "@/charts/format";
import { LassoLine } from "@/charts/lasso-line";
import { Glyph } from "@/charts/picture";
import { useDrag } from "@/charts/use-drag";
import { useLasso } from "@/charts/use-lasso";
import type { Place } from "@/charts/use-lasso";
import { place, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { turnedField } from "@/stations/groups/map/lasso";
import { brushes, shortLabel } from "@/stations/groups/map/points";
import type { Cloud, Plane } from "@/stations/groups/map/points";
import { useStudy } from "@/study/context";
import { Choice } from "@/ui/choice";

const W = 660;
const H = 430;
const STEP = 0.09;
/** Half the cube's side, as a share of the picture's shorter one. */
const HALF = 0.31;
const TOOLS = [
  ["turn", "Turn"],
  ["lasso", "Lasso"],
] as const;

type Triple = [number, number, number];

interface Props {
  grouping: number;
  plane: Plane;
  cloud: Cloud;
}

/** Three axes at once, turned by dragging or by the arrow keys; a lasso narrows the lens. */
export function Turned({ grouping, plane, cloud }: Props) {
  const lens = useLens();
  const { study } = useStudy();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [turn, setTurn] = useState<[number, number]>([0.6, 0.35]);
  const [tool, setTool] = useState<"turn" | "lasso">("turn");
  const narrowed = lens.clauses.length > 0;
  const cube = useMemo(() => inCube(plane, cloud), [plane, cloud]);
  const words = useCallback(
    (value: number, unit: string) => inUnit(value, unit, study.currency),
    [study.currency],
  );
  useEffect(() => {
    const next = requestAnimationFrame(() => {
      if (canvas.current) draw(canvas.current, plane, cloud, cube, turn, narrowed, words);
    });
    return () => cancelAnimationFrame(next);
  }, [plane, cloud, cube, turn, narrowed, words]);
  const half = Math.min(W, H) * HALF;
  const lasso = useLasso((corners) => {
    const seen = corners.map<Place>(([x, y]) => [((x - 0.5) * W) / half, ((0.5 - y) * H) / half]);
    const field = turnedField(grouping, plane, turn, seen);
    lens.set((now) => place(now, valueClause(field, "inside")));
  });
  const turning = useDrag((dx, dy) => setTurn(([a, b]) => [a + dx / 140, b + dy / 140]));
  return (
    <div>
      <div className="mb-1 flex items-center gap-2 text-12">
        <span className="text-quiet">Dragging:</span>
        <Choice label="What dragging does" choices={TOOLS} value={tool} onChoose={setTool} />
        <span className="text-quiet">The arrow keys turn it, too.</span>
      </div>
      <div className="relative">
        <canvas
          ref={canvas}
          width={W * 2}
          height={H * 2}
          tabIndex={0}
          role="img"
          aria-label={`${plane.axes.map((axis) => axis.label).join(", ")}: three axes, turned by dragging or by the arrow keys`}
          className={`w-full touch-none rounded-md ${tool === "turn" ? "cursor-grab active:cursor-grabbing" : "cursor-crosshair"}`}
          onKeyDown={(event) => {
            const way = {
              ArrowLeft: [-1, 0],
              ArrowRight: [1, 0],
              ArrowUp: [0, -1],
              ArrowDown: [0, 1],
            }[event.key];
            if (!way) return;
            event.preventDefault();
            setTurn(([a, b]) => [a + STEP * (way[0] ?? 0), b + STEP * (way[1] ?? 0)]);
          }}
          {...(tool === "turn" ? turning : lasso.handlers)}
        />
        <Glyph viewBox={`0 0 ${W} ${H}`} className="pointer-events-none absolute inset-0 w-full">
          <LassoLine line={lasso.line} width={W} height={H} />
        </Glyph>
      </div>
    </div>
  );
}

/** What is seen of a place in the turned cube, and how near it is; see core/lens/polygon.py. */
function seeBy([a, b]: [number, number]): (x: number, y: number, z: number) => Triple {
  const [ca, sa, cb, sb] = [Math.cos(a), Math.sin(a), Math.cos(b), Math.sin(b)];
  return (x, y, z) => {
    const [x1, z1] = [x * ca + z * sa, z * ca - x * sa];
    const [y2, z2] = [y * cb - z1 * sb, z1 * cb + y * sb];
    const near = 1 / (1 + 0.16 * z2);
    return [x1 * near, y2 * near, z2];
  };
}

/** Places of all points from −1 to 1 along the three axes, and the centres of the groups. */
function inCube(plane: Plane, cloud: Cloud) {
  const points = plane.axes.map((axis, n) => {
    const values = cloud.along[n] ?? new Float64Array(0);
    const out = new Float32Array(values.length);
    for (let i = 0; i < values.length; i++) out[i] = 2 * placeOf(values[i] ?? 0, axis.axis) - 1;
    return out;
  });
  const groups = plane.axes[0]?.centres.length ?? 0;
  const centres = Array.from({ length: groups }, (_, g) =>
    plane.axes.map((axis) => {
      const value = axis.centres[g];
      return value === null || value === undefined ? 0 : 2 * placeOf(value, axis.axis) - 1;
    }),
  );
  return { points, centres };
}

function draw(
  canvas: HTMLCanvasElement,
  plane: Plane,
  cloud: Cloud,
  { points, centres }: ReturnType<typeof inCube>,
  turn: [number, number],
  narrowed: boolean,
  words: (value: number, unit: string) => string,
): void {
  const pen = canvas.getContext("2d");
  if (!pen) return;
  const token = (name: string) => getComputedStyle(canvas).getPropertyValue(name);
  const [w, h] = [canvas.width, canvas.height];
  const half = Math.min(w, h) * HALF;
  const turned = seeBy(turn);
  const see = (x: number, y: number, z: number): [number, number, number] => {
    const [px, py, near] = turned(x, y, z);
    return [w / 2 + px * half, h / 2 - py * half, near];
  };
  pen.clearRect(0, 0, w, h);
  pen.lineWidth = 2;
  pen.font = `24px ${token("--font-sans")}`;
  plane.axes.forEach((_, n) => {
    const end = [0, 1, 2].map((m) => (m === n ? 1.15 : -1)) as Triple;
    const start = see(-1, -1, -1);
    const [x, y] = see(...end);
    pen.strokeStyle = token("--color-quiet");
    pen.beginPath();
    pen.moveTo(start[0], start[1]);
    pen.lineTo(x, y);
    pen.stroke();
  });
  pen.font = `20px ${token("--font-sans")}`;
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  plane.axes.forEach((axis, n) => {
    for (const tick of ticksOf(axis.axis, 3)) {
      const place = 2 * placeOf(tick, axis.axis) - 1;
      const [x, y] = see(...([0, 1, 2].map((m) => (m === n ? place : -1)) as Triple));
      // Outwards: away from the middle of the cube.
      const away = Math.hypot(x - w / 2, y - h / 2) || 1;
      const [dx, dy] = [(x - w / 2) / away, (y - h / 2) / away];
      pen.beginPath();
      pen.moveTo(x, y);
      pen.lineTo(x + 8 * dx, y + 8 * dy);
      pen.stroke();
      pen.fillStyle = token("--color-quiet");
      pen.fillText(words(tick, axis.unit), x + 34 * dx, y + 24 * dy);
    }
  });
  const brush = brushes(plane, token);
  const [xs, ys, zs] = points as [Float32Array, Float32Array, Float32Array];
  const pale = token("--color-everyone");
  for (let n = 0; n < cloud.number.length; n++) {
    const inside = cloud.inside[n] === 1;
    const [x, y, z] = see(xs[n] ?? 0, ys[n] ?? 0, zs[n] ?? 0);
    const own = brush(cloud.tint[n] ?? 0);
    pen.globalAlpha = narrowed && !inside ? 0.18 : 0.62 - 0.2 * z;
    pen.fillStyle = narrowed && !inside ? pale : own.fill;
    stamp(pen, own.shape, x, y, 3 - 0.7 * z);
  }
  pen.globalAlpha = 1;
  const [x0, y0] = see(-1, -1, -1);
  pen.font = `24px ${token("--font-sans")}`;
  pen.lineJoin = "round";
  plane.axes.forEach((axis, n) => {
    const [x, y] = see(...([0, 1, 2].map((m) => (m === n ? 1.15 : -1)) as Triple));
    // Beyond the axis' end, on a ground of its own, so that neither line nor points cross it.
    const long = Math.hypot(x - x0, y - y0) || 1;
    const [dx, dy] = [(x - x0) / long, (y - y0) / long];
    const called = shortLabel(axis);
    pen.textAlign = dx > 0.3 ? "left" : dx < -0.3 ? "right" : "center";
    pen.lineWidth = 8;
    pen.strokeStyle = token("--color-card");
    pen.strokeText(called, x + 16 * dx, y + 22 * dy);
    pen.fillStyle = token("--color-ink");
    pen.fillText(called, x + 16 * dx, y + 22 * dy);
  });
  centres.forEach(([x = 0, y = 0, z = 0], g) => {
    const [px, py] = see(x, y, z);
    pen.beginPath();
    pen.arc(px, py, 18, 0, 2 * Math.PI);
    pen.fillStyle = token("--color-card");
    pen.fill();
    pen.strokeStyle = token("--color-ink");
    pen.lineWidth = 3;
    pen.stroke();
    pen.fillStyle = token("--color-ink");
    pen.textAlign = "center";
    pen.fillText(String(g + 1), px, py + 1);
  });
}
