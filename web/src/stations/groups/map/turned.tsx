import { useEffect, useMemo, useRef, useState } from "react";
import type { KeyboardEvent, PointerEvent } from "react";

import { placeOf } from "@/charts/axis";
import { useLens } from "@/lens/context";
import { stamp } from "@/charts/dots";
import { brushes } from "@/stations/groups/map/points";
import type { Cloud, Plane } from "@/stations/groups/map/points";

const W = 660;
const H = 430;
const STEP = 0.09;

/** Three axes at once, turned by dragging or by the arrow keys. */
export function Turned({ plane, cloud }: { plane: Plane; cloud: Cloud }) {
  const lens = useLens();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [turn, setTurn] = useState<[number, number]>([0.6, 0.35]);
  const held = useRef<[number, number] | null>(null);
  const narrowed = lens.clauses.length > 0;
  const cube = useMemo(() => inCube(plane, cloud), [plane, cloud]);
  useEffect(() => {
    const next = requestAnimationFrame(() => {
      if (canvas.current) draw(canvas.current, plane, cloud, cube, turn, narrowed);
    });
    return () => cancelAnimationFrame(next);
  }, [plane, cloud, cube, turn, narrowed]);
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[
      event.key
    ];
    if (!way) return;
    event.preventDefault();
    setTurn(([a, b]) => [a + STEP * (way[0] ?? 0), b + STEP * (way[1] ?? 0)]);
  };
  return (
    <div>
      <canvas
        ref={canvas}
        width={W * 2}
        height={H * 2}
        tabIndex={0}
        role="img"
        aria-label={`${plane.axes.map((axis) => axis.label).join(", ")}: three axes, turned by dragging or by the arrow keys`}
        className="w-full cursor-grab touch-none rounded-md active:cursor-grabbing"
        onKeyDown={onKeyDown}
        onPointerDown={(event: PointerEvent<HTMLCanvasElement>) => {
          held.current = [event.clientX, event.clientY];
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={(event) => {
          if (!held.current) return;
          const [x, y] = held.current;
          held.current = [event.clientX, event.clientY];
          setTurn(([a, b]) => [a + (event.clientX - x) / 140, b + (event.clientY - y) / 140]);
        }}
        onPointerUp={() => {
          held.current = null;
        }}
      />
      <p className="text-12 text-quiet">Drag to turn, or use the arrow keys.</p>
    </div>
  );
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
  [a, b]: [number, number],
  narrowed: boolean,
): void {
  const pen = canvas.getContext("2d");
  if (!pen) return;
  const token = (name: string) => getComputedStyle(canvas).getPropertyValue(name);
  const [w, h] = [canvas.width, canvas.height];
  const half = Math.min(w, h) * 0.31;
  const [ca, sa, cb, sb] = [Math.cos(a), Math.sin(a), Math.cos(b), Math.sin(b)];
  const see = (x: number, y: number, z: number): [number, number, number] => {
    const [x1, z1] = [x * ca + z * sa, z * ca - x * sa];
    const [y2, z2] = [y * cb - z1 * sb, z1 * cb + y * sb];
    const near = 1 / (1 + 0.16 * z2);
    return [w / 2 + x1 * half * near, h / 2 - y2 * half * near, z2];
  };
  pen.clearRect(0, 0, w, h);
  pen.lineWidth = 2;
  pen.font = `24px ${token("--font-sans")}`;
  plane.axes.forEach((_, n) => {
    const end = [0, 1, 2].map((m) => (m === n ? 1.15 : -1)) as [number, number, number];
    const start = see(-1, -1, -1);
    const [x, y] = see(...end);
    pen.strokeStyle = token("--color-quiet");
    pen.beginPath();
    pen.moveTo(start[0], start[1]);
    pen.lineTo(x, y);
    pen.stroke();
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
  pen.textBaseline = "middle";
  pen.lineJoin = "round";
  plane.axes.forEach((axis, n) => {
    const [x, y] = see(
      ...([0, 1, 2].map((m) => (m === n ? 1.15 : -1)) as [number, number, number]),
    );
    // Beyond the axis' end, on a ground of its own, so that neither line nor points cross it.
    const long = Math.hypot(x - x0, y - y0) || 1;
    const [dx, dy] = [(x - x0) / long, (y - y0) / long];
    const words = axis.label.split(",")[0] ?? axis.label;
    pen.textAlign = dx > 0.3 ? "left" : dx < -0.3 ? "right" : "center";
    pen.lineWidth = 8;
    pen.strokeStyle = token("--color-card");
    pen.strokeText(words, x + 16 * dx, y + 22 * dy);
    pen.fillStyle = token("--color-ink");
    pen.fillText(words, x + 16 * dx, y + 22 * dy);
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
