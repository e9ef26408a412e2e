import { useRef } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, figure, inUnit } from "@/charts/format";
import { Picture } from "@/charts/picture";
import { SegmentMark } from "@/marks/segment-mark";
import { Refit } from "@/stations/crossings/refit";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";

type Page = Schemas["FitPage"];

const WIDTH = 560;
const LEFT = 150;
const RIGHT = 120;
const ROW = 30;
const TOLD = 0.1;

/** Whether the yardstick still fits: columns and distances against the day of its adoption. */
export function Yardstick() {
  const { study } = useStudy();
  const holder = useRef<HTMLDivElement>(null);
  const fit = useStation("yardstick", ({ study: id, query, signal }) =>
    data(
      api.GET("/api/studies/{study}/crossings/yardstick", {
        params: { path: { study: id }, query },
        signal,
      }),
    ),
  );
  if (fit.isPending) return <Waiting />;
  if (fit.isError) return <Failed words={fit.error.message} />;
  const page = fit.data;
  if (page.status.state === "empty")
    return (
      <Empty
        title="A yardstick is an adopted grouping"
        action={<NextStep to="groups">Adopt groups first</NextStep>}
      >
        Here it will be told whether its measures have moved since, and whether customers stand
        farther from their segments than they did.
      </Empty>
    );
  if (page.words) return <Empty title="It cannot be told">{page.words}</Empty>;
  const moved = page.rows.filter((row) => row.told);
  const far = page.segments.filter((row) => row.told);
  const name = (place: number) => page.states[place]?.name ?? "";
  return (
    <div className="grid grid-cols-[1.3fr_1fr] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
      <section className="card min-w-0 p-3" aria-label="Measures moved">
        <div className="flex items-center gap-3">
          <h2 className="flex-1 text-14">
            {day(page.home)}, when it was adopted, and {day(page.to)}
          </h2>
          <TakeAway
            name="yardstick"
            grid={() => ({
              title: "Stability index of what shapes the segments",
              note: `${day(page.home)} against ${day(page.to)}`,
              heads: ["Column", "Stability index", "By chance", "Told"],
              rows: page.rows.map((row) => [
                { value: row.label, words: row.label, form: "text" },
                { value: row.index, words: figure(row.index, 3), form: "number" },
                { value: row.chance, words: figure(row.chance, 4), form: "number" },
                {
                  value: row.told ? "moved" : "as it was",
                  words: row.told ? "moved" : "as it was",
                  form: "text",
                },
              ]),
            })}
            picture={() => holder.current?.querySelector("svg") ?? null}
          />
        </div>
        <p className="mt-1">
          {moved.length === 0 ? (
            "It still fits: nothing that shapes the segments has moved by more than chance makes."
          ) : (
            <>
              <b className="font-semibold">{moved.map((row) => row.label).join(", ")}</b>{" "}
              {moved.length === 1 ? "has" : "have"} moved: segments mean something else there than
              when they were adopted.
            </>
          )}{" "}
          {page.seasons && <span className="text-below">{page.seasons}</span>}
          {page.same_again !== null && page.same_again !== undefined && (
            <span className="text-quiet">
              {" "}
              Same again {page.same_again.toFixed(2)}: had the year of the adoption happened again
              with nothing changed, so many would stand in the same segment.
            </span>
          )}
        </p>
        <div ref={holder}>
          <Drawing page={page} currency={study.currency} />
        </div>
        <p className="text-11 text-quiet">
          Stability index by tenths of the day of adoption: it is told from 0.1 on where it is also
          three times what chance makes of so many customers (grey). Beside it the medians, then and
          now.
        </p>
      </section>
      <section className="card min-w-0 p-3" aria-label="Distances">
        <h2 className="text-14">How far from their segments</h2>
        {page.segments.length === 0 ? (
          <p className="mt-1 text-12 text-quiet">Tiers have no centres to stand far from.</p>
        ) : (
          <>
            <p className="mt-1">
              {far.length === 0
                ? "Nowhere do more stand far from their segment than chance makes."
                : `In ${far.map((row) => name(row.segment)).join(", ")} more stand far from the centre than then.`}
            </p>
            <Table label="Distances to the centres" className="mt-1 w-full">
              <thead>
                <tr className="text-11 text-quiet">
                  <Column>segment</Column>
                  <Column figures>then</Column>
                  <Column figures>now</Column>
                  <Column figures className="pl-2">
                    beyond 99%
                  </Column>
                  <Column figures className="pl-2">
                    by chance
                  </Column>
                </tr>
              </thead>
              <tbody>
                {page.segments.map((row) => (
                  <tr key={row.segment} className="border-t border-line">
                    <RowHead>
                      <span className="inline-flex items-center gap-1.5">
                        <SegmentMark mark={page.states[row.segment]?.mark ?? 0} size={14} />
                        {name(row.segment)}
                      </span>
                    </RowHead>
                    {row.beyond === null ? (
                      <td colSpan={4} className="text-right text-quiet">
                        {count(row.customers)} are too few
                      </td>
                    ) : (
                      <>
                        <td className="text-right">{figure(row.then, 2)}</td>
                        <td className="text-right">{figure(row.now, 2)}</td>
                        <td className={`pl-2 text-right ${row.told ? "font-semibold" : ""}`}>
                          {(100 * row.beyond).toFixed(1)}%
                        </td>
                        <td className="pl-2 text-right text-quiet">
                          up to {(100 * (row.chance ?? 0)).toFixed(1)}%
                        </td>
                      </>
                    )}
                  </tr>
                ))}
              </tbody>
            </Table>
            <p className="mt-1.5 text-11 text-quiet">
              Mean distances to the own centre as prepared; the share that stands farther now than
              99 in 100 did, and up to what chance makes it.
            </p>
          </>
        )}
      </section>
      <div className="col-span-2">
        <Refit to={page.to} />
      </div>
    </div>
  );
}

function Drawing({ page, currency }: { page: Page; currency: string }) {
  const most = Math.max(2 * TOLD, ...page.rows.map((row) => row.index)) * 1.05;
  const x = (index: number) => LEFT + ((WIDTH - LEFT - RIGHT) * index) / most;
  const foot = 10 + page.rows.length * ROW;
  const quiet = { fill: "var(--color-quiet)" };
  return (
    <Picture
      width="100%"
      viewBox={`0 0 ${WIDTH} ${foot + 22}`}
      label="Stability index of each column that shapes the segments"
    >
      <line
        x1={x(TOLD)}
        x2={x(TOLD)}
        y1={4}
        y2={foot}
        stroke="var(--color-quiet)"
        strokeDasharray="3 3"
      />
      {page.rows.map((row, place) => {
        const y = 10 + (place + 0.5) * ROW;
        return (
          <g key={row.name}>
            <text x={LEFT - 10} y={y + 4} fontSize={12} textAnchor="end">
              {row.label}
            </text>
            <line x1={LEFT} x2={WIDTH - RIGHT} y1={y} y2={y} stroke="var(--color-line)" />
            <line
              x1={LEFT}
              x2={x(Math.min(most, 3 * row.chance))}
              y1={y}
              y2={y}
              stroke="var(--color-everyone)"
              strokeWidth={8}
            />
            <circle
              cx={x(row.index)}
              cy={y}
              r={6}
              fill={row.told ? "var(--color-above)" : "var(--color-card)"}
              stroke={row.told ? "var(--color-above)" : "var(--color-ink)"}
              strokeWidth={1.6}
            />
            <text x={x(row.index) + 10} y={y - 6} fontSize={11} style={quiet}>
              {figure(row.index, 2)}
            </text>
            <text x={WIDTH - 4} y={y + 4} fontSize={11} textAnchor="end">
              {row.then === null
                ? ""
                : `${inUnit(row.then, row.unit, currency)} → ${inUnit(row.now, row.unit, currency)}`}
            </text>
          </g>
        );
      })}
      <text x={LEFT} y={foot + 14} fontSize={11} style={quiet}>
        0, as it was
      </text>
      <text x={x(TOLD)} y={foot + 14} fontSize={11} textAnchor="middle" style={quiet}>
        told from 0.1
      </text>
    </Picture>
  );
}
