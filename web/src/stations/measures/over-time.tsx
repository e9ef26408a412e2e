import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, inUnit } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import type { Page } from "@/stations/measures/use-measures";
import { useStudy } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Checkbox } from "@/ui/input";
import { useAddress, word } from "@/study/address";
import { unit } from "@/study/unit";

const STEPS = [
  ["month", "by month"],
  ["quarter", "by quarter"],
  ["year", "by year"],
] as const;
const W = 300;
const H = 74;

/** The measures in a series of windows, each looking back as far as the one in view. */
export function OverTime({ page }: { page: Page }) {
  const { study, view } = useStudy();
  const [step, setStep] = useState("month");
  const [every, setEvery] = useState(false);
  const series = useQuery({
    queryKey: ["study", study.id, "series", view, step, every, page.made_from],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/series", {
          params: {
            path: { study: study.id },
            query: { ...view, step, shares: every ? "1" : "" },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (series.isError) return <Failed words={series.error.message} />;
  if (!series.data) return <Waiting />;
  const found = series.data;
  if (found.status.state === "empty")
    return <Empty title="No series without a log">{found.status.words}</Empty>;
  const role = new Map(page.threads.map((thread) => [thread.name, thread]));
  const shown = found.measures.filter((measure) => role.get(measure.name)?.role !== "out");
  return (
    <section className="card p-3" aria-label="Over time">
      <div className="mb-3 flex flex-wrap items-center gap-4 text-12">
        <span className="inline-flex overflow-hidden rounded-md border border-line">
          {STEPS.map(([key, name]) => (
            <button
              key={key}
              type="button"
              aria-pressed={step === key}
              className={`px-2 py-0.5 ${step === key ? "bg-ink text-white" : "bg-card text-quiet hover:text-ink"}`}
              onClick={() => setStep(key)}
            >
              {name}
            </button>
          ))}
        </span>
        <label className="flex items-center gap-1.5">
          <Checkbox checked={every} onChange={(event) => setEvery(event.target.checked)} />
          shares too
        </label>
        <p className="flex-1 text-quiet">
          Line: the median of everyone with a purchase, of whole numbers their mean. Band: the
          middle half.
          {found.before >= 0 && " Ring: the same season a year before."} Pick a point to look at
          that window.
        </p>
      </div>
      <StatusBanner status={found.status} />
      {(found.grows || found.covered.some(Boolean)) && (
        <p role="note" className="mb-3 border-l-2 border-below pl-3 text-12">
          {found.grows ||
            `Hollow and not joined: windows that the log does not cover whole (to ${day(found.ends[found.covered.findIndex(Boolean)] ?? "")} ${found.covered.find(Boolean)}). They are lower for that reason alone.`}
        </p>
      )}
      <div className="grid grid-cols-3 gap-x-5 gap-y-4">
        {found.ends.length > 0 && <Customers found={found} />}
        {shown.map((measure) => (
          <One key={measure.name} measure={measure} found={found} />
        ))}
      </div>
    </section>
  );
}

function Customers({ found }: { found: Schemas["SeriesPage"] }) {
  return (
    <Lines
      found={found}
      title={`${unit.Many} with a purchase`}
      middle={found.customers}
      words={(value) => count(Math.round(value))}
      zero
    />
  );
}

function One({ measure, found }: { measure: Schemas["SeriesOf"]; found: Schemas["SeriesPage"] }) {
  const { study } = useStudy();
  return (
    <Lines
      found={found}
      title={measure.label}
      of={measure.whole ? "mean" : "median"}
      middle={measure.whole ? measure.mean : measure.median}
      low={measure.quartile_1}
      high={measure.quartile_3}
      words={(value) => inUnit(value, measure.unit, study.currency)}
    />
  );
}

interface LinesProps {
  found: Schemas["SeriesPage"];
  title: string;
  /** What the line is of everyone. */
  of?: string;
  middle: (number | null)[];
  low?: (number | null)[];
  high?: (number | null)[];
  words: (value: number) => string;
  zero?: boolean;
}

const SEEN = { to: word, look: word };

function Lines({ found, title, of, middle, low, high, words, zero }: LinesProps) {
  const [, put] = useAddress(SEEN);
  const [at, setAt] = useState<number | null>(null);
  const there = [...middle, ...(low ?? []), ...(high ?? [])].filter(
    (value): value is number => value !== null,
  );
  const bottom = zero ? 0 : Math.min(0, ...there) || Math.min(...there);
  const top = Math.max(...there, bottom + 1e-9);
  const count = found.ends.length;
  const x = (n: number) => (count < 2 ? W / 2 : (n / (count - 1)) * W);
  const y = (value: number) => H - ((value - bottom) / (top - bottom)) * (H - 8) - 2;
  const whole = (n: number) => !found.covered[n];
  const points = (values: (number | null)[]) =>
    values.flatMap((value, n) => (value === null || !whole(n) ? [] : [`${x(n)},${y(value)}`]));
  const band =
    low && high && points(low).length > 0
      ? [...points(low), ...points(high).reverse()].join(" L")
      : "";
  const shown = at ?? count - 1;
  const value = middle[shown];
  const before = found.before >= 0 ? middle[found.before] : null;
  return (
    <figure className="min-w-0">
      <figcaption className="flex items-baseline justify-between gap-2 text-12">
        <b className="truncate font-semibold">{title}</b>
        <span className="shrink-0 text-11 text-quiet">
          {of && `${of} `}
          {value === null || value === undefined ? "nobody" : words(value)}
          {at !== null && `, to ${day(found.ends[at] ?? "")}`}
          {!whole(shown) && `, ${found.covered[shown]}`}
          {at === null &&
            before !== null &&
            before !== undefined &&
            `, a year before ${words(before)}`}
        </span>
      </figcaption>
      <PickPicture
        viewBox={`-4 0 ${W + 8} ${H + 16}`}
        className="w-full"
        label={`${title} in ${count} windows`}
      >
        {band && <path d={`M${band} Z`} fill="var(--color-everyone)" opacity={0.55} />}
        {points(middle).length > 0 && (
          <path
            d={`M${points(middle).join(" L")}`}
            fill="none"
            stroke="var(--color-ink)"
            strokeWidth={1.5}
          />
        )}
        {middle.map((each, n) =>
          each === null ? null : (
            <circle
              key={found.ends[n]}
              cx={x(n)}
              cy={y(each)}
              r={n === shown || n === found.before ? 3.4 : 2}
              fill={n === found.before || !whole(n) ? "var(--color-card)" : "var(--color-ink)"}
              stroke={whole(n) ? "var(--color-ink)" : "var(--color-below)"}
              pointerEvents="none"
            />
          ),
        )}
        <line x1={0} x2={W} y1={H} y2={H} stroke="var(--color-line)" />
        {found.ends.map((end, n) => (
          <rect
            key={end}
            x={x(n) - W / Math.max(1, count - 1) / 2}
            width={W / Math.max(1, count - 1)}
            y={0}
            height={H}
            fill="transparent"
            {...pickable({
              label: `To ${day(end)}: ${middle[n] === null ? "nobody" : words(middle[n] ?? 0)}${whole(n) ? "" : ` (${found.covered[n]})`}. Look at this window`,
              onPick: () => {
                void put({ to: end, look: null });
              },
              onTry: (resting) => setAt(resting ? n : null),
            })}
          />
        ))}
        <g fontSize={11} className="[&_text]:fill-quiet">
          <text x={0} y={H + 13}>
            {day(found.ends[0] ?? "").slice(-8)}
          </text>
          <text x={W} y={H + 13} textAnchor="end">
            {day(found.ends.at(-1) ?? "").slice(-8)}
          </text>
        </g>
      </PickPicture>
    </figure>
  );
}
