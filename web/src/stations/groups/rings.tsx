import { count, percent } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { carriedBy, Fan, standsOut } from "@/stations/groups/fan";
import type { Ring } from "@/stations/groups/layout";
import type { Row } from "@/stations/groups/queries";
import { unit } from "@/study/unit";

const DISSOLVES = 0.5;
const THIN = 0.01;

interface ThreadsProps {
  row: Row;
  next: Row | undefined;
  left: number;
  from: Ring[];
  to: Ring[] | undefined;
  y: number;
  below: number;
  onThread: (above: number, below: number) => void;
}

/** Who stays together from one k to the next; a thread picks those customers. */
export function Threads({ row, next, left, from, to, y, below, onThread }: ThreadsProps) {
  const total = row.counts.reduce((a, b) => a + b, 0);
  if (!to || !next) return null;
  return (
    <g fill="none" stroke="var(--color-everyone)">
      {row.threads.map(({ above: a, below: b, customers, carried: most }) => {
        const one = from.find((ring) => ring.group === a);
        const other = to.find((ring) => ring.group === b);
        const share = customers / total;
        if (!one || !other || share < THIN) return null;
        const [y1, y2] = [y + one.r, below - other.r];
        const middle = (y1 + y2) / 2;
        const [x1, x2] = [left + one.x, left + other.x];
        const path = `M${x1} ${y1}C${x1} ${middle} ${x2} ${middle} ${x2} ${y2}`;
        const carried = carriedBy(most);
        const words = `${count(customers)} ${unit.many}, ${percent(customers, total)}, stay together from group ${a + 1} of ${row.k} to group ${b + 1} of ${next.k}${carried?.words ?? ""}`;
        return (
          <g
            key={`${a}-${b}`}
            {...pickable({ label: words, onPick: () => onThread(a, b) })}
            className="cursor-pointer hover:stroke-teal focus-visible:stroke-teal"
          >
            <title>{words}</title>
            <path d={path} stroke="transparent" strokeWidth={Math.max(7, share * 22)} />
            <path
              d={path}
              stroke={carried?.colour}
              strokeWidth={Math.max(0.8, share * 22)}
              opacity={carried ? 0.38 : 0.75}
            />
          </g>
        );
      })}
    </g>
  );
}

/** Where a ring ends at its right. */
const beyond = (ring: Ring | undefined) => (ring ? ring.x + ring.r : 0);

interface RingsProps {
  row: Row;
  rings: Ring[];
  left: number;
  y: number;
  onOpen: (group: number) => void;
}

/** Hatching of a group that does not come back. */
export function Dissolves() {
  return (
    <defs>
      <pattern
        id="dissolves"
        width="4"
        height="4"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <rect width="1.4" height="4" fill="var(--color-copper)" opacity={0.7} />
      </pattern>
    </defs>
  );
}

/** The groups of one k: size = customers, closed part = how often it comes back. */
export function Rings({ row, rings, left, y, onOpen }: RingsProps) {
  const total = row.counts.reduce((a, b) => a + b, 0);
  const gaps = rings.slice(1).map((ring, n) => ring.x - ring.r - beyond(rings[n]));
  const room = Math.min(24, ...gaps);
  return (
    <g>
      {rings.map((ring) => {
        const stability = row.stability[ring.group] ?? 0;
        const size = row.counts[ring.group] ?? 0;
        const around = 2 * Math.PI * ring.r;
        const dissolves = stability <= DISSOLVES;
        const x = left + ring.x;
        const words = `Group ${ring.group + 1} of ${row.k}: ${count(size)} ${unit.many}, comes back in ${(100 * stability).toFixed(0)}% of ${row.resampled} resamplings${dissolves ? ": it dissolves" : ""}${standsOut(row.rays[ring.group])}`;
        return (
          <g key={ring.group} {...pickable({ label: words, onPick: () => onOpen(ring.group) })}>
            <title>{words}</title>
            <circle
              cx={x}
              cy={y}
              r={ring.r}
              fill="var(--color-card)"
              stroke="var(--color-line)"
              strokeWidth={3}
            />
            {dissolves && <circle cx={x} cy={y} r={ring.r} fill="url(#dissolves)" />}
            <circle
              cx={x}
              cy={y}
              r={ring.r}
              fill="none"
              stroke={dissolves ? "var(--color-copper)" : "var(--color-ink)"}
              strokeWidth={3}
              strokeDasharray={`${stability * around} ${around}`}
              transform={`rotate(-90 ${x} ${y})`}
            />
            <Fan rays={row.rays[ring.group] ?? []} x={x} y={y} r={ring.r} room={room} />
            <text x={x} y={y + 4} fontSize={11} textAnchor="middle">
              {((100 * size) / total).toFixed(0)}
            </text>
          </g>
        );
      })}
    </g>
  );
}
