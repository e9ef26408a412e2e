/** Longitude and latitude, or across and down. */
export type Corner = [number, number];
/** The first is an outline, those within it are holes; a district may have several. */
type Rings = Corner[][];

/** A plane that keeps shapes at their own latitude, fitted into a frame. */
export function plane(shapes: Rings[], width: number, highest: number) {
  const corners = shapes.flat(2);
  const across = corners.map(([x]) => x);
  const up = corners.map(([, y]) => y);
  const [west, east] = [least(across), -least(across.map((x) => -x))];
  const [south, north] = [least(up), -least(up.map((y) => -y))];
  const narrow = Math.cos((((south + north) / 2) * Math.PI) / 180);
  const size = { x: Math.max(1e-9, (east - west) * narrow), y: Math.max(1e-9, north - south) };
  const scale = Math.min(width / size.x, highest / size.y);
  const inset = (width - size.x * scale) / 2;
  return {
    height: size.y * scale,
    at: ([x, y]: Corner): Corner => [inset + (x - west) * narrow * scale, (north - y) * scale],
  };
}

/** The least of any number of values; 0 of none. */
function least(values: number[]): number {
  return values.reduce((found, value) => Math.min(found, value), values[0] ?? 0);
}

/** Rings as the path of a drawing. */
export function pathOf(rings: Rings, at: (corner: Corner) => Corner): string {
  return rings
    .map((ring) => {
      const told = ring.map((corner) => {
        const [x, y] = at(corner);
        return `${x.toFixed(1)} ${y.toFixed(1)}`;
      });
      return `M${told.join("L")}Z`;
    })
    .join("");
}

/** Where a mark stands in a district: the centre of its largest ring, and how wide that is. */
export function middleOf(rings: Rings, at: (corner: Corner) => Corner) {
  const drawn = rings.map((ring) => ring.map(at));
  const largest = drawn.reduce<{ size: number; ring: Corner[] }>(
    (found, ring) => {
      const size = Math.abs(momentsOf(ring).size);
      return size > found.size ? { size, ring } : found;
    },
    { size: -1, ring: [] },
  ).ring;
  const { size, x, y } = momentsOf(largest);
  const across = largest.map(([each]) => each);
  const width = -least(across.map((each) => -each)) - least(across);
  if (size === 0) return { x: largest[0]?.[0] ?? 0, y: largest[0]?.[1] ?? 0, width };
  return { x: x / (3 * size), y: y / (3 * size), width };
}

/** Twice the signed area of a ring, and the moments that its centre comes from. */
function momentsOf(ring: Corner[]) {
  const found = { size: 0, x: 0, y: 0 };
  ring.forEach(([x, y], n) => {
    const [nextX, nextY] = ring[(n + 1) % ring.length] ?? [x, y];
    const cross = x * nextY - nextX * y;
    found.size += cross;
    found.x += (x + nextX) * cross;
    found.y += (y + nextY) * cross;
  });
  return found;
}
