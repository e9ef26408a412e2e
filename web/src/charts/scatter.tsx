import { useEffect, useRef, useState } from "react";
import type { ReactNode } from "react";

import type { Schemas } from "@/api/client";
import { placeOf, ticksOf, valueAt } from "@/charts/axis";
import { LassoLine } from "@/charts/lasso-line";
import { Glyph, Picture } from "@/charts/picture";
import { PlotTools } from "@/charts/plot-tools";
import type { Tool } from "@/charts/plot-tools";
import { useBox } from "@/charts/use-box";
import type { Box } from "@/charts/use-box";
import { useDrag } from "@/charts/use-drag";
import { useLasso } from "@/charts/use-lasso";
import type { Place } from "@/charts/use-lasso";
import { usePoints } from "@/charts/use-points";
import type { Points } from "@/charts/use-points";
import type { Zoom } from "@/charts/use-zoom";

export interface ScatterAxis {
  label: string;
  axis: Schemas["AxisBody"];
  /** How a value on it is written. */
  words: (value: number) => string;
  /** Customers along it, drawn at the margin. */
  counts?: number[];
}

export type Ends = [low: number, high: number];
/** Where values stand on the picture, in its own units. */
export interface Places {
  x: (value: number) => number;
  y: (value: number) => number;
  /** Whether a place lies on the picture, of which a part may be shown. */
  shows: (x: number, y: number) => boolean;
}

interface Props {
  x: ScatterAxis;
  y: ScatterAxis;
  /** What the picture shows, for who does not see it. */
  label: string;
  /** In the place of axes, where they have no unit. */
  bare?: string;
  /** Draws the points; called again whenever the function changes. */
  draw: (pen: CanvasRenderingContext2D) => void;
  onBox: (x: Ends, y: Ends) => void;
  /** A line was drawn round points; its corners in the axes' values. */
  onLasso?: (corners: [x: number, y: number][]) => void;
  /** The part of the axes that `x` and `y` are, where it can be changed. */
  zoom?: Zoom;
  points?: Points;
  /** What is said of the point that is pointed at. */
  tell?: (point: number) => ReactNode;
  /** SVG over the points. */
  children?: (places: Places) => ReactNode;
}

const W = 620;
const H = 400;
const LEFT = 66;
const FOOT = 40;
const MARGIN = 44;
const ROOM = 8;

/** Two axes with points on a canvas between them; a box drawn over them picks ranges of both. */
export function Scatter(props: Props) {
  const { x, y, label, bare, draw, onBox, onLasso, zoom, points, tell, children } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const [tool, setTool] = useState<Tool>("box");
  const edge = x.counts || y.counts ? MARGIN : ROOM;
  const [width, height] = [LEFT + W + edge, edge + H + FOOT];
  const round = (value: number) => Number(value.toPrecision(4));
  const taken = ([left, top, right, bottom]: Box) =>
    onBox(
      [round(valueAt(left, x.axis)), round(valueAt(right, x.axis))],
      [round(valueAt(1 - bottom, y.axis)), round(valueAt(1 - top, y.axis))],
    );
  const drawn = useBox(taken);
  const lasso = useLasso((corners) =>
    onLasso?.(
      corners.map(([cx, cy]) => [round(valueAt(cx, x.axis)), round(valueAt(1 - cy, y.axis))]),
    ),
  );
  const moving = useDrag((dx, dy, area) => zoom?.move(-dx / area.width, dy / area.height));
  const reach = usePoints({
    points,
    onBox: taken,
    onOther: (key) => {
      if (!zoom || !["+", "=", "-", "0"].includes(key)) return false;
      if (key === "0") zoom.reset();
      else zoom.by(key === "-" ? 1 / 0.6 : 0.6, reach.here ? shown(reach.here) : undefined);
      return true;
    },
  });
  const dragging = tool === "lasso" ? lasso.handlers : tool === "move" ? moving : drawn.handlers;
  const byKeys = reach.box;
  const box: Box | null =
    drawn.box ??
    (byKeys && [
      Math.min(byKeys.from[0], byKeys.to[0]),
      Math.min(byKeys.from[1], byKeys.to[1]),
      Math.max(byKeys.from[0], byKeys.to[0]),
      Math.max(byKeys.from[1], byKeys.to[1]),
    ]);
  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen) return;
    pen.clearRect(0, 0, pen.canvas.width, pen.canvas.height);
    draw(pen);
    pen.globalAlpha = 1;
  }, [draw]);
  const places: Places = {
    x: (value) => placeOf(value, x.axis) * W,
    y: (value) => H - placeOf(value, y.axis) * H,
    shows: (across, up) =>
      !zoom?.zoomed ||
      (across >= x.axis.low && across <= x.axis.high && up >= y.axis.low && up <= y.axis.high),
  };
  const inside = {
    left: `${(100 * LEFT) / width}%`,
    top: `${(100 * edge) / height}%`,
    width: `${(100 * W) / width}%`,
    height: `${(100 * H) / height}%`,
  };
  return (
    <div className="min-w-0">
      {(onLasso ?? zoom) && <PlotTools tool={tool} zoom={zoom} onTool={setTool} />}
      <div className="relative min-w-0">
        <Picture viewBox={`0 0 ${width} ${height}`} className="block w-full" label={label}>
          <g fill="var(--color-everyone)">
            {x.counts && <Margin counts={x.counts} length={W} at={[LEFT, edge]} />}
            {y.counts && <Margin counts={y.counts} length={H} at={[LEFT + W, edge + H]} upright />}
          </g>
          <rect x={LEFT} y={edge} width={W} height={H} fill="none" stroke="var(--color-line)" />
          <g fontSize={12} className="[&_text]:fill-quiet">
            {!bare &&
              ticksOf(x.axis, 6).map((tick) => (
                <text key={tick} x={LEFT + places.x(tick)} y={edge + H + 15} textAnchor="middle">
                  {x.words(tick)}
                </text>
              ))}
            {!bare &&
              ticksOf(y.axis, 6).map((tick) => (
                <text key={tick} x={LEFT - 6} y={edge + places.y(tick) + 4} textAnchor="end">
                  {y.words(tick)}
                </text>
              ))}
            <text x={LEFT + W / 2} y={edge + H + 34} textAnchor="middle" fontWeight={600}>
              {bare ?? titleOf(x)}
            </text>
            {!bare && (
              <text
                transform={`translate(13 ${edge + H / 2}) rotate(-90)`}
                textAnchor="middle"
                fontWeight={600}
              >
                {titleOf(y)}
              </text>
            )}
          </g>
        </Picture>
        <canvas
          ref={canvas}
          width={W * 2}
          height={H * 2}
          className={`absolute touch-none ${tool === "move" ? "cursor-grab active:cursor-grabbing" : "cursor-crosshair"}`}
          style={inside}
          tabIndex={points ? 0 : undefined}
          role={points ? "application" : undefined}
          aria-label={points ? `Points of ${label}` : undefined}
          aria-roledescription={points ? "plot of points" : undefined}
          {...reach.handlers}
          {...dragging}
          onPointerMove={(event) => {
            reach.handlers.onPointerMove(event);
            dragging.onPointerMove(event);
          }}
        />
        <Glyph viewBox={`0 0 ${W} ${H}`} className="pointer-events-none absolute" style={inside}>
          {children?.(places)}
          {box && (
            <rect
              x={box[0] * W}
              y={box[1] * H}
              width={(box[2] - box[0]) * W}
              height={(box[3] - box[1]) * H}
              fill="var(--color-teal)"
              fillOpacity={0.12}
              stroke="var(--color-teal)"
              strokeDasharray="4 3"
            />
          )}
          <LassoLine line={lasso.line} width={W} height={H} />
          {reach.here && (
            <circle
              cx={reach.here[0] * W}
              cy={reach.here[1] * H}
              r={6}
              fill="none"
              stroke="var(--color-ink)"
              strokeWidth={1.6}
            />
          )}
        </Glyph>
        <div className="pointer-events-none absolute" style={inside} aria-live="polite">
          {reach.here && reach.told !== null && tell && (
            <Told at={reach.here}>{tell(reach.told)}</Told>
          )}
        </div>
      </div>
    </div>
  );
}

/** What is said of a point, beside it and within the picture. */
function Told({ at: [x, y], children }: { at: Place; children: ReactNode }) {
  return (
    <div
      className="absolute z-10 w-max max-w-[240px] rounded-md bg-ink px-2 py-1 text-12 text-white"
      style={{
        ...(x > 0.6
          ? { right: `calc(${100 * (1 - x)}% + 10px)` }
          : { left: `calc(${100 * x}% + 10px)` }),
        ...(y > 0.7 ? { bottom: `${100 * (1 - y)}%` } : { top: `${100 * y}%` }),
      }}
    >
      {children}
    </div>
  );
}

/** A place from the upper left corner as one from the lower left, as axes go. */
function shown([x, y]: Place): Place {
  return [x, 1 - y];
}

function titleOf(axis: ScatterAxis): string {
  return axis.axis.log ? `${axis.label}, log scale` : axis.label;
}

/** Counts along an axis as bars outside the frame: above it, or at its right. */
function Margin({
  counts,
  length,
  at,
  upright = false,
}: {
  counts: number[];
  length: number;
  at: [number, number];
  upright?: boolean;
}) {
  const most = Math.max(1, ...counts);
  const step = length / counts.length;
  return counts.map((value, n) => {
    const size = (value / most) * (MARGIN - 6);
    return upright ? (
      <rect key={n} x={at[0] + 4} y={at[1] - (n + 1) * step} width={size} height={step - 1} />
    ) : (
      <rect key={n} x={at[0] + n * step} y={at[1] - size - 2} width={step - 1} height={size} />
    );
  });
}
