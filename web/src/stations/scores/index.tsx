import { api, data } from "@/api/client";
import { count, day, inUnit, money, percent } from "@/charts/format";
import { useLens } from "@/lens/context";
import { PlotField } from "@/stations/scores/plot-field";
import { useStation } from "@/stations/use-station";
import { useStudy } from "@/study/context";
import { Stale, Standing } from "@/study/standing";
import { Head } from "@/ui/head";
import { NextStep } from "@/ui/next-step";
import { Empty, Failed, Waiting } from "@/ui/status";

/** Scores: recency × frequency as true plots, the third measure as a row of small fields, codes. */
export function Scores() {
  const { study, window } = useStudy();
  const lens = useLens();
  const scores = useStation(
    "scores",
    ({ study: id, query, signal }) =>
      data(
        api.GET("/api/studies/{study}/scores", { params: { path: { study: id }, query }, signal }),
      ),
    true,
  );
  if (scores.isPending) return <Waiting />;
  if (scores.isError) return <Failed words={scores.error.message} />;
  const page = scores.data;
  const [recency, frequency, monetary] = page.measures;
  const lopsided = page.measures.filter((measure) => measure.lopsided);
  const cash = (value: number) => money(value, study.scale, study.currency);
  return (
    <div className="grid gap-3">
      <Head
        title="Scores"
        words={
          window && page.field
            ? `${count(page.scored)} customers in 5 bands each, up to and including ${day(window.to)}; 5 is always the best. ${count(page.unscored)} have no score: no visit in the window.`
            : "Customers cut into bands, 5 the best, drawn at their real sizes."
        }
      />
      <Standing status={page.status} />
      {page.status.state === "empty" && (
        <Empty
          title="Scores are cut from measures"
          action={<NextStep to="ledger">Bring in a log first</NextStep>}
        >
          Here plots of recency and frequency will lie as wide and as high as their bands really
          are, shaded by the money a head.
        </Empty>
      )}
      {page.field && recency && frequency && monetary && (
        <Stale status={page.status}>
          {lopsided.length > 0 && (
            <p className="card px-3 py-2 text-12">
              {lopsided
                .map((measure) =>
                  measure.empty
                    ? `${measure.label}: ${measure.empty} of 5 bands stay empty, because many customers share one value and ties are never split`
                    : `${measure.label}: bands are lopsided, because many customers share one value and ties are never split`,
                )
                .join(". ")}
              .
            </p>
          )}
          <div className="grid grid-cols-[minmax(520px,1fr)_280px] items-start gap-3">
            <section className="card p-3" aria-label="Field of recency and frequency">
              <h2 className="text-14">Days since last visit × visits, at their real sizes</h2>
              <p className="mb-2 text-12 text-quiet">
                Width and height: the bands&rsquo; customers. Shade: money a head. Number:
                customers. Pick a plot to look at its customers.
              </p>
              <PlotField
                field={page.field}
                across={recency}
                up={frequency}
                width={640}
                height={390}
              />
              <h3 className="mt-3 text-13">The same by band of spend</h3>
              <div className="mt-1 flex gap-3">
                {page.fields.map((field) => (
                  <div key={field.monetary_band}>
                    <PlotField
                      field={field}
                      across={recency}
                      up={frequency}
                      width={116}
                      height={84}
                      small
                    />
                    <p className="text-center text-11 text-quiet">
                      spend {field.monetary_band},{" "}
                      {count(monetary.bands[field.monetary_band - 1]?.customers ?? 0)}
                    </p>
                  </div>
                ))}
              </div>
            </section>
            <div className="grid gap-3">
              <section className="card p-3" aria-label="Bands">
                <h2 className="text-14">Bands and what they span</h2>
                {page.measures.map((measure) => (
                  <div key={measure.name} className="mt-2">
                    <h3 className="text-12">
                      {measure.label}{" "}
                      <span className="font-sans font-normal text-quiet">
                        {measure.higher_is_better ? "more is better" : "fewer is better"}
                      </span>
                    </h3>
                    <table className="w-full text-12">
                      <tbody>
                        {[...measure.bands].reverse().map((row) => (
                          <tr
                            key={row.band}
                            className="cursor-pointer border-t border-line hover:bg-paper"
                            onClick={(event) =>
                              lens.pick(
                                `band:${measure.name}`,
                                { value: String(row.band) },
                                event.shiftKey,
                              )
                            }
                          >
                            <td className="w-6 font-semibold">{row.band}</td>
                            <td className="text-quiet">
                              {span(row, measure.unit, study.currency)}
                            </td>
                            <td className="text-right">{count(row.customers)}</td>
                          </tr>
                        ))}
                      </tbody>
                    </table>
                  </div>
                ))}
              </section>
              <section className="card p-3" aria-label="Codes">
                <h2 className="text-14">Most frequent codes</h2>
                <p className="text-12 text-quiet">
                  {page.code_count} occur. Recency, visits, spend in this order.
                </p>
                <table className="mt-1 w-full text-12">
                  <tbody>
                    {page.codes.map((row) => (
                      <tr key={row.code} className="border-t border-line">
                        <td className="font-semibold">{row.code}</td>
                        <td className="text-right">{count(row.customers)}</td>
                        <td className="text-right text-quiet">
                          {percent(row.customers, page.scored)}
                        </td>
                        <td className="text-right">{cash(row.money)}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </section>
              <Totals totals={page.totals} />
            </div>
          </div>
        </Stale>
      )}
    </div>
  );
}

/** The values a band spans; one value is said once. */
function span(
  row: { low: number | null; high: number | null },
  unit: string,
  currency: string,
): string {
  if (row.low === null) return "empty";
  const low = inUnit(row.low, unit, currency);
  return row.low === row.high ? low : `${low} to ${inUnit(row.high, unit, currency)}`;
}

function Totals({ totals }: { totals: { total: number; customers: number; money: number }[] }) {
  const { study } = useStudy();
  const most = Math.max(1, ...totals.map((row) => row.customers));
  return (
    <section className="card p-3" aria-label="Totals">
      <h2 className="text-14">Total of the three bands</h2>
      <svg
        width={254}
        height={92}
        role="img"
        aria-label={totals
          .map((row) => `total ${row.total}: ${row.customers} customers`)
          .join(", ")}
      >
        {totals.map((row, place) => {
          const x = place * (254 / totals.length);
          const tall = (row.customers / most) * 70;
          return (
            <g key={row.total}>
              <title>{`Total ${row.total}: ${count(row.customers)} customers, ${money(row.money, study.scale, study.currency)}`}</title>
              <rect
                x={x + 1}
                y={74 - tall}
                width={254 / totals.length - 2}
                height={tall}
                fill="var(--color-everyone)"
              />
              <text
                x={x + 127 / totals.length}
                y={88}
                fontSize={11}
                textAnchor="middle"
                style={{ fill: "var(--color-quiet)" }}
              >
                {row.total}
              </text>
            </g>
          );
        })}
      </svg>
    </section>
  );
}
