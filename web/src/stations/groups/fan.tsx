import type { Schemas } from "@/api/client";
import { fixed } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import type { Row } from "@/stations/groups/queries";

type Ray = Schemas["Ray"];

/** So many of a group's deviations are drawn, and none that is smaller than this, in SD. */
const STRONGEST = 4;
const LEAST = 0.25;
/** Deviations of this size and beyond are drawn as long as there is room. */
const FAR = 2;
const APART = 2.5;
/** Degrees between the first column's direction and the last one's, to the right of the ring. */
const SPAN = 140;

const ABOVE = "var(--color-above)";
const BELOW = "var(--color-below)";

function strongest(rays: Ray[]): Ray[] {
  return rays
    .filter((ray) => Math.abs(ray.by) >= LEAST)
    .sort((a, b) => Math.abs(b.by) - Math.abs(a.by))
    .slice(0, STRONGEST);
}

const nameOf = (ray: Ray) => (ray.level ? `${ray.label} ${ray.level}` : ray.label);

/** What a group stands out by, in words. */
export function standsOut(rays: Ray[] | undefined): string {
  const told = strongest(rays ?? []).map(
    (ray) => `${nameOf(ray)} ${ray.by > 0 ? "▴" : "▾"}${fixed(Math.abs(ray.by))} SD`,
  );
  return told.length > 0 ? `. Stands out by ${told.join(", ")}` : "";
}

/** Where a column's ray points, the same in every ring. */
function direction(place: number, columns: number): readonly [number, number] {
  const share = columns > 1 ? place / (columns - 1) : 0.5;
  const angle = ((share - 0.5) * SPAN * Math.PI) / 180;
  return [Math.cos(angle), Math.sin(angle)];
}

interface FanProps {
  rays: Ray[];
  x: number;
  y: number;
  /** Of the ring. */
  r: number;
  /** Pixels to the right of the ring. */
  room: number;
}

/** A ring's strongest deviations from everyone: a ray each, at its column's direction. */
export function Fan({ rays, x, y, r, room }: FanProps) {
  const longest = Math.max(4, Math.min(13, room - 6));
  return (
    <g pointerEvents="none">
      {strongest(rays).map((ray) => {
        const [across, down] = direction(rays.indexOf(ray), rays.length);
        const end = r + APART + 2 + (longest * Math.min(FAR, Math.abs(ray.by))) / FAR;
        const colour = ray.by > 0 ? ABOVE : BELOW;
        return (
          <g key={ray.name} stroke={colour} strokeWidth={1.6}>
            <line
              x1={x + across * (r + APART)}
              y1={y + down * (r + APART)}
              x2={x + across * end}
              y2={y + down * end}
            />
            <circle
              cx={x + across * end}
              cy={y + down * end}
              r={1.7}
              fill={ray.by > 0 ? colour : "var(--color-card)"}
              strokeWidth={1.2}
            />
          </g>
        );
      })}
    </g>
  );
}

export interface Carried {
  words: string;
  colour: string;
}

/** What those who go on come nearer to; nothing where the two groups are much alike. */
export function carriedBy(most: Ray | null): Carried | null {
  if (!most || Math.abs(most.by) < LEAST) return null;
  const way = most.by > 0 ? "higher" : "lower";
  return {
    words: `, where ${nameOf(most)} is ${fixed(Math.abs(most.by))} SD ${way}`,
    colour: most.by > 0 ? ABOVE : BELOW,
  };
}

/** Which way each column points. */
export function Directions({ rows }: { rows: Row[] }) {
  const columns = rows.find((row) => row.rays.length > 0)?.rays[0] ?? [];
  if (columns.length === 0) return null;
  return (
    <ul
      aria-label="Where rays point"
      className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-0.5 text-11 text-quiet"
    >
      {columns.map((column, place) => {
        const [across, down] = direction(place, columns.length);
        return (
          <li key={column.name} className="inline-flex items-center gap-1">
            <Glyph width={22} height={22} viewBox="0 0 22 22">
              <circle cx={8} cy={11} r={4} fill="none" stroke="var(--color-everyone)" />
              <line
                x1={8 + 6 * across}
                y1={11 + 6 * down}
                x2={8 + 12 * across}
                y2={11 + 9.5 * down}
                stroke="var(--color-ink)"
                strokeWidth={1.6}
              />
            </Glyph>
            {column.label}
          </li>
        );
      })}
      <li>
        <span className="text-above">●</span> above everyone, <span className="text-below">○</span>{" "}
        below, up to 2 SD and beyond
      </li>
    </ul>
  );
}
