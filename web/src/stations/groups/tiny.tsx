import { Glyph } from "@/charts/picture";
/** Everyone along a measure's axis, small; below it the same as prepared. */
export function TinyThread({ shape, prepared }: { shape: number[]; prepared?: number[] }) {
  const hill = (values: number[], up: boolean) => {
    const most = Math.max(1, ...values);
    const points = values.map(
      (value, n) =>
        `${(((n + 0.5) / values.length) * 60).toFixed(1)} ${(9 + (up ? -1 : 1) * (value / most) * 8).toFixed(1)}`,
    );
    return `M0 9L${points.join("L")}L60 9Z`;
  };
  return (
    <Glyph viewBox="0 0 60 18" className="h-[18px] w-[60px] shrink-0">
      <path d={hill(shape, true)} fill="var(--color-everyone)" />
      {prepared && <path d={hill(prepared, false)} fill="var(--color-everyone)" opacity={0.5} />}
      <line x1={0} x2={60} y1={9} y2={9} stroke="var(--color-quiet)" strokeWidth={0.7} />
    </Glyph>
  );
}

/** The commonest levels of a trait as parts of one small bar. */
export function TinyShares({ shares, whole }: { shares: number[]; whole: number }) {
  const places = shares.reduce<number[]>(
    (ends, share) => [...ends, (ends.at(-1) ?? 0) + share],
    [],
  );
  return (
    <Glyph viewBox="0 0 60 18" className="h-[18px] w-[60px] shrink-0">
      {shares.map((share, n) => (
        <rect
          key={n}
          x={(60 * ((places[n] ?? 0) - share)) / Math.max(1, whole)}
          y={5}
          width={Math.max(0, (60 * share) / Math.max(1, whole) - 1)}
          height={8}
          fill="var(--color-quiet)"
          opacity={0.75 - 0.1 * n}
        />
      ))}
    </Glyph>
  );
}
