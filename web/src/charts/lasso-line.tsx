import type { Place } from "@/charts/use-lasso";

interface Props {
  line: Place[];
  width: number;
  height: number;
}

/** A line while it is drawn round points; nothing before it goes anywhere. */
export function LassoLine({ line, width, height }: Props) {
  if (line.length < 2) return null;
  const at = ([x, y]: Place) => `${(x * width).toFixed(1)} ${(y * height).toFixed(1)}`;
  return (
    <path
      d={`M${line.map(at).join("L")}Z`}
      fill="var(--color-teal)"
      fillOpacity={0.12}
      stroke="var(--color-teal)"
      strokeDasharray="4 3"
    />
  );
}
