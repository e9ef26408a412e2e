import { useRef } from "react";

import type { Schemas } from "@/api/client";
import { valueAt } from "@/charts/axis";
import { count, fixed, inUnit } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { useBox } from "@/charts/use-box";
import type { Box } from "@/charts/use-box";
import { rangeClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { columnHue, ColumnMark } from "@/marks/column-mark";
import { customersOf } from "@/stations/portraits/compared";
import { useAgainstAddress, useMultiples } from "@/stations/portraits/against/use-against";
import { Stale } from "@/study/status-banner";
import { useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";
import { text } from "@/ui/grid";
import type { Grid } from "@/ui/grid";
import { Select } from "@/ui/select";
import { Empty, Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

type Page = Schemas["MultiplesPage"];
type Panel = Schemas["MultipleBody"];
type Axis = Schemas["AxisOf"];

const SIDE = 200;

/** Two measures against each other, a small picture a column, with its trend. */
export function Multiples() {
  const { put } = useAgainstAddress();
  const found = useMultiples();
  const frame = useRef<HTMLDivElement>(null);
  if (found.isPending) return <Waiting />;
  if (found.isError) return <Failed words={found.error.message} />;
  const page = found.data;
  const { x, y } = page;
  if (!x || !y)
    return (
      <Empty title="Two numbers are needed">
        These {unit.many} have fewer than two measures or traits that are numbers.
      </Empty>
    );
  const options = page.options.map((option) => [option.name, option.label] as const);
  const [everyone, ...own] = [...page.panels].sort((one, other) => one.number - other.number);
  const panels = [...own, ...(everyone ? [everyone] : [])];
  return (
    <Stale status={page.status}>
      <section className="card p-3" aria-label={`${y.label} by ${x.label}`}>
        <div className="mb-2 flex items-center justify-between gap-3">
          <span className="flex items-center gap-1.5 text-12 text-quiet">
            <Select
              look="word"
              label="The measure up"
              value={y.name}
              options={options}
              onChange={(name) => void put({ y: name, x: x.name })}
            />
            by
            <Select
              look="word"
              label="The measure across"
              value={x.name}
              options={options}
              onChange={(name) => void put({ x: name, y: y.name })}
            />
            <span className="text-11">
              the darker, the more {unit.many}; line: trend; drag a box to look closer
            </span>
          </span>
          <TakeAway
            name={`${y.label} by ${x.label}`}
            grid={() => gridOf(page, x, y)}
            picture={() => frame.current}
          />
        </div>
        <div
          ref={frame}
          className="grid grid-cols-[repeat(auto-fill,minmax(min(200px,100%),1fr))] gap-x-5 gap-y-4"
        >
          {panels.map((panel) => (
            <Small key={panel.number} page={page} panel={panel} x={x} y={y} />
          ))}
        </div>
      </section>
    </Stale>
  );
}

function rWords(panel: Panel): string {
  if (panel.r === null)
    return panel.customers < 20 ? "too few for a trend" : "no trend: one is constant";
  return `Pearson’s r ${fixed(panel.r)} (${fixed(panel.low ?? panel.r)} to ${fixed(panel.high ?? panel.r)})`;
}

function Small(props: { page: Page; panel: Panel; x: Axis; y: Axis }) {
  const { page, panel, x, y } = props;
  const { study } = useStudy();
  const lens = useLens();
  const head = page.columns.find((column) => column.number === panel.number);
  const hue = head ? columnHue(head) : "var(--color-quiet)";
  const own = head ? customersOf(head) : [];
  const { box, handlers } = useBox(([left, top, right, bottom]: Box) => {
    const range = (axis: Axis, from: number, to: number) =>
      rangeClause(axis.field, [valueAt(from, axis), valueAt(to, axis)]);
    lens.set([...own, range(x, left, right), range(y, 1 - bottom, 1 - top)]);
  });
  const name = head?.name ?? "Everyone";
  const axisWords = (axis: Axis) => {
    const [low, high] = [axis.low, axis.high].map((v) => inUnit(v, axis.unit, study.currency));
    return `${axis.label}, ${low ?? ""} to ${high ?? ""}${axis.log ? ", log" : ""}`;
  };
  const mark =
    own.length > 0
      ? pickable({
          label: `${name}: ${count(panel.customers)} ${unit.many}, ${rWords(panel)}`,
          onPick: (more) => lens.take(own, more),
        })
      : {};
  return (
    <figure className="m-0">
      <figcaption className="flex items-center gap-1.5 text-12">
        {head && <ColumnMark head={head} size={14} />}
        <span className="min-w-0 flex-1 truncate font-semibold" title={name}>
          {name}
        </span>
      </figcaption>
      <p className="text-11 text-quiet">
        {rWords(panel)}, {count(panel.customers)} {unit.many}
      </p>
      <p className="mt-1 text-11 text-quiet">{axisWords(y)}</p>
      <PickPicture
        viewBox={`0 0 ${SIDE} ${SIDE}`}
        className="w-full cursor-crosshair touch-none border-b border-l border-quiet"
        label={`${name}: ${y.label} by ${x.label}, ${rWords(panel)}`}
        {...handlers}
      >
        <g {...mark}>
          <rect width={SIDE} height={SIDE} fill="transparent" />
          <Cells cells={panel.cells} across={page.across} up={page.up} hue={hue} />
        </g>
        {panel.line && (
          <line
            x1={0}
            x2={SIDE}
            y1={(1 - (panel.line[0] ?? 0)) * SIDE}
            y2={(1 - (panel.line[1] ?? 0)) * SIDE}
            stroke="var(--color-ink)"
            strokeWidth={1.6}
          />
        )}
        {box && (
          <rect
            x={box[0] * SIDE}
            y={box[1] * SIDE}
            width={(box[2] - box[0]) * SIDE}
            height={(box[3] - box[1]) * SIDE}
            fill="var(--color-teal)"
            opacity={0.18}
          />
        )}
      </PickPicture>
      <p className="text-right text-11 text-quiet">{axisWords(x)}</p>
    </figure>
  );
}

function Cells(props: { cells: number[]; across: number; up: number; hue: string }) {
  const { cells, across, up, hue } = props;
  const most = Math.max(1, ...cells);
  const [width, height] = [SIDE / across, SIDE / up];
  return (
    <>
      {cells.map((value, n) =>
        value === 0 ? null : (
          <rect
            key={n}
            x={(n % across) * width}
            y={SIDE - (Math.floor(n / across) + 1) * height}
            width={width}
            height={height}
            fill={hue}
            opacity={0.12 + 0.75 * Math.sqrt(value / most)}
          />
        ),
      )}
    </>
  );
}

/** The table behind the pictures: a line a column. */
function gridOf(page: Page, x: Axis, y: Axis): Grid {
  const number = (value: number | null) => ({ value, form: "number" as const });
  return {
    title: `${y.label} by ${x.label}`,
    heads: ["Column", "Customers", "r", "r from", "r to"],
    rows: page.panels.map((panel) => [
      text(page.columns.find((head) => head.number === panel.number)?.name ?? "Everyone"),
      number(panel.customers),
      number(panel.r),
      number(panel.low),
      number(panel.high),
    ]),
    note: page.status.state === "out of date" ? `Out of date: ${page.status.words}` : "",
  };
}
