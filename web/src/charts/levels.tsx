interface Props {
  values: number[];
  y: (value: number) => number;
  /** Where the lines begin and end; the words stand before. */
  from: number;
  to: number;
  words: (value: number) => string;
}

/** The lines across a picture, at round values, that its heights are read off. */
export function Levels({ values, y, from, to, words }: Props) {
  return (
    <g>
      {values.map((value) => (
        <g key={value}>
          <line x1={from} x2={to} y1={y(value)} y2={y(value)} stroke="var(--color-line)" />
          <text
            x={from - 6}
            y={y(value) + 4}
            fontSize={11}
            textAnchor="end"
            style={{ fill: "var(--color-quiet)" }}
          >
            {words(value)}
          </text>
        </g>
      ))}
    </g>
  );
}
