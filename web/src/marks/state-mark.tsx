import { Glyph } from "@/charts/picture";
const COPPER = "var(--color-copper)";
const INK = "var(--color-ink)";

/** An arc that fills as work goes on. */
export function Arc({ share, size = 14 }: { share: number; size?: number }) {
  const r = size / 2 - 2;
  const around = 2 * Math.PI * r;
  return (
    <Glyph width={size} height={size} viewBox={`0 0 ${size} ${size}`}>
      <circle
        cx={size / 2}
        cy={size / 2}
        r={r}
        fill="none"
        stroke="var(--color-line)"
        strokeWidth={2.6}
      />
      <circle
        cx={size / 2}
        cy={size / 2}
        r={r}
        fill="none"
        stroke={INK}
        strokeWidth={2.6}
        strokeDasharray={`${Math.max(0.12, share) * around} ${around}`}
        transform={`rotate(-90 ${size / 2} ${size / 2})`}
      />
    </Glyph>
  );
}

/** The state of a station by shape: disc here, ring current, arc working, half-hatched stale, dot not yet. */
export function StateMark({ state, here }: { state: string; here: boolean }) {
  if (state === "working") return <Arc share={0.35} size={16} />;
  return (
    <Glyph width={16} height={16} viewBox="0 0 16 16">
      <defs>
        <pattern
          id="hatch"
          width="3"
          height="3"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <rect width="1.4" height="3" fill={INK} />
        </pattern>
      </defs>
      {here ? (
        <circle cx={8} cy={8} r={7} fill={COPPER} />
      ) : state === "not yet" ? (
        <circle cx={8} cy={8} r={3} fill="var(--color-quiet)" />
      ) : state === "failed" ? (
        <g stroke="var(--color-alarm)" strokeWidth={2.4} fill="none">
          <circle cx={8} cy={8} r={6} />
          <path d="M5 11 11 5" />
        </g>
      ) : (
        <>
          <circle cx={8} cy={8} r={5.7} fill="var(--color-card)" stroke={INK} strokeWidth={2.6} />
          {state === "out of date" && <path d="M8 2.3a5.7 5.7 0 0 1 0 11.4Z" fill="url(#hatch)" />}
        </>
      )}
    </Glyph>
  );
}

/** The sign of the lens: a dot with a dotted halo. */
export function LensMark({ size = 16 }: { size?: number }) {
  return (
    <Glyph width={size} height={size} viewBox="0 0 16 16">
      <circle cx={8} cy={8} r={3.6} fill="var(--color-teal)" />
      <circle
        cx={8}
        cy={8}
        r={6.6}
        fill="none"
        stroke="var(--color-teal)"
        strokeWidth={1.6}
        strokeDasharray="1.2 2.25"
      />
    </Glyph>
  );
}
