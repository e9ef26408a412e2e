import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { PointerEvent } from "react";

import { api, data, Trouble } from "@/api/client";
import type { Schemas } from "@/api/client";
import { placeOf, ticksOf, valueAt } from "@/charts/axis";
import { count, factor, figure, fixed, inUnit } from "@/charts/format";
import type { Points } from "@/charts/points";
import { place } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import type { Page, Thread } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";

const W = 620;
const H = 400;
const EDGE = 44;
const LEFT = 66;
const FOOT = 40;

interface Props {
  page: Page;
  numbers: Thread[];
  x: string;
  y: string;
  onPair: (x: string, y: string) => void;
  onAll: () => void;
}

/** Two measures as points: who stands where, the edges, and the line through them. */
export function OnePair({ page, numbers, x, y, onPair, onAll }: Props) {
  const { study } = useStudy();
  const view = useRows();
  const { digest } = useLens();
  const [jitter, setJitter] = useState(true);
  const [line, setLine] = useState(true);
  const query = { ...view, x, y, ...(digest && { lens: digest }) };
  const key = ["study", study.id, "pair", view, x, y, digest, page.made_from];
  const pair = useQuery({
    queryKey: key,
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/pair", {
          params: { path: { study: study.id }, query },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const points = useQuery({
    queryKey: [...key, "points"],
    queryFn: async ({ signal }) => {
      const answer = await api.GET("/api/studies/{study}/pair/points", {
        params: { path: { study: study.id }, query },
        parseAs: "arrayBuffer",
        signal,
      });
      if (!answer.data)
        throw new Trouble("The points could not be loaded. Try again.", answer.response.status);
      const { readPoints } = await import("@/charts/points");
      return readPoints(answer.data);
    },
    placeholderData: keepPreviousData,
  });
  if (pair.isError)
    return (
      <Failed words={pair.error.message} action={<Button onClick={onAll}>See them all</Button>} />
    );
  if (!pair.data) return <Waiting />;
  const found = pair.data;
  const whole = found.x.whole || found.y.whole;
  return (
    <section className="card p-3" aria-label={`${found.x.label} and ${found.y.label}`}>
      <div className="mb-2 flex flex-wrap items-center gap-3 text-12">
        <Pick label="across" numbers={numbers} value={x} onChange={(name) => onPair(name, y)} />
        <Pick label="upwards" numbers={numbers} value={y} onChange={(name) => onPair(x, name)} />
        <button type="button" className="underline" onClick={() => onPair(y, x)}>
          turn
        </button>
        {whole && (
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={jitter}
              onChange={(event) => setJitter(event.target.checked)}
            />
            spread whole numbers
          </label>
        )}
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={line}
            onChange={(event) => setLine(event.target.checked)}
          />
          line
        </label>
        <span className="flex-1" />
        <Button onClick={onAll}>See several at once</Button>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_190px] gap-4">
        <Plot
          found={found}
          points={points.data}
          fields={[x, y]}
          numbers={numbers}
          jitter={jitter && whole}
          line={line}
        />
        <Told found={found} />
      </div>
    </section>
  );
}

function Pick({
  label,
  numbers,
  value,
  onChange,
}: {
  label: string;
  numbers: Thread[];
  value: string;
  onChange: (name: string) => void;
}) {
  return (
    <label className="flex items-center gap-1.5 text-quiet">
      {label}
      <Select
        value={value}
        className="max-w-[200px]"
        onChange={(value) => onChange(value)}
        options={numbers.map((thread) => [thread.name, thread.label] as const)}
      />
    </label>
  );
}

function Told({ found }: { found: Schemas["PairPage"] }) {
  return (
    <div className="grid content-start gap-2 text-12">
      {found.r !== null ? (
        <>
          <p>
            <span className="block text-20 font-semibold">{fixed(found.r)}</span>
            <span className="text-quiet">r, Pearson&rsquo;s, over {count(found.customers)}</span>
          </p>
          {found.rank_r !== null && (
            <p>
              By rank {fixed(found.rank_r)}
              <span className="block text-quiet">
                {Math.abs(found.rank_r - found.r) > 0.15
                  ? "far from r: the two do not go together along a straight line"
                  : "close to r: the line tells it well"}
              </span>
            </p>
          )}
          {found.slope !== null && (
            <p className="text-quiet">
              Line: {found.y.label} = {figure(found.intercept)} {found.slope < 0 ? "−" : "+"}{" "}
              {factor(Math.abs(found.slope))} × {found.x.label}
              {(found.x.axis.log || found.y.axis.log) && ", curved here by the log axes"}
            </p>
          )}
        </>
      ) : (
        <p className="text-quiet">One of the two is the same for all: there is no line.</p>
      )}
      {found.lens_customers !== null && (
        <p className="text-teal">
          In the lens: {count(found.lens_customers)}
          {found.lens_r !== null && `, r ${fixed(found.lens_r)}`}
        </p>
      )}
      {found.without > 0 && (
        <p className="text-quiet">{count(found.without)} lack one of the two and are not shown.</p>
      )}
      <p className="text-quiet">
        {found.shown < found.customers
          ? `Grey squares: all ${count(found.customers)}. Points: a seeded sample of ${count(found.shown)}.`
          : `A point per customer, ${count(found.shown)} of them.`}{" "}
        Axes hold the middle 99%. Draw a box to look closer.
      </p>
    </div>
  );
}

interface PlotProps {
  found: Schemas["PairPage"];
  points: Points | undefined;
  fields: [string, string];
  numbers: Thread[];
  jitter: boolean;
  line: boolean;
}

function Plot({ found, points, fields, numbers, jitter, line }: PlotProps) {
  const { study } = useStudy();
  const lens = useLens();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [box, setBox] = useState<[number, number, number, number] | null>(null);
  const from = useRef<[number, number] | null>(null);
  useEffect(() => {
    if (canvas.current && points)
      draw(canvas.current, found, points, jitter, lens.clauses.length > 0);
  }, [found, points, jitter, lens.clauses.length]);
  const at = (event: PointerEvent): [number, number] => {
    const area = event.currentTarget.getBoundingClientRect();
    const clamp = (v: number) => Math.min(1, Math.max(0, v));
    return [
      clamp((event.clientX - area.left) / area.width),
      clamp((event.clientY - area.top) / area.height),
    ];
  };
  const narrow = ([x0, y0, x1, y1]: [number, number, number, number]) => {
    const ranges = [
      [valueAt(x0, found.x.axis), valueAt(x1, found.x.axis)],
      [valueAt(1 - y1, found.y.axis), valueAt(1 - y0, found.y.axis)],
    ];
    let clauses = lens.clauses;
    fields.forEach((name, n) => {
      const field = numbers.find((thread) => thread.name === name)?.field ?? `measure:${name}`;
      const range = ranges[n]?.map((v) => Number(v.toPrecision(4))) as [number, number];
      clauses = place(clauses, { field, values: [], ranges: [range], negated: false, window: "" });
    });
    lens.set(clauses);
  };
  const words = (value: number, unit: string) => inUnit(value, unit, study.currency);
  const edge = (counts: number[], length: number, up: boolean) => {
    const most = Math.max(1, ...counts);
    const step = length / counts.length;
    return counts.map((value, n) => {
      const size = (value / most) * (EDGE - 6);
      return up ? (
        <rect key={n} x={LEFT + n * step} y={EDGE - size - 2} width={step - 1} height={size} />
      ) : (
        <rect
          key={n}
          x={LEFT + W + 4}
          y={EDGE + H - (n + 1) * step}
          width={size}
          height={step - 1}
        />
      );
    });
  };
  return (
    <div className="relative min-w-0">
      <svg
        viewBox={`0 0 ${LEFT + W + EDGE} ${EDGE + H + FOOT}`}
        className="block w-full"
        role="img"
        aria-label={`${found.x.label} across, ${found.y.label} upwards, r ${figure(found.r)}`}
      >
        <g fill="var(--color-everyone)">
          {edge(found.x.counts, W, true)}
          {edge(found.y.counts, H, false)}
        </g>
        <rect x={LEFT} y={EDGE} width={W} height={H} fill="none" stroke="var(--color-line)" />
        <g fontSize={12} className="[&_text]:fill-quiet">
          {ticksOf(found.x.axis, 6).map((tick) => (
            <text
              key={tick}
              x={LEFT + placeOf(tick, found.x.axis) * W}
              y={EDGE + H + 15}
              textAnchor="middle"
            >
              {words(tick, found.x.unit)}
            </text>
          ))}
          {ticksOf(found.y.axis, 6).map((tick) => (
            <text
              key={tick}
              x={LEFT - 6}
              y={EDGE + H - placeOf(tick, found.y.axis) * H + 4}
              textAnchor="end"
            >
              {words(tick, found.y.unit)}
            </text>
          ))}
          <text x={LEFT + W / 2} y={EDGE + H + 34} textAnchor="middle" fontWeight={600}>
            {found.x.label}
            {found.x.axis.log && ", log scale"}
          </text>
          <text
            transform={`translate(13 ${EDGE + H / 2}) rotate(-90)`}
            textAnchor="middle"
            fontWeight={600}
          >
            {found.y.label}
            {found.y.axis.log && ", log scale"}
          </text>
        </g>
        {line && <TrendLine found={found} />}
        {box && (
          <rect
            x={LEFT + box[0] * W}
            y={EDGE + box[1] * H}
            width={(box[2] - box[0]) * W}
            height={(box[3] - box[1]) * H}
            fill="var(--color-teal)"
            fillOpacity={0.12}
            stroke="var(--color-teal)"
            strokeDasharray="4 3"
          />
        )}
      </svg>
      <canvas
        ref={canvas}
        width={W * 2}
        height={H * 2}
        className="absolute cursor-crosshair touch-none"
        style={{
          left: `${(100 * LEFT) / (LEFT + W + EDGE)}%`,
          top: `${(100 * EDGE) / (EDGE + H + FOOT)}%`,
          width: `${(100 * W) / (LEFT + W + EDGE)}%`,
          height: `${(100 * H) / (EDGE + H + FOOT)}%`,
        }}
        onPointerDown={(event) => {
          from.current = at(event);
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={(event) => {
          if (!from.current) return;
          const [x0, y0] = from.current;
          const [x1, y1] = at(event);
          setBox([Math.min(x0, x1), Math.min(y0, y1), Math.max(x0, x1), Math.max(y0, y1)]);
        }}
        onPointerUp={() => {
          from.current = null;
          if (box && box[2] - box[0] > 0.01 && box[3] - box[1] > 0.01) narrow(box);
          setBox(null);
        }}
      />
    </div>
  );
}

function TrendLine({ found }: { found: Schemas["PairPage"] }) {
  if (found.slope === null || found.intercept === null) return null;
  const points: string[] = [];
  for (let n = 0; n <= 60; n++) {
    const x = valueAt(n / 60, found.x.axis);
    const y = found.intercept + found.slope * x;
    if (y < found.y.axis.low || y > found.y.axis.high) continue;
    points.push(`${LEFT + (n / 60) * W},${EDGE + H - placeOf(y, found.y.axis) * H}`);
  }
  if (points.length < 2) return null;
  return (
    <path
      d={`M${points.join(" L")}`}
      fill="none"
      stroke="var(--color-ink)"
      strokeWidth={1.5}
      strokeDasharray="6 3"
    />
  );
}

/** A small push that is the same for the same customer each time. */
function push(number: number, salt: number): number {
  let h = (number + 1) * (salt === 1 ? 2654435761 : 2246822519);
  h ^= h >>> 15;
  return ((h >>> 0) % 1000) / 1000 - 0.5;
}

function draw(
  canvas: HTMLCanvasElement,
  found: Schemas["PairPage"],
  points: Points,
  jitter: boolean,
  narrowed: boolean,
): void {
  const pen = canvas.getContext("2d");
  if (!pen) return;
  const token = (name: string) => getComputedStyle(canvas).getPropertyValue(name);
  const [w, h] = [canvas.width, canvas.height];
  pen.clearRect(0, 0, w, h);
  if (found.cells) {
    const most = Math.max(1, ...found.cells);
    const [sx, sy] = [w / found.steps, h / found.steps];
    pen.fillStyle = token("--color-everyone");
    found.cells.forEach((value, n) => {
      if (!value) return;
      pen.globalAlpha = 0.15 + 0.85 * Math.sqrt(value / most);
      pen.fillRect((n % found.steps) * sx, h - (Math.floor(n / found.steps) + 1) * sy, sx, sy);
    });
  }
  const step = { x: jitter && found.x.whole ? 0.8 : 0, y: jitter && found.y.whole ? 0.8 : 0 };
  const size = points.x.length > 6000 ? 2.4 : 3.4;
  const pass = (inside: number, fill: string, alpha: number) => {
    pen.fillStyle = fill;
    pen.globalAlpha = alpha;
    for (let n = 0; n < points.x.length; n++) {
      if (points.inside[n] !== inside) continue;
      const number = points.number[n] ?? 0;
      const x = (points.x[n] ?? 0) + step.x * push(number, 1);
      const y = (points.y[n] ?? 0) + step.y * push(number, 2);
      pen.beginPath();
      pen.arc(placeOf(x, found.x.axis) * w, h - placeOf(y, found.y.axis) * h, size, 0, 2 * Math.PI);
      pen.fill();
    }
  };
  if (narrowed) pass(0, token("--color-everyone"), 0.5);
  pass(1, token(narrowed ? "--color-teal" : "--color-quiet"), narrowed ? 0.6 : 0.32);
  pen.globalAlpha = 1;
}
