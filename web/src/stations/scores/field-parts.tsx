import { count, inUnit, money, percent } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { H, inBox, W } from "@/stations/scores/geometry";
import type { Box, Stretch } from "@/stations/scores/geometry";
import { heads } from "@/stations/scores/heads";
import type { Banded, Page } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";

/** Gaps, which no tier holds, and overlaps, which several do. */
export function Stripes({
  page,
  columns,
  rows,
}: {
  page: Page;
  columns: Stretch[];
  rows: Stretch[];
}) {
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
export function Counts({ page, across, up, columns, rows, pick }: CountsProps) {
  const { study } = useStudy();
  return (
    <g>
      {page.field?.customers.map((line, r) =>
        line.map((customers, c) => {
          const [column, row] = [columns[c], rows[r]];
          if (!column?.size || !row?.size) return null;
          const spend = page.field?.money[r]?.[c] ?? 0;
          const shade = page.field?.shade?.[r]?.[c];
          const more =
            shade === null || shade === undefined
              ? ""
              : `, ${page.shaded} ${inUnit(shade, page.shade_unit, study.currency)}`;
          const words = `${across.label} band ${c + 1}, ${up.label} band ${r + 1}: ${heads(customers, page.of)}, ${money(spend, study.scale, study.currency)}${more}`;
          return (
            <g
              key={`${r}-${c}`}
              {...pickable({ label: words, onPick: (more) => pick(c + 1, r + 1, more) })}
              onClick={undefined} // pressing draws a frame over plots; it picks when let go
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

export function Picked({
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
        style={{ fill: "var(--color-white)" }}
      >
        {words}
      </text>
    </g>
  );
}

export function BandNames({
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
  pick: (band: number, more: boolean) => void;
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
            {...pickable({ label: words, onPick: (more) => pick(n + 1, more) })}
          >
            <title>{words}</title>
            {n + 1}
          </text>
        );
      })}
    </g>
  );
}
