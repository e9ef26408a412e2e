import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";

import { api, data, Trouble } from "@/api/client";
import type { Schemas } from "@/api/client";
import { placeOf, valueAt } from "@/charts/axis";
import { drawCells, push, stamp } from "@/charts/dots";
import { count, factor, figure, fixed, inUnit } from "@/charts/format";
import { readPoints } from "@/charts/points";
import type { Points } from "@/charts/points";
import { Scatter } from "@/charts/scatter";
import type { Places } from "@/charts/scatter";
import { withRanges } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import type { Page, Thread } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";
import { Checkbox } from "@/ui/input";
import { unit } from "@/study/unit";

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
            <Checkbox checked={jitter} onChange={(event) => setJitter(event.target.checked)} />
            spread whole numbers
          </label>
        )}
        <label className="flex items-center gap-1.5">
          <Checkbox checked={line} onChange={(event) => setLine(event.target.checked)} />
          line
        </label>
        <span className="flex-1" />
        <Button onClick={onAll}>See several at once</Button>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_190px] narrow:grid-cols-[minmax(0,1fr)] gap-4">
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
            <span className="text-quiet">
              r, Pearson&rsquo;s, of {count(found.customers)} with both
            </span>
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
          {found.lens_r !== null && `, Pearson’s r of them ${fixed(found.lens_r)}`}
        </p>
      )}
      {found.without > 0 && (
        <p className="text-quiet">{count(found.without)} lack one of the two and are not shown.</p>
      )}
      <p className="text-quiet">
        {found.shown < found.customers
          ? `Grey squares: all ${count(found.customers)}. Points: a seeded sample of ${count(found.shown)}.`
          : `One point per ${unit.one}, ${count(found.shown)} of them.`}{" "}
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
  const narrowed = lens.clauses.length > 0;
  const draw = useCallback(
    (pen: CanvasRenderingContext2D) => {
      if (points) drawPoints(pen, found, points, jitter, narrowed);
    },
    [found, points, jitter, narrowed],
  );
  const axis = (edge: Schemas["Edge"]) => ({
    label: edge.label,
    axis: edge.axis,
    counts: edge.counts,
    words: (value: number) => inUnit(value, edge.unit, study.currency),
  });
  const field = (name: string) =>
    numbers.find((thread) => thread.name === name)?.field ?? `measure:${name}`;
  return (
    <Scatter
      x={axis(found.x)}
      y={axis(found.y)}
      label={`${found.x.label} across, ${found.y.label} upwards, r ${figure(found.r)}`}
      draw={draw}
      onBox={(across, up) =>
        lens.set(
          withRanges(lens.clauses, [
            [field(fields[0]), across],
            [field(fields[1]), up],
          ]),
        )
      }
    >
      {(places) => line && <TrendLine found={found} places={places} />}
    </Scatter>
  );
}

function TrendLine({ found, places }: { found: Schemas["PairPage"]; places: Places }) {
  if (found.slope === null || found.intercept === null) return null;
  const points: string[] = [];
  for (let n = 0; n <= 60; n++) {
    const x = valueAt(n / 60, found.x.axis);
    const y = found.intercept + found.slope * x;
    if (y < found.y.axis.low || y > found.y.axis.high) continue;
    points.push(`${places.x(x)},${places.y(y)}`);
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

function drawPoints(
  pen: CanvasRenderingContext2D,
  found: Schemas["PairPage"],
  points: Points,
  jitter: boolean,
  narrowed: boolean,
): void {
  const { canvas } = pen;
  const token = (name: string) => getComputedStyle(canvas).getPropertyValue(name);
  if (found.cells) {
    pen.fillStyle = token("--color-everyone");
    drawCells(pen, found.cells, found.steps);
  }
  const spread = [jitter && found.x.whole ? 0.8 : 0, jitter && found.y.whole ? 0.8 : 0] as const;
  const size = points.x.length > 6000 ? 2.4 : 3.4;
  const pass = (inside: number, fill: string, alpha: number) => {
    pen.fillStyle = fill;
    pen.globalAlpha = alpha;
    for (let n = 0; n < points.x.length; n++) {
      if (points.inside[n] !== inside) continue;
      const number = points.number[n] ?? 0;
      const x = placeOf((points.x[n] ?? 0) + spread[0] * push(number, 1), found.x.axis);
      const y = placeOf((points.y[n] ?? 0) + spread[1] * push(number, 2), found.y.axis);
      stamp(pen, 0, x * canvas.width, canvas.height * (1 - y), size);
    }
  };
  if (narrowed) pass(0, token("--color-everyone"), 0.5);
  pass(1, token(narrowed ? "--color-teal" : "--color-quiet"), narrowed ? 0.6 : 0.32);
}
