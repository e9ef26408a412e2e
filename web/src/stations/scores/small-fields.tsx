import { useMemo } from "react";

import { count } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import { useLens } from "@/lens/context";
import { sizesOf, stretches } from "@/stations/scores/geometry";
import { dotFor, Plots, rangeOf } from "@/stations/scores/plots";
import type { Page } from "@/stations/scores/use-scores";

const H = 62;

/** The same field for each band of a third measure; a click takes that band into the lens. */
export function SmallFields({ page }: { page: Page }) {
  const lens = useLens();
  const shape = useMemo(() => layOut(page), [page]);
  const { across, up, third, columns, rows, range, wide } = shape;
  if (!third || !across || !up) return null;
  return (
    <div
      className="grid gap-2"
      style={{ gridTemplateColumns: `repeat(${perRow(page)}, minmax(0, 1fr))` }}
      aria-label={`By band of ${third.label}`}
      role="group"
    >
      {page.fields.map((field) => (
        <button
          key={field.third}
          type="button"
          className="min-w-0 rounded-md p-0.5 hover:bg-paper"
          disabled={page.of !== ""}
          onClick={(event) =>
            lens.pick(`band:${third.name}`, { value: String(field.third) }, event.shiftKey)
          }
        >
          <Glyph viewBox={`0 0 ${wide} ${H}`} className="block w-full">
            <Plots
              field={field}
              shade={page.shade}
              columns={columns}
              rows={rows}
              height={H}
              each={dotFor(page.scored) * 2}
              range={range}
              small
            />
          </Glyph>
          <span className="block truncate text-11">
            <b className="font-semibold">{field.third}</b>{" "}
            <span className="text-quiet">
              {count(third.bands[field.third - 1]?.customers ?? 0)}
            </span>
          </span>
        </button>
      ))}
    </div>
  );
}

/** How many lie side by side: from six on they stand in two rows, so that plots can be told. */
function perRow(page: Page): number {
  const many = page.fields.length;
  return many > 5 ? Math.ceil(many / 2) : Math.max(1, many);
}

function layOut(page: Page) {
  const find = (name: string) => page.measures.find((measure) => measure.name === name);
  const [across, up, third] = [find(page.across), find(page.up), find(page.third)];
  const many = perRow(page);
  const wide = Math.max(44, Math.floor((600 - 8 * (many - 1)) / many));
  return {
    across,
    up,
    third,
    wide,
    columns: across ? stretches(sizesOf(across), wide) : [],
    rows: up ? stretches(sizesOf(up), H) : [],
    range: rangeOf(page.fields, page.shade),
  };
}
