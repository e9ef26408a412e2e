import { useRef, useState } from "react";
import type { PointerEvent } from "react";

import { placeOf, ticksOf, valueAt } from "@/charts/axis";
import { inUnit, unitWords, within } from "@/charts/format";
import { useHandles } from "@/charts/handles";
import type { Stretch } from "@/stations/scores/geometry";
import type { Banded } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";

interface Props {
  measure: Banded;
  bands: Stretch[];
  length: number;
  /** Lies upwards, its values left of the plots, instead of below them. */
  upright?: boolean;
  onCuts?: (cuts: number[]) => void;
}

export const DEEP = 74;
const LINKS = 16;
const HILL = 20;
const STEP = 1 / 48;

/**
 * The values of a measure as a ruler beside the plots: everyone's shape, the cuts, and a link from
 * each cut to the edge between two bands. The best end lies where the best band does.
 */
export function Ruler({ measure, bands, length, upright = false, onCuts }: Props) {
  const { study } = useStudy();
  const [moving, setMoving] = useState<{ cut: number; value: number } | null>(null);
  const along = useRef<SVGGElement>(null);
  const { handle } = useHandles();
  const { axis, higher_is_better: rising } = measure;
  const place = (value: number) => (rising ? placeOf(value, axis) : 1 - placeOf(value, axis));
  const words = (value: number) => inUnit(value, measure.unit, study.currency);
  const unit =
    within(measure.label) === measure.unit ? "" : unitWords(measure.unit, study.currency);
  const cuts = measure.cuts.map((cut, n) => (moving?.cut === n ? moving.value : cut));
  // Cuts rise with the value; edges rise with the band, which is the other way where less is better.
  const edges = bands.slice(1).map((band) => band.from);
  const ends = rising ? cuts : [...cuts].reverse();
  const most = Math.max(1, ...measure.shape);
  const shape = rising ? measure.shape : [...measure.shape].reverse();
  const pin = (at: number, deep: number): [number, number] =>
    upright ? [-deep, length - at] : [at, deep];
  const point = (at: number, deep: number) =>
    pin(at, deep)
      .map((v) => v.toFixed(1))
      .join(" ");
  const hill = shape
    .map((value, n) => point(((n + 0.5) / shape.length) * length, base + (value / most) * HILL))
    .join("L");
  const keep = (cut: number, value: number) => {
    const next = measure.cuts.map((old, n) => (n === cut ? value : old));
    const apart = next.every((v, n) => n === 0 || v > (next[n - 1] ?? -Infinity));
    if (apart && onCuts) onCuts(next);
  };
  const rounded = (value: number) => {
    const exact = Number(value.toPrecision(3));
    return Math.abs(exact) >= 20 ? Math.round(exact) : exact;
  };
  const follow = (cut: number) => (event: PointerEvent) => {
    if (!along.current || !event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const frame = along.current.getBoundingClientRect();
    const share = upright
      ? (frame.bottom - event.clientY) / frame.height
      : (event.clientX - frame.left) / frame.width;
    const at = Math.min(1, Math.max(0, share));
    setMoving({ cut, value: rounded(valueAt(rising ? at : 1 - at, axis)) });
  };
  const step = (cut: number, way: number) => {
    const old = measure.cuts[cut] ?? 0;
    let next = old;
    // On a log axis a small step may round to nothing: go on until the value moves.
    for (let n = 1; n < 20 && next === old; n++)
      next = rounded(valueAt(placeOf(old, axis) + (rising ? way : -way) * STEP * n, axis));
    keep(cut, next);
  };
  return (
    <g fontSize={11}>
      {ends.map((cut, n) => {
        const edge = edges[n];
        if (edge === undefined) return null;
        return (
          <path
            key={n}
            d={`M${point(edge, 2)}L${point(place(cut) * length, LINKS)}`}
            stroke="var(--color-quiet)"
            strokeWidth={0.8}
            fill="none"
          />
        );
      })}
      <path d={`M${point(0, base)}L${hill}L${point(length, base)}Z`} fill="var(--color-everyone)" />
      <g ref={along}>
        <path
          d={`M${point(0, base)}L${point(length, base)}`}
          stroke="var(--color-quiet)"
          fill="none"
        />
      </g>
      {cuts.map((cut, n) => {
        const at = place(cut) * length;
        const [x, y] = pin(at, base);
        return (
          <g
            key={n}
            {...(onCuts
              ? handle({
                  id: String(n),
                  label: `Cut ${n + 1} of ${measure.label}`,
                  words: words(cut),
                  onMove: (right, up) => step(n, right + up),
                })
              : { role: "img", "aria-label": `Cut ${n + 1} of ${measure.label}: ${words(cut)}` })}
            aria-orientation={upright ? "vertical" : "horizontal"}
            aria-valuenow={cut}
            aria-valuemin={axis.low}
            aria-valuemax={axis.high}
            className={`handle touch-none ${onCuts ? (upright ? "cursor-ns-resize" : "cursor-ew-resize") : ""}`}
            onPointerDown={(event) => {
              if (!onCuts) return;
              event.currentTarget.setPointerCapture(event.pointerId);
              setMoving({ cut: n, value: cut });
            }}
            onPointerMove={follow(n)}
            onPointerUp={() => {
              if (moving && moving.value !== measure.cuts[n]) keep(n, moving.value);
              setMoving(null);
            }}
            onPointerCancel={() => setMoving(null)}
          >
            <title>{`${measure.label} is cut at ${words(cut)}`}</title>
            <rect x={x - 7} y={y - 9} width={14} height={18} fill="transparent" />
            <path
              d={upright ? `M${x} ${y}l7 -4v8z` : `M${x} ${y}l-4 -7h8z`}
              fill="var(--color-ink)"
            />
          </g>
        );
      })}
      {moving && (
        <Told
          words={words(moving.value)}
          at={pin(place(moving.value) * length, upright ? base + 26 : base + 13)}
        />
      )}
      <text
        {...(upright
          ? { transform: `translate(${-(base + HILL + 34)} ${length / 2}) rotate(-90)` }
          : { x: length / 2, y: base + HILL + 26 })}
        textAnchor="middle"
        fontWeight={600}
        className="fill-quiet"
      >
        {measure.label}
        {unit && `, ${unit}`}
        {axis.log && ", log"}
      </text>
      {ticks(measure).map((tick, n, all) => {
        const [x, y] = pin(place(tick) * length, upright ? base + HILL + 3 : base + HILL + 11);
        const near = !upright && (n === 0 || n === all.length - 1);
        return (
          <text
            key={tick}
            x={x}
            y={upright ? y + 4 : y}
            textAnchor={upright ? "end" : near ? (place(tick) > 0.5 ? "end" : "start") : "middle"}
            className="fill-quiet"
          >
            {words(tick)}
          </text>
        );
      })}
    </g>
  );
}

const base = LINKS + 5;

function ticks(measure: Banded): number[] {
  const all = ticksOf(measure.axis, 3);
  const span = (value: number) => placeOf(value, measure.axis);
  const out: number[] = [];
  for (const tick of all)
    if (out.every((other) => Math.abs(span(other) - span(tick)) > 0.13)) out.push(tick);
  return out;
}

function Told({ words, at: [x, y] }: { words: string; at: [number, number] }) {
  return (
    <g>
      <rect x={x - 24} y={y - 10} width={48} height={15} rx={3} fill="var(--color-ink)" />
      <text x={x} y={y + 1} textAnchor="middle" style={{ fill: "var(--color-white)" }}>
        {words}
      </text>
    </g>
  );
}
