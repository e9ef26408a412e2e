import { Picture } from "@/charts/picture";
import { HUES } from "@/marks/hues";

const GAPS = ["top", "right", "bottom", "left"] as const;
const TURN = { top: -90, right: 0, bottom: 90, left: 180 };
const GAP = 80;

/** How a mark is spoken: "ring with a dot, open at the top". */
export function markWords(mark: number): string {
  const body = ["ring", "ring with a dot", "notched disc"][Math.floor(mark / 4) % 3] ?? "ring";
  return `${body}, open at the ${GAPS[mark % 4] ?? "top"}`;
}

/** Twelve shapes, and from there on a colour of its own with each: see core/portraits/marks.py. */
const SHAPES = 12;

export function shapeOf(mark: number): number {
  return mark % SHAPES;
}

export function colourOf(mark: number): number {
  return mark < SHAPES ? mark % HUES.length : Math.floor(mark / SHAPES) - 1;
}

/** The mark of a shape and a colour. */
export function markOf(shape: number, colour: number): number {
  return shape % HUES.length === colour ? shape : shape + SHAPES * (colour + 1);
}

/** A segment's colour as a canvas takes it. */
export function hexOf(mark: number): string {
  return HUES[colourOf(mark)] ?? "#18212b";
}

/** A segment's colour; where the person's own colours are forced, all marks are of one. */
export function hueOf(mark: number): string {
  return `var(--hue, ${hexOf(mark)})`;
}

function arc(cx: number, cy: number, r: number, turn: number): string {
  const from = ((turn + GAP / 2) * Math.PI) / 180;
  const to = ((turn + 360 - GAP / 2) * Math.PI) / 180;
  const at = (angle: number) =>
    `${(cx + r * Math.cos(angle)).toFixed(2)} ${(cy + r * Math.sin(angle)).toFixed(2)}`;
  return `M${at(from)}A${r} ${r} 0 1 1 ${at(to)}`;
}

/** A segment's mark within another drawing, centred on (x, y). */
export function MarkShape({
  mark,
  x,
  y,
  size = 14,
}: {
  mark: number;
  x: number;
  y: number;
  size?: number;
}) {
  const turn = TURN[GAPS[mark % 4] ?? "top"];
  const body = Math.floor(mark / 4) % 3;
  const hue = hueOf(mark);
  const r = size / 2 - size * 0.12;
  if (body === 2)
    return (
      <path
        d={`${arc(x, y, r * 1.12, turn)}L${x} ${y}Z`}
        fill={hue}
        stroke="var(--color-card)"
        strokeWidth={1}
      />
    );
  return (
    <g>
      <path
        d={arc(x, y, r, turn)}
        fill="none"
        stroke="var(--color-card)"
        strokeWidth={size * 0.36}
        opacity={0.85}
      />
      <path d={arc(x, y, r, turn)} fill="none" stroke={hue} strokeWidth={size * 0.21} />
      {body === 1 && <circle cx={x} cy={y} r={size * 0.14} fill={hue} />}
    </g>
  );
}

/** A segment's mark beside its name. */
export function SegmentMark({ mark, size = 16 }: { mark: number; size?: number }) {
  return (
    <Picture
      width={size}
      height={size}
      viewBox={`0 0 ${size} ${size}`}
      label={markWords(mark)}
      className="shrink-0"
    >
      <MarkShape mark={mark} x={size / 2} y={size / 2} size={size} />
    </Picture>
  );
}
