import { useRef } from "react";
import { useNavigate } from "react-router";

import { count, within } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { SEGMENT } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { usePlan } from "@/lens/use-plan";
import { columnHue, ColumnShape } from "@/marks/column-mark";
import { mailingGrid } from "@/stations/portraits/offers/figures";
import { useOffersAddress } from "@/stations/portraits/offers/use-offers";
import type { Expected, Head, Page } from "@/stations/portraits/offers/use-offers";
import { percent } from "@/stations/portraits/threads/cells";
import { useElsewhere } from "@/study/address";
import { useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";
import { Button } from "@/ui/button";
import { Select } from "@/ui/select";
import { useWidth } from "@/ui/use-width";

const ROW = 24;
const ANY = "any";
const LETTER = 6.4;
/** What stands at the right of a line: its share and where one such offer comes out. */
const TOLD = 112;

/** A next mailing put together from what past offers had: who can be expected to take it. */
export function NextMailing({ page }: { page: Page }) {
  const { mailing } = useOffersAddress();
  const frame = useRef<HTMLDivElement>(null);
  const rows = page.expected
    .flatMap((row) => {
      const head = page.columns.find((column) => column.number === row.number);
      return head ? [{ ...row, head }] : [];
    })
    .sort((one, other) => (other.share ?? -1) - (one.share ?? -1));
  const like = rows[0]?.like ?? 0;
  return (
    <section className="card p-3" aria-label="Next mailing">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h2 className="text-14">Next mailing</h2>
        <Attributes page={page} />
        <span className="flex-1" />
        <TakeAway
          name="next mailing"
          grid={() => mailingGrid(page, rows)}
          picture={() => frame.current}
        />
        <PlanIt mailing={mailing} />
      </div>
      <div ref={frame} className="mt-2">
        <Lines rows={rows} />
      </div>
      <p className="mt-1 text-11 text-quiet">
        Expected take-up, and where one such offer comes out 95 times in 100.{" "}
        {Object.keys(page.chosen).length > 0
          ? `${like} past ${like === 1 ? "offer is" : "offers are"} like it; the segment’s mean counts as three more.`
          : "The mean of all past offers. Choose what the next one is like."}{" "}
        Pick a row, and the segment is the lens; Shift adds another.
      </p>
    </section>
  );
}

/** What the next one is like, of what past offers had. */
function Attributes({ page }: { page: Page }) {
  const { mailing, put } = useOffersAddress();
  const choose = (name: string, value: string) => {
    const kept = Object.entries(mailing).filter(([each]) => each !== name);
    const next = Object.fromEntries(value === ANY ? kept : [...kept, [name, value] as const]);
    void put({ mailing: Object.keys(next).length ? next : null });
  };
  return page.attributes
    .filter((attribute) => attribute.values.length > 0)
    .map((attribute) => (
      <label key={attribute.name} className="flex items-center gap-1.5 text-12 text-quiet">
        {within(attribute.label)}
        <Select
          look="word"
          value={mailing[attribute.name] ?? ANY}
          options={[[ANY, "any"], ...attribute.values.map((value) => [value, value] as const)]}
          onChange={(value) => choose(attribute.name, value)}
        />
      </label>
    ));
}

/** Hand attributes and the lens to Campaigns, where the plan tells what it can expect. */
function PlanIt({ mailing }: { mailing: Record<string, string> }) {
  const { canChange } = useStudy();
  const { answer, clauses } = useLens();
  const navigate = useNavigate();
  const search = useElsewhere();
  const plan = usePlan((row) => {
    const to = new URLSearchParams(search);
    to.set("campaign", String(row.id));
    void navigate({ pathname: "../campaigns", search: to.toString() }, { relative: "path" });
  });
  const values = Object.values(mailing);
  if (!canChange) return null;
  const customers = answer?.lens.customers ?? 0;
  return (
    <Button
      className="py-1 text-12"
      disabled={values.length === 0 || plan.isPending || !answer?.ready || customers === 0}
      title={values.length === 0 ? "Choose what the next one is like." : undefined}
      onClick={() =>
        plan.mutate({ name: `Mailing: ${values.join(", ")}`.slice(0, 80), offer: mailing })
      }
    >
      Plan it for {clauses.length ? `these ${count(customers)}` : "everyone"}
    </Button>
  );
}

/** One line for each column, the highest first. */
function Lines({ rows }: { rows: (Expected & { head: Head })[] }) {
  const [frame, width] = useWidth<HTMLDivElement>(900);
  const longest = Math.max(...rows.map((row) => row.head.name.length), 1);
  const left = Math.min(width / 3, 28 + LETTER * longest);
  const top = Math.max(0.05, ...rows.map((row) => row.high ?? 0));
  const right = width - TOLD;
  const x = (share: number) => left + 8 + (share / top) * (right - left - 20);
  return (
    <div ref={frame}>
      <PickPicture
        width={width}
        height={rows.length * ROW}
        className="block"
        label="Expected take-up of the next mailing, the highest first"
      >
        {rows.map((row, n) => (
          <Line key={row.number} row={row} y={(n + 0.5) * ROW} x={x} width={width} left={left} />
        ))}
      </PickPicture>
    </div>
  );
}

function Line(props: {
  row: Expected & { head: Head };
  y: number;
  x: (share: number) => number;
  width: number;
  left: number;
}) {
  const { row, y, x, width, left } = props;
  const { head, share, low, high } = row;
  const lens = useLens();
  const told = share !== null && low !== null && high !== null;
  const words = told
    ? `${percent(share)} expected, ${percent(low)} to ${percent(high)}`
    : "too few offers";
  const mark =
    head.mark === null
      ? {}
      : pickable({
          label: `${head.name}: ${words}`,
          onPick: (more) => lens.pick(SEGMENT, { value: String(head.number) }, more),
        });
  const fits = Math.floor((left - 28) / LETTER);
  const name = head.name.length > fits ? `${head.name.slice(0, fits - 1)}…` : head.name;
  return (
    <g {...mark}>
      <rect x={0} width={width} y={y - ROW / 2} height={ROW} fill="transparent" />
      <ColumnShape head={head} x={8} y={y} size={14} />
      <text x={22} y={y + 4} fontSize={12}>
        {name}
        {name !== head.name && <title>{head.name}</title>}
      </text>
      {told ? (
        <>
          <line x1={left + 8} x2={width - TOLD - 12} y1={y} y2={y} stroke="var(--color-line)" />
          <line x1={x(low)} x2={x(high)} y1={y} y2={y} stroke={columnHue(head)} strokeWidth={2} />
          <circle cx={x(share)} cy={y} r={7.5} fill="var(--color-card)" />
          <ColumnShape head={head} x={x(share)} y={y} size={15} />
          <text x={width - TOLD + 24} y={y + 4} fontSize={12} textAnchor="end">
            {percent(share)}
          </text>
          <text
            x={width}
            y={y + 4}
            fontSize={12}
            textAnchor="end"
            style={{ fill: "var(--color-quiet)" }}
          >
            {percent(low)} to {percent(high)}
          </text>
        </>
      ) : (
        <text
          x={width}
          y={y + 4}
          fontSize={12}
          textAnchor="end"
          style={{ fill: "var(--color-quiet)" }}
        >
          {words}
        </text>
      )}
    </g>
  );
}
