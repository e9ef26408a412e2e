/** One texture a rule, in the rules' order; the same in the picture and in its legend. */
const INK = "var(--color-quiet)";

const shapes = [
  <path key="0" d="M0 0L6 6M-1.5 4.5L1.5 7.5M4.5 -1.5L7.5 1.5" stroke={INK} strokeWidth={1.3} />,
  <path key="1" d="M0 6L6 0M-1.5 1.5L1.5 -1.5M4.5 7.5L7.5 4.5" stroke={INK} strokeWidth={1.3} />,
  <path key="2" d="M3 0V6" stroke={INK} strokeWidth={1.3} />,
  <rect key="3" width={6} height={6} fill={INK} />,
  <path key="4" d="M0 3H6" stroke={INK} strokeWidth={1.6} />,
  <circle key="5" cx={3} cy={3} r={1.4} fill={INK} />,
  <path key="6" d="M0 0L6 6M6 0L0 6" stroke={INK} strokeWidth={0.9} />,
  <path key="7" d="M0 3H6M3 0V6" stroke={INK} strokeWidth={0.9} />,
  <circle key="8" cx={3} cy={3} r={1.9} fill="none" stroke={INK} strokeWidth={1} />,
  <path key="9" d="M0 5L3 2L6 5" fill="none" stroke={INK} strokeWidth={1.2} />,
];

export function TextureDefs() {
  return (
    <defs>
      {shapes.map((shape, place) => (
        <pattern
          key={place}
          id={`texture-${place}`}
          width={6}
          height={6}
          patternUnits="userSpaceOnUse"
        >
          <rect width={6} height={6} fill="var(--color-paper)" />
          {shape}
        </pattern>
      ))}
    </defs>
  );
}

export function texture(rule: number): string {
  return `url(#texture-${rule})`;
}

export function Swatch({ rule }: { rule: number }) {
  return (
    <svg width={18} height={12} aria-hidden className="shrink-0">
      <rect
        x={0.5}
        y={0.5}
        width={17}
        height={11}
        fill={texture(rule)}
        stroke="var(--color-quiet)"
      />
    </svg>
  );
}
