import { Picture } from "@/charts/picture";
import { ColumnShape } from "@/marks/column-mark";
import type { Head } from "@/stations/portraits/threads/rows";

interface Props {
  places: (number | null)[];
  heads: Head[];
  chosen: number;
  width: number;
  /** Everyone's quartiles along the thread. */
  quartiles?: number[];
  /** Where everyone stands, instead. */
  line?: number;
  ends?: [string, string];
  /** A lower row, with marks that lie closer. */
  low?: boolean;
  label: string;
}

const MARK = 14;

/** Lift marks that would cover each other to lanes above and below the thread. */
export function lanes(places: (number | null)[], width: number): number[] {
  const order = places.map((_, index) => index).sort((a, b) => (places[a] ?? 0) - (places[b] ?? 0));
  const steps = [0, -1, 1, -2, 2, -3, 3];
  const last: Record<number, number> = {};
  const out = places.map(() => 0);
  for (const index of order) {
    const x = (places[index] ?? 0) * width;
    const lane = steps.find((step) => x - (last[step] ?? -99) >= MARK - 2) ?? 0;
    out[index] = lane;
    last[lane] = x;
  }
  return out;
}

/** A thread with each column's mark strung at its value; everyone's middle half is thick. */
export function Thread(props: Props) {
  const { places, heads, chosen, width, quartiles, line, ends, low = false, label } = props;
  const inner = width - MARK;
  const lane = lanes(places, inner);
  // Room above and below for as many lanes as there are.
  const [step, tick, least] = low ? [4, 5, 14] : [7, 7, 20];
  const up = Math.max(least, MARK / 2 + 2 - step * Math.min(...lane, 0));
  const down = Math.max(least - 6, MARK / 2 + step * Math.max(...lane, 0));
  const [y, foot] = [up, up + down + (ends ? 11 : 0)];
  const x = (place: number) => MARK / 2 + place * inner;
  const order = places
    .map((_, index) => index)
    .sort((a, b) => Number(a + 1 === chosen) - Number(b + 1 === chosen));
  return (
    <Picture
      width={width}
      height={foot + 2}
      viewBox={`0 0 ${width} ${foot + 2}`}
      preserveAspectRatio="xMinYMid meet"
      label={label}
      className="block w-0 min-w-full"
    >
      <line
        x1={MARK / 2}
        x2={width - MARK / 2}
        y1={y}
        y2={y}
        stroke="var(--color-quiet)"
        strokeWidth={1}
        opacity={0.6}
      />
      {quartiles && (
        <>
          <rect
            x={x(quartiles[0] ?? 0)}
            width={Math.max(2, x(quartiles[2] ?? 0) - x(quartiles[0] ?? 0))}
            y={y - 4}
            height={8}
            fill="var(--color-everyone)"
          />
          <Tick x={x(quartiles[1] ?? 0)} y={y} half={tick} />
        </>
      )}
      {line !== undefined && <Tick x={x(line)} y={y} half={tick} />}
      {order.map((index) => {
        const [place, head] = [places[index], heads[index]];
        if (place === null || place === undefined || !head) return null;
        return (
          <ColumnShape
            key={index}
            head={head}
            x={x(place)}
            y={y + (lane[index] ?? 0) * step}
            size={(index + 1 === chosen ? 3 : 0) + (low ? MARK - 2 : MARK)}
          />
        );
      })}
      {ends?.map((words, place) => (
        <text
          key={place}
          x={place * width}
          y={foot}
          fontSize={11}
          textAnchor={place ? "end" : "start"}
          style={{ fill: "var(--color-quiet)" }}
        >
          {words}
        </text>
      ))}
    </Picture>
  );
}

function Tick({ x, y, half }: { x: number; y: number; half: number }) {
  return (
    <line x1={x} x2={x} y1={y - half} y2={y + half} stroke="var(--color-quiet)" strokeWidth={1.6} />
  );
}
