import { useRef, useState } from "react";
import type { KeyboardEvent, PointerEvent } from "react";

import { MarkPicture, Picture } from "@/charts/picture";

const W = 1000;
const UP = 24;
const BAND = 16;
const DOWN = 12;
const H = UP + BAND + DOWN;

interface Props {
  shape: number[];
  places: number[];
  prepared: number[];
  preparedPlaces: number[];
  label: string;
  lens?: number[] | null;
  beside?: number[] | null;
  /** What can be picked of it, by pointer and by keys, if it stands in a `PickList`. */
  stretch?: Stretches | undefined;
}

interface Stretches {
  /** A stretch of the thread was picked, from and to along it (0 to 1). */
  onPick: (from: number, to: number) => void;
  /** What a stretch holds, in words. */
  words: (from: number, to: number) => string;
}

function hill(values: number[], base: number, height: number, open = false): string {
  const most = Math.max(1, ...values);
  const step = W / values.length;
  const points = values.map(
    (value, n) => `${((n + 0.5) * step).toFixed(1)},${(base - (value / most) * height).toFixed(1)}`,
  );
  return open
    ? `M0,${base} L${points.join(" L")} L${W},${base}`
    : `M0,${base} L${points.join(" L")} L${W},${base} Z`;
}

/**
 * A measure on its thread, the same customers as prepared hanging below, and thin links between:
 * from where a twentieth, a quarter, half … of them stand on the one to where they stand on the
 * other.
 */
export function ThreadShape(props: Props) {
  const { shape, places, prepared, preparedPlaces, label, lens, beside, stretch } = props;
  const [, low = 0, middle = 0.5, high = 1] = places;
  const [, low2 = 0, middle2 = 0.5, high2 = 1] = preparedPlaces;
  const foot = UP + BAND;
  const brush = useBrush(stretch, [low, high]);
  const still = { vectorEffect: "non-scaling-stroke" as const };
  const drawn = (
    <>
      <path d={hill(shape, UP, UP - 2)} fill="var(--color-everyone)" opacity={0.8} />
      {beside && (
        <path
          d={hill(beside, UP, UP - 2, true)}
          fill="none"
          stroke="var(--color-ink)"
          strokeWidth={1}
          strokeDasharray="3 2"
          {...still}
        />
      )}
      {lens && (
        <path
          d={hill(lens, UP, UP - 2, true)}
          fill="none"
          stroke="var(--color-teal)"
          strokeWidth={1.6}
          {...still}
        />
      )}
      {places.map((place, n) => (
        <path
          key={n}
          d={`M${place * W},${UP + 2} L${(preparedPlaces[n] ?? 0) * W},${foot - 1}`}
          fill="none"
          stroke="var(--color-quiet)"
          strokeWidth={n === 2 ? 1.2 : 0.8}
          opacity={n === 2 ? 0.9 : n === 0 || n === 4 ? 0.35 : 0.6}
          {...still}
        />
      ))}
      <path d={hill(prepared, foot, -(DOWN - 1))} fill="var(--color-everyone)" opacity={0.45} />
      {[UP, foot].map((y) => (
        <line
          key={y}
          x1={0}
          x2={W}
          y1={y}
          y2={y}
          stroke="var(--color-quiet)"
          strokeWidth={0.8}
          {...still}
        />
      ))}
      <rect
        x={low * W}
        width={Math.max(2, (high - low) * W)}
        y={UP - 1.5}
        height={4}
        fill="var(--color-quiet)"
      />
      <rect
        x={low2 * W}
        width={Math.max(2, (high2 - low2) * W)}
        y={foot - 1.5}
        height={3}
        fill="var(--color-quiet)"
        opacity={0.7}
      />
      {(
        [
          [middle, UP - 8, UP + 4],
          [middle2, foot - 3, foot + 6],
        ] as const
      ).map(([x, y1, y2]) => (
        <line
          key={y1}
          x1={x * W}
          x2={x * W}
          y1={y1}
          y2={y2}
          stroke="var(--color-ink)"
          strokeWidth={1.8}
          {...still}
        />
      ))}
      {brush.stretch && (
        <rect
          x={brush.stretch[0] * W}
          width={Math.max(2, (brush.stretch[1] - brush.stretch[0]) * W)}
          y={0}
          height={UP}
          fill="var(--color-teal)"
          opacity={0.18}
        />
      )}
    </>
  );
  const frame = {
    viewBox: `0 0 ${W} ${H}`,
    width: "100%",
    height: H,
    preserveAspectRatio: "none",
  };
  if (!stretch)
    return (
      <Picture {...frame} label={label}>
        {drawn}
      </Picture>
    );
  return (
    <div className="relative">
      <MarkPicture
        {...frame}
        className="block cursor-crosshair touch-none"
        handled={{ "aria-label": label, ...brush.handlers }}
      >
        {drawn}
      </MarkPicture>
      {brush.stretch && (
        <span
          aria-hidden
          className="pointer-events-none absolute right-0 bottom-0 rounded bg-teal px-1 text-11 text-white"
        >
          {stretch.words(...brush.stretch)}
        </span>
      )}
    </div>
  );
}

const LEAST = 0.012;
/** How far an arrow moves an end of a stretch. */
const STEP = 1 / 50;

/**
 * A stretch along the width of an element. Drawn with the pointer; by keys Enter begins with the
 * middle half, arrows move its upper end, with Shift its lower one, and Enter picks it.
 */
function useBrush(stretches: Stretches | undefined, middle: [number, number]) {
  const [stretch, setStretch] = useState<[number, number] | null>(null);
  const from = useRef<number | null>(null);
  const at = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
  };
  if (!stretches) return { stretch: null, handlers: {} };
  const { onPick, words } = stretches;
  const byKeys = (event: KeyboardEvent) => {
    if (event.key === "Enter" || event.key === " ") {
      if (stretch) onPick(...stretch);
      setStretch(stretch ? null : middle);
    } else if (!stretch) return;
    else if (event.key === "Escape") setStretch(null);
    else if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
      const step = event.key === "ArrowLeft" ? -STEP : STEP;
      const [low, high] = stretch;
      setStretch(
        event.shiftKey
          ? [Math.min(Math.max(0, low + step), high - LEAST), high]
          : [low, Math.max(Math.min(1, high + step), low + LEAST)],
      );
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return {
    stretch,
    handlers: {
      role: "slider",
      tabIndex: -1,
      "data-reached": "",
      "aria-valuemin": 0,
      "aria-valuemax": 100,
      "aria-valuenow": Math.round(100 * (stretch?.[1] ?? 1)),
      "aria-valuetext": stretch
        ? `${words(...stretch)}; Enter makes it the lens`
        : "all; Enter begins a stretch",
      onKeyDown: byKeys,
      onBlur: () => setStretch(null),
      onPointerDown: (event: PointerEvent<SVGSVGElement>) => {
        from.current = at(event);
        event.currentTarget.setPointerCapture(event.pointerId);
      },
      onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
        if (from.current === null) return;
        const to = at(event);
        setStretch([Math.min(from.current, to), Math.max(from.current, to)]);
      },
      onPointerUp: (event: PointerEvent<SVGSVGElement>) => {
        const began = from.current;
        from.current = null;
        setStretch(null);
        if (began === null) return;
        const to = at(event);
        if (Math.abs(to - began) > LEAST) onPick(Math.min(began, to), Math.max(began, to));
      },
      onPointerCancel: () => {
        from.current = null;
        setStretch(null);
      },
    },
  };
}
