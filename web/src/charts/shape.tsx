const W = 300;
const H = 26;

interface Props {
  shape: number[];
  places: number[];
  label: string;
  lens?: number[];
  ends?: [string, string];
  foot?: string;
  log?: boolean;
}

function hill(values: number[], height: number): string {
  const most = Math.max(1, ...values);
  const step = W / values.length;
  const points = values.map(
    (value, place) =>
      `${((place + 0.5) * step).toFixed(1)},${(H - (value / most) * height).toFixed(1)}`,
  );
  return `M0,${H} L${points.join(" L")} L${W},${H} Z`;
}

/** A shape on a thread: how many stand where, the middle half thickened, the median a line. */
export function Shape({ shape, places, label, lens, ends, foot, log }: Props) {
  const [low = 0, middle = 0.5, high = 1] = places;
  return (
    <div className="min-w-0">
      <svg
        viewBox={`0 0 ${W} ${H + 6}`}
        width="100%"
        height={H + 6}
        preserveAspectRatio="none"
        role="img"
        aria-label={label}
      >
        <path d={hill(shape, H - 2)} fill="var(--color-everyone)" opacity={0.75} />
        {lens && (
          <path
            d={hill(lens, H - 2)}
            fill="none"
            stroke="var(--color-teal)"
            strokeWidth={1.6}
            vectorEffect="non-scaling-stroke"
          />
        )}
        <line
          x1={0}
          x2={W}
          y1={H}
          y2={H}
          stroke="var(--color-quiet)"
          strokeWidth={1}
          vectorEffect="non-scaling-stroke"
        />
        <rect
          x={low * W}
          width={Math.max(1.5, (high - low) * W)}
          y={H - 2}
          height={5}
          fill="var(--color-quiet)"
        />
        <line
          x1={middle * W}
          x2={middle * W}
          y1={H - 9}
          y2={H + 5}
          stroke="var(--color-ink)"
          strokeWidth={2}
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <div className="flex justify-between text-11 leading-[13px] text-quiet">
        {ends ? (
          <>
            <span>{ends[0]}</span>
            {log && <span>log scale</span>}
            <span>{ends[1]}</span>
          </>
        ) : (
          <span>{foot}</span>
        )}
      </div>
    </div>
  );
}
