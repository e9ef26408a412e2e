import { count, fixed } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import { EffectCells, EffectHeads } from "@/stations/campaigns/interval";
import type { Result, Row } from "@/stations/campaigns/types";
import { inHundred } from "@/stations/campaigns/words";
import { Column, RowHead, Table } from "@/ui/table";

/** The arms in each segment, and the effect where there is one to tell. */
export function BySegment({ row, result }: { row: Row; result: Result | null }) {
  const told = result?.segments.filter((each) => each.difference !== null) ?? [];
  const ends = told.flatMap((each) => [each.low ?? 0, each.high ?? 0, 0]);
  const axis = { low: Math.min(...ends), high: Math.max(...ends), log: false };
  const few = (result?.segments.length ?? 0) - told.length;
  return (
    <section className="card p-3" aria-label="By segment">
      <h2 className="text-14">By segment{told.length > 1 && ", points"}</h2>
      {told.length > 1 && (
        <p className="text-11 text-quiet">
          {result && differWords(result)} Intervals are widened for {told.length} looks.
        </p>
      )}
      <Table label="Written to and held out, by segment" className="mt-1 w-full">
        <thead>
          <tr className="text-11 text-quiet">
            <Column>segment</Column>
            <Column figures className="px-2 whitespace-nowrap">
              written : held
            </Column>
            {told.length > 1 ? (
              <EffectHeads />
            ) : (
              row.offer && <Column figures>expected to take it</Column>
            )}
          </tr>
        </thead>
        <tbody>
          {row.arms.map((arm, place) => {
            const found = result?.segments[place];
            return (
              <tr key={arm.segment} className="border-t border-line">
                <RowHead className="py-1">
                  <span className="inline-flex items-center gap-1.5">
                    {arm.mark !== null && <SegmentMark mark={arm.mark} size={14} />}
                    {arm.segment}
                  </span>
                </RowHead>
                <td className="px-2 text-right text-quiet">
                  {count(arm.written)} : {count(arm.held)}
                </td>
                {told.length > 1 ? (
                  found?.difference != null ? (
                    <EffectCells
                      low={found.low ?? 0}
                      high={found.high ?? 0}
                      at={found.difference}
                      axis={axis}
                    />
                  ) : (
                    <td colSpan={2} className="text-right whitespace-nowrap">
                      too few
                    </td>
                  )
                ) : (
                  row.offer && (
                    <td className="text-right">
                      {arm.expected === null ? "not told" : `${inHundred(arm.expected, 0)}%`}
                    </td>
                  )
                )}
              </tr>
            );
          })}
        </tbody>
      </Table>
      {few > 0 && told.length > 1 && (
        <p className="mt-1 text-11 text-quiet">Too few: under 20 customers in an arm.</p>
      )}
    </section>
  );
}

function differWords({ differ: p, segments_differ: sure }: Result): string {
  if (p === null) return "";
  return sure
    ? `Segments differ (p ${p < 0.001 ? "under 0.001" : fixed(p, 3)}).`
    : `No sign that segments differ (p ${fixed(p)}).`;
}
