import { count, fixed } from "@/charts/format";
import { EffectCells, EffectHeads } from "@/stations/campaigns/interval";
import type { Result } from "@/stations/campaigns/types";
import { inHundred } from "@/stations/campaigns/words";
import { Column, RowHead, Table } from "@/ui/table";

/** What each version did, against all who were held out. */
export function ByVersion({ result }: { result: Result }) {
  const { versions, versions_p: p, versions_differ: sure } = result;
  if (versions.length < 2) return null;
  const ends = versions.flatMap((each) => [each.low, each.high, 0]);
  const axis = { low: Math.min(...ends), high: Math.max(...ends), log: false };
  return (
    <section className="card p-3" aria-label="By version">
      <h2 className="text-14">By version, points</h2>
      <p className="text-11 text-quiet">
        {p !== null &&
          (sure
            ? `Versions differ (p ${fixed(p, 3)}). `
            : `No sign that versions differ (p ${fixed(p)}). `)}
        Each against all who were held out; intervals are widened for {versions.length} looks.
      </p>
      <Table label="What each version did" className="mt-1 w-full">
        <thead>
          <tr className="text-11 text-quiet">
            <Column>version</Column>
            <Column figures className="px-2">
              written to
            </Column>
            <Column figures className="px-2">
              came
            </Column>
            <EffectHeads />
          </tr>
        </thead>
        <tbody>
          {versions.map((each) => (
            <tr key={each.version} className="border-t border-line">
              <RowHead strong className="py-1">
                {each.version}
              </RowHead>
              <td className="px-2 text-right text-quiet">{count(each.written)}</td>
              <td className="px-2 text-right">{inHundred(each.share)}%</td>
              <EffectCells low={each.low} high={each.high} at={each.difference} axis={axis} />
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}
