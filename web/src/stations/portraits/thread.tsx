import { Picture } from "@/charts/picture";
import { MarkShape } from "@/marks/segment-mark";

interface Props {
  places: (number | null)[];
  marks: number[];
  chosen: number;
  width: number;
  quartiles?: number[];
  line?: number;
  ends?: [string, string];
  label: string;
}

const MARK = 14;

/** Lift marks that would cover each other to lanes above and below the thread. */
export function lanes(places: (number | null)[], width: number): number[] {
  const order = places.map((_, index) => index).sort((a, b) => (places[a] ?? 0) - (places[b] ?? 0));
  const steps = [0, -1, 1, -2, 2];
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

/** A thread with each segment's mark strung at its value; everyone's middle half is thick. */
export function Thread({ places, marks, chosen, width, quartiles, line, ends, label }: Props) {
  const inner = width - MARK;
  const lane = lanes(places, inner);
  const y = 22;
  const x = (place: number) => MARK / 2 + place * inner;
  const order = places
    .map((_, index) => index)
    .sort((a, b) => Number(a + 1 === chosen) - Number(b + 1 === chosen));
  return (
    <Picture width={width} height={ends ? 50 : 42} label={label}>
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
          <line
            x1={x(quartiles[1] ?? 0)}
            x2={x(quartiles[1] ?? 0)}
            y1={y - 7}
            y2={y + 7}
            stroke="var(--color-quiet)"
            strokeWidth={1.6}
          />
        </>
      )}
      {line !== undefined && (
        <line
          x1={x(line)}
          x2={x(line)}
          y1={y - 7}
          y2={y + 7}
          stroke="var(--color-quiet)"
          strokeWidth={1.6}
        />
      )}
      {order.map((index) => {
        const place = places[index];
        if (place === null || place === undefined) return null;
        return (
          <MarkShape
            key={index}
            mark={marks[index] ?? 0}
            x={x(place)}
            y={y + (lane[index] ?? 0) * 7}
            size={index + 1 === chosen ? MARK + 3 : MARK}
          />
        );
      })}
      {ends && (
        <>
          <text x={0} y={48} fontSize={11} style={{ fill: "var(--color-quiet)" }}>
            {ends[0]}
          </text>
          <text
            x={width}
            y={48}
            fontSize={11}
            textAnchor="end"
            style={{ fill: "var(--color-quiet)" }}
          >
            {ends[1]}
          </text>
        </>
      )}
    </Picture>
  );
}
