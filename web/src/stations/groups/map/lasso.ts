import type { Plane } from "@/stations/groups/map/points";

const bend = (value: number) => Math.sign(value) * Math.log1p(Math.abs(value));

/** The field of a lens that says who lies inside a line; corners in the axes' values. */
export function lassoField(grouping: number, plane: Plane, corners: [number, number][]): string {
  const [x, y] = plane.axes;
  const bent = (value: number, log: boolean | undefined) => (log ? bend(value) : value);
  const places = corners.map(([a, b]) => [bent(a, x?.axis.log), bent(b, y?.axis.log)] as const);
  return fieldOf(grouping, plane, "", places);
}

/** The same of three axes as they were turned; corners as they were seen. */
export function turnedField(
  grouping: number,
  plane: Plane,
  turn: [number, number],
  corners: [number, number][],
): string {
  return fieldOf(grouping, plane, turn.map(short).join(","), corners);
}

function fieldOf(
  grouping: number,
  plane: Plane,
  turn: string,
  corners: readonly (readonly [number, number])[],
): string {
  const keys = plane.axes.map((axis) => axis.key).join("+");
  const line = corners.map((corner) => corner.map(short).join(",")).join(" ");
  return `lasso:${grouping};${keys};${turn};${line}`;
}

function short(value: number): string {
  return String(Number(value.toPrecision(5)));
}
