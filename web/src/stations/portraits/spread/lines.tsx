import { useRef } from "react";
import type { KeyboardEvent, PointerEvent } from "react";

import { inUnit } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { SEGMENT, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { columnHue, ColumnShape } from "@/marks/column-mark";
import { placesOf } from "@/stations/portraits/spread/panel";
import type { Page, Panel, Scale } from "@/stations/portraits/spread/use-spread";
import { useStudy } from "@/study/context";

const WIDTH = 960;
const HEIGHT = 400;
const TOP = 46;
const FOOT = 26;
const SIDE = 64;
const MARK = 15;

interface Props {
  page: Page;
  scale: Scale;
  /** Measures whose axis stands on its head. */
  turned: string[];
  onOrder: (names: string[]) => void;
  onTurn: (name: string) => void;
}

/** One line a column over the measures, at its medians; axes are moved and turned by hand. */
export function SpreadLines({ page, scale, turned, onOrder, onTurn }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const { panels } = page;
  const step = panels.length > 1 ? (WIDTH - 2 * SIDE) / (panels.length - 1) : 0;
  const x = (n: number) => (panels.length > 1 ? SIDE + n * step : WIDTH / 2);
  const tall = HEIGHT - TOP - FOOT;
  const y = (place: number, panel: Panel) =>
    TOP + (turned.includes(panel.name) ? place : 1 - place) * tall;
  const line = (places: (number | null | undefined)[]) =>
    panels
      .map((panel, n) => {
        const [place, before] = [places[n], places[n - 1]];
        if (place === null || place === undefined) return "";
        const joined = n > 0 && before !== null && before !== undefined;
        return `${joined ? "L" : "M"}${x(n).toFixed(1)},${y(place, panel).toFixed(1)}`;
      })
      .join("");
  const own = (number: number) => page.columns.find((head) => head.number === number);
  return (
    <PickPicture
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full touch-none"
      label="Medians of every column over the measures"
    >
      {panels.map((panel, n) => (
        <Axis
          key={panel.name}
          panel={panel}
          scale={scale}
          x={x(n)}
          step={step}
          currency={study.currency}
          turned={turned.includes(panel.name)}
          onTurn={() => onTurn(panel.name)}
          onMove={(by) => onOrder(moved(panels, n, by))}
        />
      ))}
      {page.lines.map((customer, n) => {
        const head = own(customer.column);
        const places =
          scale === "own"
            ? customer.places
            : customer.among.map((share) => (share === null ? null : share / 100));
        return (
          <path
            key={n}
            d={line(places)}
            fill="none"
            stroke={head ? columnHue(head) : "var(--color-everyone)"}
            strokeWidth={0.7}
            opacity={0.22}
          />
        );
      })}
      {page.columns.map((head, column) => {
        const places = panels.map((panel) => {
          const box = panel.boxes[column];
          return box ? placesOf(box, scale)[2] : null;
        });
        const pick = { value: String(head.number) };
        const mark =
          head.mark === null
            ? {}
            : pickable({
                label: `${head.name}: ${panels
                  .map((panel) => {
                    const box = panel.boxes[column];
                    return `${panel.label} ${inUnit(box?.five[2], panel.unit, study.currency)}`;
                  })
                  .join(", ")}`,
                onPick: (more) => lens.pick(SEGMENT, pick, more),
                onTry: (resting) => lens.preview(resting ? valueClause(SEGMENT, pick.value) : null),
              });
        return (
          <g key={head.number} {...mark}>
            <path d={line(places)} fill="none" stroke="var(--color-card)" strokeWidth={5} />
            <path d={line(places)} fill="none" stroke={columnHue(head)} strokeWidth={2.2} />
            {panels.map((panel, n) => {
              const place = places[n];
              if (place === null || place === undefined) return null;
              return (
                <ColumnShape
                  key={panel.name}
                  head={head}
                  x={x(n)}
                  y={y(place, panel)}
                  size={MARK}
                />
              );
            })}
          </g>
        );
      })}
    </PickPicture>
  );
}

/** The names of the panels with one of them moved by so many places. */
export function moved(panels: { name: string }[], from: number, by: number): string[] {
  const names = panels.map((panel) => panel.name);
  const [name] = names.splice(from, 1);
  if (name !== undefined) names.splice(Math.max(0, Math.min(names.length, from + by)), 0, name);
  return names;
}

/** One axis with its name: dragged aside or moved by Shift and arrows, turned by a click. */
function Axis(props: {
  panel: Panel;
  scale: Scale;
  x: number;
  step: number;
  currency: string;
  turned: boolean;
  onTurn: () => void;
  onMove: (by: number) => void;
}) {
  const { panel, scale, x, step, currency, turned, onTurn, onMove } = props;
  const from = useRef<number | null>(null);
  const dragged = useRef(false);
  const own = [panel.low, panel.high].map((value) => inUnit(value, panel.unit, currency));
  const ends = scale === "own" ? own : ["0", "100"];
  const [foot = "", top = ""] = turned ? [...ends].reverse() : ends;
  const name = panel.label.length > 20 ? `${panel.label.slice(0, 19)}…` : panel.label;
  const by = (event: PointerEvent<SVGGElement>) => {
    const drawn = event.currentTarget.ownerSVGElement?.getBoundingClientRect().width ?? WIDTH;
    const away = ((event.clientX - (from.current ?? event.clientX)) * WIDTH) / drawn;
    return step > 0 ? Math.round(away / step) : 0;
  };
  const mark = pickable({
    label: `${panel.label}${turned ? ", turned" : ""}: Enter turns the axis, Shift with an arrow moves it`,
    pressed: turned,
    onPick: onTurn,
  });
  return (
    <g>
      <line
        x1={x}
        x2={x}
        y1={TOP}
        y2={HEIGHT - FOOT}
        stroke="var(--color-line)"
        strokeWidth={1.4}
      />
      <g
        {...mark}
        onKeyDown={(event: KeyboardEvent) => {
          const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
          if (event.shiftKey && way) {
            event.preventDefault();
            onMove(way);
          } else mark.onKeyDown(event);
        }}
        onClick={() => {
          if (!dragged.current) onTurn();
          dragged.current = false;
        }}
        onPointerDown={(event) => {
          from.current = event.clientX;
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerUp={(event) => {
          const places = by(event);
          from.current = null;
          dragged.current = places !== 0;
          if (places !== 0) onMove(places);
        }}
      >
        <title>Drag to move, click to turn</title>
        <rect x={x - 62} width={124} y={2} height={TOP - 18} fill="transparent" />
        <text x={x} y={16} fontSize={12} fontWeight={600} textAnchor="middle">
          {name} {turned ? "↓" : ""}
        </text>
      </g>
      <text x={x} y={TOP - 6} fontSize={11} textAnchor="middle" style={QUIET}>
        {top}
      </text>
      <text x={x} y={HEIGHT - 8} fontSize={11} textAnchor="middle" style={QUIET}>
        {foot}
      </text>
    </g>
  );
}

const QUIET = { fill: "var(--color-quiet)" };
