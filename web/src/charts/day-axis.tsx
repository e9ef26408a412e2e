interface Props {
  days: number[];
  x: (days: number) => number;
  y: number;
}

/** Days since something, named below a picture. */
export function DayAxis({ days, x, y }: Props) {
  return (
    <g fontSize={11} textAnchor="middle" style={{ fill: "var(--color-quiet)" }}>
      {days.map((day) => (
        <text key={day} x={x(day)} y={y} style={{ fill: "inherit" }}>
          {day === 0 ? "0 days" : day}
        </text>
      ))}
    </g>
  );
}
