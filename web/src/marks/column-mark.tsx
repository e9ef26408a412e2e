import type { Schemas } from "@/api/client";
import { hueOf, MarkShape, SegmentMark } from "@/marks/segment-mark";
import { LensMark } from "@/marks/state-mark";

type Head = Pick<Schemas["ColumnHead"], "number" | "mark">;

const LENS = 1;

/** The colour of a column: a segment's own, teal for the lens, grey for the rest. */
export function columnHue(head: Head): string {
  if (head.mark !== null) return hueOf(head.mark);
  return head.number === LENS ? "var(--color-teal)" : "var(--color-quiet)";
}

/** A column's mark within another drawing: a segment's own, else a dot. */
export function ColumnShape(props: { head: Head; x: number; y: number; size: number }) {
  const { head, x, y, size } = props;
  if (head.mark !== null) return <MarkShape mark={head.mark} x={x} y={y} size={size} />;
  return (
    <circle
      cx={x}
      cy={y}
      r={size / 2 - 2}
      fill={columnHue(head)}
      stroke="var(--color-card)"
      strokeWidth={1.5}
    />
  );
}

/** A column's mark beside its name. */
export function ColumnMark({ head, size = 16 }: { head: Head; size?: number }) {
  if (head.mark !== null) return <SegmentMark mark={head.mark} size={size} />;
  if (head.number === LENS) return <LensMark size={size} />;
  return (
    <span
      aria-hidden
      className="inline-block rounded-full bg-quiet"
      style={{ width: size - 4, height: size - 4, margin: 2 }}
    />
  );
}
