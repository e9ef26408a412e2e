import { count } from "@/charts/format";
import { Picture } from "@/charts/picture";
import type { Against } from "@/stations/crossings/figures";
import { rangeWords } from "@/stations/crossings/figures";

const WIDTH = 400;
const LINE = 24;

/** How many crossed, on one thread with what chance alone would move. */
export function ChanceBar({ seen, chance }: { seen: number; chance: Against }) {
  const end = Math.max(seen, chance.high, 1) * 1.12;
  const x = (value: number) => 6 + ((WIDTH - 12) * value) / end;
  const [low, high, at] = [x(Math.max(0, chance.low)), x(chance.high), x(seen)];
  const inside = seen >= chance.low && seen <= chance.high;
  const words = { x: (low + high) / 2, y: 11, fontSize: 11, textAnchor: "middle" as const };
  return (
    <Picture
      width="100%"
      viewBox={`0 0 ${WIDTH} 40`}
      label={`${count(seen)} crossed; chance alone moves ${rangeWords(chance)} of 95 draws in 100`}
    >
      <line x1={6} x2={WIDTH - 6} y1={LINE} y2={LINE} stroke="var(--color-line)" strokeWidth={2} />
      <rect
        x={low}
        width={Math.max(2, high - low)}
        y={LINE - 6}
        height={12}
        fill="var(--color-everyone)"
      />
      <text {...words} style={{ fill: "var(--color-quiet)" }}>
        {inside ? "" : "chance, 95%"}
      </text>
      <path
        d={`M${at} ${LINE - 8}L${at + 8} ${LINE}L${at} ${LINE + 8}L${at - 8} ${LINE}Z`}
        fill="var(--color-teal)"
      />
      <text x={Math.min(at, WIDTH - 20)} y={11} fontSize={11} textAnchor="middle">
        {count(seen)}
        {inside && " , as chance has it"}
      </text>
      <text x={6} y={38} fontSize={11} style={{ fill: "var(--color-quiet)" }}>
        0 customers
      </text>
    </Picture>
  );
}
