import type { Schemas } from "@/api/client";
import { percent } from "@/charts/format";
import { alike } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { ColumnMark } from "@/marks/column-mark";

type Page = Schemas["RulesPage"];

/** Each segment in one line, and how well that line does; picked, it is the lens. */
export function RuleList({ page }: { page: Page }) {
  return (
    <section className="card p-3" aria-label="In one line">
      <h2 className="text-14">In one line</h2>
      <ul>
        {page.rules.map((rule) => (
          <li key={rule.segment} className="border-t border-line py-2 first:border-t-0">
            <SegmentLine page={page} rule={rule} />
          </li>
        ))}
      </ul>
    </section>
  );
}

function SegmentLine({ page, rule }: { page: Page; rule: Schemas["SegmentRule"] }) {
  const lens = useLens();
  const segment = page.columns.find((each) => each.number === rule.segment);
  return (
    <>
      <h3 className="flex items-center gap-1.5 text-13 font-semibold">
        {segment && <ColumnMark head={segment} size={14} />} {segment?.name}
      </h3>
      {rule.ways.map((way, place) => {
        const there = alike(lens.clauses, way.clauses);
        return (
          <button
            key={place}
            type="button"
            aria-pressed={there}
            className={`block min-h-[24px] w-full border-l-2 pl-2 text-left hover:bg-paper ${there ? "border-teal" : "border-transparent"}`}
            onClick={() => lens.set(there ? [] : way.clauses)}
          >
            {place > 0 && <span className="text-quiet">or </span>}
            {way.words}
          </button>
        );
      })}
      <p className="pl-2.5 text-12 text-quiet">{figures(rule, page)}</p>
    </>
  );
}

function figures({ holds, belongs }: Schemas["SegmentRule"], page: Page): string {
  const whom = page.against === "segments" ? "the segment" : "them";
  const caught = `holds ${percent(holds.count, holds.of, 0)} of ${whom}`;
  if (belongs.of === 0) return `${caught}; catches nobody of those held back`;
  return `${caught}; ${percent(belongs.count, belongs.of, 0)} of those it catches belong`;
}
