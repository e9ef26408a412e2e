import { useState } from "react";

import type { Schemas } from "@/api/client";
import { figure, inUnit, unitWords } from "@/charts/format";
import { useLens } from "@/lens/context";
import { hueOf, markWords, SegmentMark } from "@/marks/segment-mark";
import { Thread } from "@/stations/portraits/thread";
import { useStudy } from "@/study/context";
import { Column, Table } from "@/ui/table";

type Page = Schemas["PortraitsPage"];

const NAME = 150;
const THREAD = 300;

/** By separation: name, thread, everyone, then a column per segment, shaded by how far it stands off. */
export function Sheet({
  page,
  chosen,
  onChoose,
}: {
  page: Page;
  chosen: number;
  onChoose: (segment: number) => void;
}) {
  const [all, setAll] = useState(false);
  const { study } = useStudy();
  const marks = page.segments.map((segment) => segment.mark);
  const shown = all ? page.numeric : page.numeric.filter((row) => row.shaped);
  const categories = all ? page.categories : page.categories.filter((row) => row.shaped);
  const hidden = page.numeric.length + page.categories.length - shown.length - categories.length;
  const deepest = Math.max(
    0.5,
    ...page.numeric.flatMap((row) => row.deviations.map((d) => Math.abs(d ?? 0))),
  );
  const many = page.segments.length > 8;
  return (
    <section className="card" aria-label="Portraits by separation">
      <div className="overflow-x-auto">
        <Table
          label="Measures by segment"
          className="border-collapse"
          style={{ minWidth: NAME + THREAD + 80 + page.segments.length * 76 }}
        >
          <thead>
            <tr className="align-bottom">
              <Column
                className="sticky left-0 z-10 bg-card px-3 py-2"
                style={{ width: NAME, minWidth: NAME }}
              >
                <span className="block text-13 font-semibold">By separation</span>
                <span className="text-11 text-quiet">η², V² for categories</span>
              </Column>
              <Column className="px-2 py-2" style={{ width: THREAD }}>
                <span className="block text-13 font-semibold">On its own scale</span>
                <span className="text-11 text-quiet">
                  mark: a group&rsquo;s mean; thick: everyone&rsquo;s middle half
                </span>
              </Column>
              <Column className="px-2 py-2 align-bottom">
                <span className="block text-13 font-semibold">Everyone</span>
                <span className="block text-11 text-quiet">customers</span>
                <span className="block text-11 text-quiet">spend</span>
              </Column>
              {page.segments.map((segment) => (
                <SegmentColumn
                  key={segment.id}
                  segment={segment}
                  page={page}
                  chosen={segment.number === chosen}
                  many={many}
                  onChoose={onChoose}
                />
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((row) => (
              <tr key={row.name} className="border-t border-line">
                <td className="sticky left-0 z-10 bg-card px-3 py-1" title={row.definition}>
                  <span className="block font-semibold">{row.label}</span>
                  <span className="text-11 text-quiet">
                    {unitWords(row.unit, study.currency)}{" "}
                    {row.eta_squared === null ? "–" : row.eta_squared.toFixed(2)}
                    {row.shaped ? "" : ", beside"}
                  </span>
                </td>
                <td className="px-2">
                  <Thread
                    places={row.places}
                    marks={marks}
                    chosen={chosen}
                    width={THREAD}
                    quartiles={row.quartiles}
                    ends={[
                      inUnit(row.low, row.unit, study.currency),
                      `${inUnit(row.high, row.unit, study.currency)}${row.log ? ", log" : ""}`,
                    ]}
                    label={`${row.label}: ${page.segments.map((s, i) => `${s.name} ${inUnit(row.means[i], row.unit, study.currency)}`).join(", ")}`}
                  />
                </td>
                <td className="px-2 text-right text-13">{cell(row.everyone, row.unit)}</td>
                {row.means.map((mean, place) => (
                  <Deviation
                    key={place}
                    value={cell(mean, row.unit)}
                    deviation={row.deviations[place] ?? 0}
                    deepest={deepest}
                    edge={place + 1 === chosen}
                  />
                ))}
              </tr>
            ))}
            {categories.map((row) => (
              <tr key={row.name} className="border-t border-line">
                <td className="sticky left-0 z-10 bg-card px-3 py-1">
                  <span className="font-semibold">{row.label}</span>{" "}
                  <span className="text-11 text-quiet">V² {row.v_squared.toFixed(2)}</span>
                </td>
                <td className="px-2">
                  <Thread
                    places={row.index.map((value) =>
                      value === null ? null : Math.min(1, value / 400),
                    )}
                    marks={marks}
                    chosen={chosen}
                    width={THREAD}
                    line={0.25}
                    label={`${row.label}: share of the most telling value against everyone, line at the same share`}
                  />
                </td>
                <td className="px-2 text-right text-quiet">
                  {row.levels[row.everyone_level]} {percentOf(row.everyone[row.everyone_level])}
                </td>
                {row.telling.map((level, place) => (
                  <td key={place} className={`px-1.5 text-quiet ${edge(place + 1 === chosen)}`}>
                    {row.levels[level]} {percentOf(row.shares[place]?.[level])}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </Table>
      </div>
      <div className="flex items-center gap-4 border-t border-line px-3 py-2 text-11 text-quiet">
        <span>
          Shade: <Box colour="var(--color-below)" /> ▾ below everyone,{" "}
          <Box colour="var(--color-above)" /> ▴ above, deepest at {deepest.toFixed(1)} standard
          deviations. “Beside”: the measure did not shape the groups. A category&rsquo;s mark stands
          at its share against everyone&rsquo;s (line: the same share, end: 4 times).
        </span>
        <span className="flex-1" />
        {hidden > 0 || all ? (
          <button
            type="button"
            className="shrink-0 underline hover:text-ink"
            onClick={() => setAll(!all)}
          >
            {all ? "the telling rows" : `and ${hidden} more that did not shape`}
          </button>
        ) : null}
      </div>
    </section>
  );
}

function percentOf(share: number | null | undefined): string {
  return share === null || share === undefined ? "–" : `${(100 * share).toFixed(0)}%`;
}

function cell(value: number | null | undefined, unit: string): string {
  if (value === null || value === undefined) return "–";
  return unit === "share" ? figure(Math.round(value * 1000) / 10) : figure(value);
}

function edge(on: boolean): string {
  return on ? "border-x-2 border-x-ink" : "";
}

function Box({ colour }: { colour: string }) {
  return (
    <span
      className="inline-block h-2.5 w-4 align-middle opacity-35"
      style={{ background: colour }}
    />
  );
}

function Deviation({
  value,
  deviation,
  deepest,
  edge: on,
}: {
  value: string;
  deviation: number;
  deepest: number;
  edge: boolean;
}) {
  const strength = Math.min(1, Math.abs(deviation) / deepest);
  const colour = deviation > 0 ? "var(--color-above)" : "var(--color-below)";
  const sign = Math.abs(deviation) >= 0.8 ? (deviation > 0 ? "▴" : "▾") : "";
  return (
    <td className={`p-0.5 ${edge(on)}`}>
      <span
        className="flex items-center justify-between rounded px-1.5 py-2 text-13"
        title={`${Math.abs(deviation).toFixed(2)} standard deviations ${deviation > 0 ? "above" : "below"} everyone`}
        style={{
          background: `color-mix(in srgb, ${colour} ${(strength * 38).toFixed(0)}%, transparent)`,
        }}
      >
        <span className="text-11" style={{ color: colour }}>
          {sign}
        </span>
        {value}
      </span>
    </td>
  );
}

function SegmentColumn({
  segment,
  page,
  chosen,
  many,
  onChoose,
}: {
  segment: Schemas["SegmentHead"];
  page: Page;
  chosen: boolean;
  many: boolean;
  onChoose: (segment: number) => void;
}) {
  const lens = useLens();
  const share = (part: number, whole: number) => (whole ? part / whole : 0);
  const widest = Math.max(
    ...page.segments.flatMap((s) => [
      share(s.customers, page.customers),
      share(s.money, page.money),
    ]),
  );
  const pick = { value: String(segment.number) };
  return (
    <Column
      className={`min-w-[72px] px-1.5 py-2 align-bottom ${chosen ? "border-x-2 border-t-2 border-ink" : ""}`}
    >
      <button
        type="button"
        className="block w-full text-left"
        aria-pressed={chosen}
        title={`${segment.name}, ${markWords(segment.mark)}. Shift-click narrows the lens.`}
        onClick={(event) =>
          event.shiftKey ? lens.pick("segment:now", pick, false) : onChoose(segment.number)
        }
        onPointerEnter={() =>
          lens.preview({
            field: "segment:now",
            values: [pick.value],
            ranges: [],
            negated: false,
            window: "",
          })
        }
        onPointerLeave={() => lens.preview(null)}
      >
        <SegmentMark mark={segment.mark} />
        <span className="mt-0.5 line-clamp-2 block leading-[15px] font-semibold">
          {many ? segment.short : segment.name}
        </span>
      </button>
      {[share(segment.customers, page.customers), share(segment.money, page.money)].map(
        (value, place) => (
          <span key={place} className="mt-0.5 grid grid-cols-[1fr_28px] items-center gap-1 text-11">
            <span className="block h-[6px] bg-line">
              <span
                className="block h-full"
                style={{ width: `${(100 * value) / widest}%`, background: hueOf(segment.mark) }}
              />
            </span>
            <span className="text-right">{(100 * value).toFixed(0)}%</span>
          </span>
        ),
      )}
    </Column>
  );
}
