import { useEffect, useRef } from "react";
import type { ReactNode } from "react";

import type { Schemas } from "@/api/client";
import { placeOf, ticksOf, valueAt } from "@/charts/axis";
import { Glyph, Picture } from "@/charts/picture";
import { useBox } from "@/charts/use-box";

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
export function Scatter({ x, y, label, bare, draw, onBox, children }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const edge = x.counts || y.counts ? MARGIN : ROOM;
  const [width, height] = [LEFT + W + edge, edge + H + FOOT];
  const round = (value: number) => Number(value.toPrecision(4));
  const { box, handlers } = useBox(([left, top, right, bottom]) =>
    onBox(
      [round(valueAt(left, x.axis)), round(valueAt(right, x.axis))],
      [round(valueAt(1 - bottom, y.axis)), round(valueAt(1 - top, y.axis))],
    ),
  );
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
  };
  const inside = {
    left: `${(100 * LEFT) / width}%`,
    top: `${(100 * edge) / height}%`,
    width: `${(100 * W) / width}%`,
    height: `${(100 * H) / height}%`,
  };
  return (
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
        className="absolute cursor-crosshair touch-none"
        style={inside}
        {...handlers}
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
      </Glyph>
    </div>
  );
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
