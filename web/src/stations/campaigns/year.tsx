import { useRef, useState } from "react";
import type { KeyboardEvent, PointerEvent } from "react";

import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import type { Clause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import type { Row } from "@/stations/campaigns/types";

const WIDTH = 960;
const LEFT = 8;
const LANE = 30;
const MONTHS = "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split(" ");
const DAY = 86_400_000;

interface Props {
  rows: Row[];
  row: Row;
  today: string;
  overlaps: Schemas["OverlapRow"][];
  onChoose: (id: number) => void;
  /** Move a draft by so many days. */
  onMove?: ((row: Row, days: number) => void) | undefined;
}

/** The year of a campaign: all of them beside each other, drafts to be moved. */
export function Year({ rows, row, today, overlaps, onChoose, onMove }: Props) {
  const frame = useRef<SVGGElement>(null);
  const [moving, setMoving] = useState<{ id: number; from: number; days: number } | null>(null);
  const year = Number(row.send_on.slice(0, 4));
  const first = Date.UTC(year, 0, 1);
  const last = Date.UTC(year + 1, 0, 1);
  const x = (time: number) =>
    LEFT + ((Math.min(Math.max(time, first), last) - first) / (last - first)) * (WIDTH - 2 * LEFT);
  const shown = rows.filter((each) => at(each.read_on) >= first && at(each.send_on) < last);
  const lanes = lanesOf(shown);
  const foot = 8 + LANE * Math.max(1, ...[...lanes.values()].map((lane) => lane + 1));
  const daysAt = (event: PointerEvent) => {
    const box = frame.current?.getBoundingClientRect();
    return box ? (event.clientX / box.width) * ((last - first) / DAY) : 0;
  };
  return (
    <section className="card p-3" aria-label="The year">
      <h2 className="text-14">The year {year}</h2>
      <PickPicture
        width="100%"
        viewBox={`0 0 ${WIDTH} ${foot + 22}`}
        label={`Campaigns of ${year}`}
      >
        <g ref={frame}>
          <path d={`M${LEFT} ${foot}H${WIDTH - LEFT}`} stroke="var(--color-line)" />
        </g>
        {MONTHS.map((name, n) => (
          <text
            key={name}
            x={x(Date.UTC(year, n, 1))}
            y={foot + 15}
            fontSize={11}
            style={{ fill: "var(--color-quiet)" }}
          >
            {name}
          </text>
        ))}
        {at(today) >= first && at(today) < last && (
          <path d={`M${x(at(today))} 2V${foot}`} stroke="var(--color-copper)">
            <title>{`Today, ${day(today)}`}</title>
          </path>
        )}
        {shown.map((each) => {
          const by = moving?.id === each.id ? moving.days * DAY : 0;
          const from = x(at(each.send_on) + by);
          const to = Math.max(from + 8, x(at(each.read_on) + by));
          const y = 6 + LANE * (lanes.get(each.id) ?? 0);
          const draft = each.state === "draft" && onMove;
          const words = `${each.name}, ${each.read ? "read" : each.state}, ${day(each.send_on)} to ${day(each.read_on)}`;
          const keys = (event: KeyboardEvent) => {
            const days = { ArrowLeft: -1, ArrowRight: 1, PageUp: -7, PageDown: 7 }[event.key];
            if (!days || !draft || !event.altKey) return;
            event.preventDefault();
            event.stopPropagation();
            draft(each, days);
          };
          const mark = pickable({
            label: words,
            pressed: each.id === row.id,
            onPick: () => onChoose(each.id),
          });
          return (
            <g
              key={each.id}
              {...mark}
              className={draft ? "cursor-ew-resize touch-none" : "cursor-pointer"}
              onKeyDown={(event) => {
                keys(event);
                if (!event.defaultPrevented) mark.onKeyDown(event);
              }}
              onPointerDown={(event) => {
                if (!draft) return;
                event.currentTarget.setPointerCapture(event.pointerId);
                setMoving({ id: each.id, from: daysAt(event), days: 0 });
              }}
              onPointerMove={(event) => {
                if (
                  moving?.id === each.id &&
                  event.currentTarget.hasPointerCapture(event.pointerId)
                )
                  setMoving({ ...moving, days: Math.round(daysAt(event) - moving.from) });
              }}
              onPointerUp={() => {
                if (moving && moving.days !== 0 && draft) draft(each, moving.days);
                setMoving(null);
              }}
              onPointerCancel={() => setMoving(null)}
            >
              <title>
                {draft ? `${words}. Drag it, or move it by Alt and the arrow keys.` : words}
              </title>
              <rect
                x={from}
                y={y}
                width={to - from}
                height={10}
                rx={5}
                fill={each.state === "draft" ? "var(--color-everyone)" : "var(--color-ink)"}
                opacity={each.state === "draft" ? 1 : 0.75}
              />
              <rect
                x={from}
                y={y - 4}
                width={Math.max(to - from, 60)}
                height={28}
                fill="transparent"
              />
              <text
                x={Math.min(from + 2, WIDTH - 150)}
                y={y + 22}
                fontSize={11}
                fontWeight={each.id === row.id ? 600 : 400}
              >
                {each.name}
                {each.state === "draft"
                  ? ", draft"
                  : each.read
                    ? `, read ${day(each.read_on).slice(0, -5)}`
                    : ""}
              </text>
            </g>
          );
        })}
      </PickPicture>
      <Overlaps rows={shown} overlaps={overlaps} />
    </section>
  );
}

/** Campaigns whose time overlaps, and how many customers are in the lenses of both. */
function Overlaps({ rows, overlaps }: { rows: Row[]; overlaps: Schemas["OverlapRow"][] }) {
  const lens = useLens();
  const name = (id: number) => rows.find((each) => each.id === id)?.name;
  const there = overlaps.filter((each) => name(each.first) && name(each.second));
  if (there.length === 0) return null;
  return (
    <ul className="mt-1 flex flex-wrap gap-x-4 text-12 text-quiet">
      {there.map(({ first, second, customers, clauses }) => (
        <li key={`${first}-${second}`}>
          {name(first)} and {name(second)}:{" "}
          <button
            type="button"
            className="min-h-[24px] text-teal underline"
            onClick={() => lens.set(clauses as Clause[])}
          >
            {count(customers)} in both
          </button>
        </li>
      ))}
    </ul>
  );
}

function at(iso: string): number {
  return Date.parse(`${iso}T00:00:00Z`);
}

/** Those whose time overlaps stand below each other. */
function lanesOf(rows: Row[]): Map<number, number> {
  const free: number[] = [];
  const lanes = new Map<number, number>();
  for (const row of [...rows].sort((a, b) => at(a.send_on) - at(b.send_on))) {
    const lane = free.findIndex((end) => end < at(row.send_on));
    const place = lane < 0 ? free.length : lane;
    // A short bar's name needs room behind it.
    free[place] = Math.max(at(row.read_on), at(row.send_on) + 60 * DAY);
    lanes.set(row.id, place);
  }
  return lanes;
}
