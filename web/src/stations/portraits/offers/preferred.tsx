import { ColumnMark } from "@/marks/column-mark";
import type { Page } from "@/stations/portraits/offers/use-offers";
import { percent } from "@/stations/portraits/threads/cells";

/** What the offers share that each column takes most, where chance does not make it. */
export function Preferred({ page }: { page: Page }) {
  const label = (name: string) =>
    page.attributes.find((attribute) => attribute.name === name)?.label ?? name;
  return (
    <section className="card p-3" aria-label="What the preferred share">
      <h2 className="text-14">What the preferred share</h2>
      <ul>
        {page.preferred.map(({ number, pattern, highest }) => {
          const head = page.columns.find((column) => column.number === number);
          return (
            <li key={number} className="border-t border-line py-2 first:border-t-0">
              <h3 className="flex items-center gap-1.5 text-13 font-semibold">
                {head && <ColumnMark head={head} size={14} />} {head?.name}
              </h3>
              {pattern ? (
                <>
                  <p>
                    {label(pattern.attribute)} <b className="font-semibold">{pattern.value}</b>:{" "}
                    {percent(pattern.with_it)} take these, {percent(pattern.without)} the others.
                  </p>
                  <p className="text-11 text-quiet">
                    {pattern.offers} offers of {pattern.of}, p {pattern.p.toFixed(3)} after{" "}
                    {page.tried} looks
                  </p>
                </>
              ) : (
                <>
                  <p>No clear pattern.</p>
                  <p className="text-11 text-quiet">
                    {highest !== null && `Highest take-up ${percent(highest)}; `}
                    {page.offers.length} offers, {page.tried} looks
                  </p>
                </>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
