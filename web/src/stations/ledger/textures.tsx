import { Glyph } from "@/charts/picture";
/** One texture a rule; the same in the picture and in its legend. */
const INK = "var(--color-quiet)";

const SHAPES: Record<string, React.ReactNode> = {
  no_date: <path d="M0 0L6 6M-1.5 4.5L1.5 7.5M4.5 -1.5L7.5 1.5" stroke={INK} strokeWidth={1.3} />,
  no_amount: <path d="M0 6L6 0M-1.5 1.5L1.5 -1.5M4.5 7.5L7.5 4.5" stroke={INK} strokeWidth={1.3} />,
  future: <path d="M3 0V6" stroke={INK} strokeWidth={1.3} />,
  currency: <path d="M1.5 0V6M4.5 0V6" stroke={INK} strokeWidth={0.8} />,
  void: <rect width={6} height={6} fill={INK} />,
  not_sale: <path d="M0 3H6" stroke={INK} strokeWidth={1.6} />,
  twice: <circle cx={3} cy={3} r={1.4} fill={INK} />,
  superseded: <path d="M0 1.5H6M0 4.5H6" stroke={INK} strokeWidth={0.8} strokeDasharray="2 1" />,
  staff: <path d="M0 0L6 6M6 0L0 6" stroke={INK} strokeWidth={0.9} />,
  no_customer: <path d="M0 3H6M3 0V6" stroke={INK} strokeWidth={0.9} />,
  returned: <path d="M5 1L1 3L5 5" fill="none" stroke={INK} strokeWidth={1.2} />,
  unmatched: <path d="M1 1L5 3L1 5" fill="none" stroke={INK} strokeWidth={1.2} />,
  returns: <path d="M0 5L3 2L6 5" fill="none" stroke={INK} strokeWidth={1.2} />,
  negative: <path d="M1 3H5" stroke={INK} strokeWidth={1.4} />,
  zero: <circle cx={3} cy={3} r={1.9} fill="none" stroke={INK} strokeWidth={1} />,
  extreme: <path d="M3 0.5L5.5 5.5H0.5Z" fill={INK} />,
};
/** Rules of one's own take turns. */
const OWN = [
  <rect key="0" x={1} y={1} width={3} height={3} fill={INK} />,
  <path key="1" d="M0 2L3 5L6 2" fill="none" stroke={INK} strokeWidth={1.2} />,
  <path key="2" d="M3 1V5M1 3H5" stroke={INK} strokeWidth={1.1} />,
  <path key="3" d="M1 5L5 1" stroke={INK} strokeWidth={1.1} />,
];

const patterns = [
  ...Object.entries(SHAPES),
  ...Array.from({ length: 8 }, (_, slot) => [`own${slot + 1}`, OWN[slot % OWN.length]] as const),
];

export function TextureDefs() {
  return (
    <defs>
      {patterns.map(([rule, shape]) => (
        <pattern
          key={rule}
          id={`texture-${rule}`}
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

export function texture(rule: string): string {
  return `url(#texture-${rule})`;
}

export function Swatch({ rule }: { rule: string }) {
  return (
    <Glyph width={18} height={12} className="shrink-0">
      <rect
        x={0.5}
        y={0.5}
        width={17}
        height={11}
        fill={texture(rule)}
        stroke="var(--color-quiet)"
      />
    </Glyph>
  );
}
