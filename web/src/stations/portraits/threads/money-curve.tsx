import type { Schemas } from "@/api/client";
import { Picture } from "@/charts/picture";
import { MarkShape } from "@/marks/segment-mark";
import { unit } from "@/study/unit";

const SIDE = 104;
const EDGE = 8;

/** How much of the spend comes from how few, and where the segments stand on the way. */
export function MoneyCurve({ page }: { page: Schemas["PortraitsPage"] }) {
  const { curve } = page;
  if (!curve) return null;
  const top = Math.max(1, ...curve.money);
  const x = (share: number) => EDGE + share * (SIDE - EDGE);
  const y = (share: number) => EDGE + (1 - share / top) * (SIDE - EDGE);
  const line = (across: number[], up: number[]) =>
    across
      .map((share, n) => `${n ? "L" : "M"}${x(share).toFixed(1)},${y(up[n] ?? 0).toFixed(1)}`)
      .join("");
  const named = curve.order.map((number) => page.segments.find((row) => row.number === number));
  const half = curve.half === null ? "" : `${Math.max(1, Math.round(100 * curve.half))}%`;
  return (
    <section className="card p-3" aria-label="Money curve">
      <h2 className="text-14">Money curve</h2>
      <div className="mt-1 flex flex-wrap items-start gap-2">
        <Picture
          width={SIDE + EDGE}
          height={SIDE + EDGE}
          className="shrink-0"
          label={`Half of the spend comes from ${half} of the ${unit.many}. By falling mean spend: ${named
            .map(
              (row, n) =>
                `${row?.name ?? ""}, up to ${((curve.order_money[n + 1] ?? 0) * 100).toFixed(0)}% of spend`,
            )
            .join("; ")}.`}
        >
          <path
            d={`M${x(0)},${y(0)}H${x(1)}M${x(0)},${y(0)}V${y(1)}`}
            stroke="var(--color-quiet)"
            fill="none"
            opacity={0.6}
          />
          <path
            d={line([0, 1], [0, 1])}
            stroke="var(--color-everyone)"
            strokeDasharray="3 3"
            fill="none"
          />
          <path
            d={line(curve.customers, curve.money)}
            stroke="var(--color-ink)"
            strokeWidth={1.6}
            fill="none"
          />
          <path
            d={line(curve.order_customers, curve.order_money)}
            stroke="var(--color-quiet)"
            fill="none"
          />
          {named.map((row, n) =>
            row ? (
              <MarkShape
                key={row.id}
                mark={row.mark}
                x={x(curve.order_customers[n + 1] ?? 0)}
                y={y(curve.order_money[n + 1] ?? 0)}
                size={12}
              />
            ) : null,
          )}
        </Picture>
        <p className="min-w-[96px] flex-1 text-11 text-quiet">
          {half && (
            <b className="block text-12 font-semibold text-ink">
              Half of the spend comes from {half} of the {unit.many}.
            </b>
          )}
          Across: {unit.many} by falling spend; up: their spend.
        </p>
      </div>
    </section>
  );
}
