import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { ticksOf } from "@/charts/axis";
import { count, day, figure, inUnit, within } from "@/charts/format";
import { Picture } from "@/charts/picture";
import { useRows } from "@/stations/measures/use-rows";
import type { Page } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";
import { Empty, Failed, Waiting } from "@/ui/status";
import { TableBehind } from "@/study/table-behind";
import { text, told } from "@/ui/grid";
import type { Grid } from "@/ui/grid";
import { Select } from "@/ui/select";
import { unit } from "@/study/unit";

type Curve = Schemas["WorthCurve"];
const MONTHS = [1, 3, 6, 12];
const W = 316;
const H = 230;
const LEFT = 46;
const RIGHT = 118;
const DASHES = ["", "6 3", "2 3", "9 3 2 3", "1 4", "12 4", "4 4 1 4", "3 6"];

/** What bands are worth: who came back in the period that followed, and what they spent. */
export function Worth({ page }: { page: Page }) {
  const { study } = useStudy();
  const view = useRows();
  const [months, setMonths] = useState(3);
  const worth = useQuery({
    queryKey: ["study", study.id, "worth", view, page.made_from, months],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/scores/worth", {
          params: { path: { study: study.id }, query: { ...view, months } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.job ? 1000 : false),
  });
  if (worth.isError) return <Failed words={worth.error.message} />;
  if (!worth.data) return <Waiting />;
  const found = worth.data;
  if (!found.ready)
    return (
      <Empty
        title={found.job ? "The period that followed is being counted" : "Nothing followed yet"}
      >
        {found.words}
      </Empty>
    );
  return (
    <section className="card p-3" aria-label="Worth of bands">
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <p className="min-w-0 flex-1 text-14 font-semibold">{found.words}</p>
        <label className="flex items-center gap-1.5 text-12 text-quiet">
          in the
          <Select
            value={String(months)}

            onChange={(value) => setMonths(Number(value))}
            options={MONTHS.map((n) => [String(n), n === 1 ? "month" : `${n} months`] as const)}
          />
          that followed
        </label>
      </div>
      <p className="mb-3 text-12 text-quiet">
        {count(found.customers)} {unit.many} by their bands at {day(found.at)}, and what they did
        from {day(found.since)} to {day(found.to)}. Those who did not come back count as 0.
      </p>
      <div className="grid grid-cols-[repeat(auto-fit,minmax(min(380px,100%),1fr))] gap-4">
        <Chart
          title="Came back, share of the band"
          curves={found.curves}
          values={(curve) => curve.came_back}
          everyone={found.came_back}
          words={(value) => `${figure(100 * value)}%`}
        />
        <Chart
          title={`Spend per ${unit.one}, ${study.currency}`}
          curves={found.curves}
          values={(curve) => curve.spend}
          everyone={found.spend}
          words={(value) => inUnit(value, "money", study.currency)}
        />
      </div>
      <p className="mt-2 text-12 text-quiet">
        Told of the spend by each measure&rsquo;s bands:{" "}
        {found.curves
          .map(
            (curve) =>
              `${within(curve.label)} ${curve.told === null ? "–" : `${figure(100 * curve.told)}%`}`,
          )
          .join(", ")}{" "}
        (η²). The grey line is everyone.
      </p>
      <TableBehind name="worth of bands" grid={() => worthGrid(found, study.currency)} />
    </section>
  );
}

function worthGrid(found: Schemas["WorthPage"], currency: string): Grid {
  return {
    title: "Worth of bands",
    note: `${found.words} From ${day(found.since)} to ${day(found.to)}.`,
    heads: ["Measure", "Band, from the worst", unit.Many, "Came back", `Spend per ${unit.one}`],
    rows: found.curves.flatMap((curve) =>
      curve.customers.map((customers, band) => {
        const [back, spend] = [curve.came_back[band], curve.spend[band]];
        return [
          text(curve.label),
          told(band + 1, count(band + 1)),
          told(customers, count(customers)),
          told(back, `${figure(100 * (back ?? 0))}%`, "share"),
          told(spend, inUnit(spend, "money", currency), "money"),
        ];
      }),
    ),
  };
}

interface ChartProps {
  title: string;
  curves: Curve[];
  values: (curve: Curve) => (number | null)[];
  everyone: number | null;
  words: (value: number) => string;
}

function Chart({ title, curves, values, everyone, words }: ChartProps) {
  const all = curves.flatMap((curve) => values(curve).filter((v): v is number => v !== null));
  const high = Math.max(0.0001, ...all) * 1.06;
  const low = Math.min(0, ...all);
  const axis = { low, high, log: false };
  const y = (value: number) => 10 + (1 - (value - low) / (high - low)) * H;
  // Bands of different measures share the axis by their place from the worst to the best.
  const x = (n: number, of: number) => LEFT + (of > 1 ? n / (of - 1) : 0.5) * W;
  const labels = spread(curves.map((curve) => y(values(curve).findLast((v) => v !== null) ?? 0)));
  return (
    <figure>
      <figcaption className="text-12 font-semibold">{title}</figcaption>
      <Picture
        viewBox={`0 0 ${LEFT + W + RIGHT} ${H + 42}`}
        className="block w-full"
        label={`${title}. ${curves
          .map(
            (curve) =>
              `${curve.label}: ${values(curve)
                .map((v) => (v === null ? "nobody" : words(v)))
                .join(", ")}`,
          )
          .join(". ")}`}
      >
        {ticksOf(axis, 5).map((tick) => (
          <g key={tick}>
            <line x1={LEFT} x2={LEFT + W} y1={y(tick)} y2={y(tick)} stroke="var(--color-line)" />
            <text
              x={LEFT - 6}
              y={y(tick) + 4}
              fontSize={11}
              textAnchor="end"
              className="fill-quiet"
            >
              {words(tick)}
            </text>
          </g>
        ))}
        {everyone !== null && (
          <line
            x1={LEFT}
            x2={LEFT + W}
            y1={y(everyone)}
            y2={y(everyone)}
            stroke="var(--color-everyone)"
            strokeWidth={2}
          />
        )}
        <text x={LEFT} y={H + 26} fontSize={11} className="fill-quiet">
          worst band
        </text>
        <text x={LEFT + W} y={H + 26} fontSize={11} textAnchor="end" className="fill-quiet">
          best band
        </text>
        {curves.map((curve, n) => {
          const own = values(curve);
          const points = own.flatMap((value, band) =>
            value === null ? [] : [[x(band, own.length), y(value), band, value] as const],
          );
          return (
            <g key={curve.name}>
              <path
                d={points
                  .map(([px, py], m) => `${m ? "L" : "M"}${px.toFixed(1)} ${py.toFixed(1)}`)
                  .join("")}
                fill="none"
                stroke="var(--color-ink)"
                strokeWidth={n === 0 ? 2 : 1.5}
                strokeDasharray={DASHES[n % DASHES.length]}
              />
              {points.map(([px, py, band, value]) => (
                <circle key={band} cx={px} cy={py} r={3.4} fill="var(--color-ink)">
                  <title>{`${curve.label} band ${band + 1}: ${words(value)}, ${count(curve.customers[band] ?? 0)} ${unit.many}`}</title>
                </circle>
              ))}
              <text x={LEFT + W + 8} y={(labels[n] ?? 0) + 4} fontSize={11}>
                {curve.label.length > 19 ? `${curve.label.slice(0, 18)}…` : curve.label}
                <title>{curve.label}</title>
              </text>
            </g>
          );
        })}
      </Picture>
    </figure>
  );
}

/** Places for labels that do not touch, each as near to its own as can be. */
function spread(wished: number[], apart = 14): number[] {
  const order = wished.map((_, n) => n).sort((a, b) => (wished[a] ?? 0) - (wished[b] ?? 0));
  const out = [...wished];
  order.forEach((n, place) => {
    const before = order[place - 1];
    if (before !== undefined) out[n] = Math.max(out[n] ?? 0, (out[before] ?? 0) + apart);
  });
  return out;
}
