import { useMemo, useRef, useState } from "react";
import type { PointerEvent } from "react";

import { count, inUnit, money, percent } from "@/charts/format";
import { withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { Fences } from "@/stations/scores/fences";
import type { Fence } from "@/stations/scores/fences";
import { bandAt, inBox, sizesOf, stretches } from "@/stations/scores/geometry";
import type { Box, Stretch } from "@/stations/scores/geometry";
import { heads } from "@/stations/scores/heads";
import { dotFor, Plots, rangeOf } from "@/stations/scores/plots";
import { DEEP, Ruler } from "@/stations/scores/ruler";
import type { Banded, Page } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";

const W = 490;
const H = 260;
const LEFT = 118;
const TOP = 6;
const NAMES = 18;

interface Props {
  page: Page;
  fences: Fence[];
  lit: number | null;
  canChange: boolean;
  onFence: (number: number, box: Box) => void;
  onLand: () => void;
  onLift: () => void;
  onCuts: (measure: Banded, cuts: number[]) => void;
}

/** Two measures as plots of their real sizes between their rulers, with the fences of the ladder. */
export function Field(props: Props) {
  const { page, fences, lit, canChange, onFence, onLand, onLift, onCuts } = props;
  const { across, up, columns, rows, range } = useMemo(() => layOut(page), [page]);
  const picking = usePicking(page, across, up);
  const area = useRef<SVGRectElement>(null);
  if (!page.field || !across || !up) return null;
  const at = (event: PointerEvent<Element>): [number, number] => {
    const frame = area.current?.getBoundingClientRect();
    if (!frame) return [0, 0];
    return [
      Math.min(W, Math.max(0, ((event.clientX - frame.left) / frame.width) * W)),
      Math.min(H, Math.max(0, ((event.clientY - frame.top) / frame.height) * H)),
    ];
  };
  const plot = (event: PointerEvent<Element>): [number, number] => {
    const [x, y] = at(event);
    return [bandAt(columns, x), bandAt(rows, H - y)];
  };
  const shown = picking.box;
  return (
    <svg
      viewBox={`0 0 ${LEFT + W + 4} ${TOP + H + NAMES + DEEP}`}
      className="block w-full select-none"
      role="group"
      aria-label={`${across.label} across, ${up.label} upwards`}
    >
      <defs>
        <pattern
          id="gap"
          width="7"
          height="7"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <line x1="0" y1="0" x2="0" y2="7" stroke="var(--color-below)" strokeWidth="2" />
        </pattern>
        <pattern
          id="overlap"
          width="7"
          height="7"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(-45)"
        >
          <line x1="0" y1="0" x2="0" y2="7" stroke="var(--color-above)" strokeWidth="2" />
        </pattern>
      </defs>
      <g transform={`translate(${LEFT} ${TOP})`}>
        <g
          className="cursor-crosshair touch-none"
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            picking.begin(plot(event));
          }}
          onPointerMove={(event) => picking.go(plot(event))}
          onPointerUp={(event) => picking.end(event.shiftKey)}
          onPointerCancel={picking.leave}
        >
          <Plots
            field={page.field}
            shade={page.shade}
            columns={columns}
            rows={rows}
            height={H}
            each={dotFor(page.scored)}
            range={range}
          />
          <Stripes page={page} columns={columns} rows={rows} />
          <rect ref={area} width={W} height={H} fill="transparent" />
          <Counts
            page={page}
            across={across}
            up={up}
            columns={columns}
            rows={rows}
            pick={picking.pick}
          />
        </g>
        {page.ladder?.kind === "boxes" && (
          <Fences
            fences={fences}
            columns={columns}
            rows={rows}
            height={H}
            lit={lit}
            canMove={canChange}
            placeOf={at}
            onMove={onFence}
            onLand={onLand}
            onLift={onLift}
          />
        )}
        {shown && <Picked page={page} box={shown} columns={columns} rows={rows} />}
      </g>
      <g transform={`translate(${LEFT} ${TOP + H})`}>
        <BandNames
          measure={across}
          of={page.of}
          bands={columns}
          pick={(band) => picking.line("across", band)}
        />
        <g transform={`translate(0 ${NAMES})`}>
          <Ruler
            measure={across}
            bands={columns}
            length={W}
            onCuts={canChange ? (cuts) => onCuts(across, cuts) : undefined}
          />
        </g>
      </g>
      <g transform={`translate(${LEFT} ${TOP})`}>
        <BandNames
          measure={up}
          of={page.of}
          bands={rows}
          upright
          pick={(band) => picking.line("up", band)}
        />
        <g transform={`translate(${-NAMES} 0)`}>
          <Ruler
            measure={up}
            bands={rows}
            length={H}
            upright
            onCuts={canChange ? (cuts) => onCuts(up, cuts) : undefined}
          />
        </g>
      </g>
    </svg>
  );
}

function layOut(page: Page) {
  const across = page.measures.find((measure) => measure.name === page.across);
  const up = page.measures.find((measure) => measure.name === page.up);
  return {
    across,
    up,
    columns: across ? stretches(sizesOf(across), W) : [],
    rows: up ? stretches(sizesOf(up), H) : [],
    range: page.field ? rangeOf([page.field], page.shade) : ([0, 1] as [number, number]),
  };
}

/** Gaps, which no tier holds, and overlaps, which several do. */
function Stripes({ page, columns, rows }: { page: Page; columns: Stretch[]; rows: Stretch[] }) {
  const kinds = [
    [page.ladder?.gaps ?? [], "url(#gap)", "in no tier"],
    [page.ladder?.overlaps ?? [], "url(#overlap)", "in several tiers: the first one counts"],
  ] as const;
  return (
    <g pointerEvents="none" opacity={0.55}>
      {kinds.flatMap(([grid, fill, words]) =>
        grid.flatMap((line, r) =>
          line.map((there, c) => {
            const [column, row] = [columns[c], rows[r]];
            if (!there || !column?.size || !row?.size) return null;
            return (
              <rect
                key={`${fill}${r}-${c}`}
                x={column.from + 1}
                y={H - row.from - row.size + 1}
                width={Math.max(0, column.size - 2)}
                height={Math.max(0, row.size - 2)}
                fill={fill}
              >
                <title>{words}</title>
              </rect>
            );
          }),
        ),
      )}
    </g>
  );
}

interface CountsProps {
  page: Page;
  across: Banded;
  up: Banded;
  columns: Stretch[];
  rows: Stretch[];
  pick: (c: number, r: number, add: boolean) => void;
}

/** The count of each plot, which can be picked by keyboard. */
function Counts({ page, across, up, columns, rows, pick }: CountsProps) {
  const { study } = useStudy();
  return (
    <g>
      {page.field?.customers.map((line, r) =>
        line.map((customers, c) => {
          const [column, row] = [columns[c], rows[r]];
          if (!column?.size || !row?.size) return null;
          const cash = page.field?.money[r]?.[c] ?? 0;
          const shade = page.field?.shade?.[r]?.[c];
          const more =
            shade === null || shade === undefined
              ? ""
              : `, ${page.shaded} ${inUnit(shade, page.shade_unit, study.currency)}`;
          const words = `${across.label} band ${c + 1}, ${up.label} band ${r + 1}: ${heads(customers, page.of)}, ${money(cash, study.scale, study.currency)}${more}`;
          return (
            <g
              key={`${r}-${c}`}
              role="button"
              tabIndex={0}
              aria-label={words}
              onKeyDown={(event) => {
                if (event.key !== "Enter") return;
                event.preventDefault();
                pick(c + 1, r + 1, event.shiftKey);
              }}
            >
              <title>{words}</title>
              <rect
                x={column.from}
                y={H - row.from - row.size}
                width={column.size}
                height={row.size}
                fill="transparent"
              />
              {column.size > 30 && row.size > 18 && customers > 0 && (
                <text
                  x={column.from + column.size / 2}
                  y={H - row.from - row.size / 2 + 4}
                  fontSize={12}
                  fontWeight={600}
                  textAnchor="middle"
                  stroke="var(--color-card)"
                  strokeWidth={3.5}
                  paintOrder="stroke"
                >
                  {count(customers)}
                </text>
              )}
            </g>
          );
        }),
      )}
    </g>
  );
}

function Picked({
  page,
  box,
  columns,
  rows,
}: {
  page: Page;
  box: Box;
  columns: Stretch[];
  rows: Stretch[];
}) {
  const { study } = useStudy();
  const first = columns[box.across[0] - 1];
  const last = columns[box.across[1] - 1];
  const low = rows[box.up[0] - 1];
  const high = rows[box.up[1] - 1];
  if (!first || !last || !low || !high) return null;
  const [x, y] = [first.from, H - high.from - high.size];
  const told = inBox(page, box);
  const words = `${count(told.customers)} · ${percent(told.customers, page.scored)} · ${money(told.money, study.scale, study.currency)}`;
  const wide = words.length * 6.3 + 12;
  const tx = Math.min(Math.max(0, x), W - wide);
  const ty = y > 24 ? y - 22 : y + 4;
  return (
    <g pointerEvents="none">
      <rect
        x={x}
        y={y}
        width={last.from + last.size - x}
        height={H - low.from - y}
        fill="var(--color-teal)"
        fillOpacity={0.1}
        stroke="var(--color-teal)"
        strokeWidth={1.5}
        strokeDasharray="5 3"
      />
      <rect x={tx} y={ty} width={wide} height={19} rx={4} fill="var(--color-teal)" />
      <text
        x={tx + wide / 2}
        y={ty + 13.5}
        fontSize={12}
        textAnchor="middle"
        style={{ fill: "white" }}
      >
        {words}
      </text>
    </g>
  );
}

function BandNames({
  measure,
  of,
  bands,
  upright = false,
  pick,
}: {
  measure: Banded;
  of: string;
  bands: Stretch[];
  upright?: boolean;
  pick: (band: number) => void;
}) {
  return (
    <g fontSize={12} fontWeight={600}>
      {bands.map((band, n) => {
        if (band.size < 10) return null;
        const middle = band.from + band.size / 2;
        const [x, y] = upright ? [-10, H - middle + 4] : [middle, 14];
        const words = `All of band ${n + 1} of ${measure.label}, ${heads(measure.bands[n]?.customers ?? 0, of)}`;
        return (
          <text
            key={n}
            x={x}
            y={y}
            textAnchor="middle"
            role="button"
            tabIndex={0}
            aria-label={words}
            className="cursor-pointer"
            onClick={() => pick(n + 1)}
            onKeyDown={(event) => {
              if (event.key === "Enter") pick(n + 1);
            }}
          >
            <title>{words}</title>
            {n + 1}
          </text>
        );
      })}
    </g>
  );
}

/** Picking plots: one, a whole band, or a box drawn over several. */
function usePicking(page: Page, across: Banded | undefined, up: Banded | undefined) {
  const lens = useLens();
  const [from, setFrom] = useState<[number, number] | null>(null);
  const [to, setTo] = useState<[number, number]>([1, 1]);
  const box: Box | null = from && {
    across: [Math.min(from[0], to[0]), Math.max(from[0], to[0])],
    up: [Math.min(from[1], to[1]), Math.max(from[1], to[1])],
  };
  const values = ([a, b]: [number, number]) =>
    Array.from({ length: b - a + 1 }, (_, n) => String(a + n));
  const take = (taken: Box) => {
    if (page.of || !across || !up) return;
    const whole = (range: [number, number], measure: Banded) =>
      range[0] === 1 && range[1] === measure.bands.length;
    let clauses = lens.clauses;
    for (const [measure, range] of [
      [across, taken.across],
      [up, taken.up],
    ] as const) {
      const field = `band:${measure.name}`;
      clauses = whole(range, measure)
        ? clauses.filter((clause) => clause.field !== field)
        : withValues(clauses, field, values(range));
      if (across === up) break;
    }
    lens.set(clauses);
  };
  return {
    box,
    begin: (plot: [number, number]) => {
      setFrom(plot);
      setTo(plot);
    },
    go: (plot: [number, number]) => {
      if (from && (plot[0] !== to[0] || plot[1] !== to[1])) setTo(plot);
    },
    end: (add: boolean) => {
      if (box && add && across && up) {
        lens.pick(`band:${across.name}`, { value: String(box.across[0]) }, true);
      } else if (box) take(box);
      setFrom(null);
    },
    leave: () => setFrom(null),
    pick: (c: number, r: number, add: boolean) => {
      if (add && across) lens.pick(`band:${across.name}`, { value: String(c) }, true);
      else take({ across: [c, c], up: [r, r] });
    },
    line: (axis: "across" | "up", band: number) => {
      const measure = axis === "across" ? across : up;
      if (measure && !page.of) lens.pick(`band:${measure.name}`, { value: String(band) }, false);
    },
  };
}
