import { count, within } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickList } from "@/charts/picture";
import { SEGMENT, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { ColumnMark } from "@/marks/column-mark";
import { gridOf, ordered, strengthOf } from "@/stations/portraits/offers/figures";
import { useOffersAddress } from "@/stations/portraits/offers/use-offers";
import type { Offer, Page } from "@/stations/portraits/offers/use-offers";
import { percent } from "@/stations/portraits/threads/cells";
import { TakeAway } from "@/study/take-away";
import { Column, RowHead, SortColumn, Table } from "@/ui/table";

/** Offers by column: what each is, who received it, and the share that took it. */
export function OffersTable({ page }: { page: Page }) {
  const { shade, order, put } = useOffersAddress();
  const offers = ordered(page.offers, order);
  const few = page.offers.some((offer) => offer.few.some(Boolean));
  const unknown = page.offers.some((offer) => !offer.base_known);
  const circular = page.offers.some((offer) => offer.circular);
  return (
    <section className="card min-w-0" aria-label="Offers by segment">
      <div className="flex justify-end px-3 pt-2">
        <TakeAway name="offers" grid={() => gridOf(page, offers, shade)} />
      </div>
      <PickList label="Take-up by offer" className="max-h-[440px] overflow-auto">
        <Table label="Take-up by offer" className="w-full border-collapse">
          <thead className="sticky top-0 z-10 bg-card">
            <tr className="align-bottom">
              <Column className="px-3 py-1 text-quiet">offer</Column>
              {page.attributes.map((attribute) => (
                <Column key={attribute.name} className="px-2 py-1 text-quiet">
                  {within(attribute.label)}
                </Column>
              ))}
              <Column figures className="px-2 py-1 text-quiet">
                received
              </Column>
              {page.columns.map((head) => (
                <SortColumn
                  key={head.number}
                  figures
                  className="px-2 py-1"
                  sorted={order === head.number ? "down" : null}
                  says={`Order by ${head.name}`}
                  hint={head.name}
                  onSort={() =>
                    void put({ order: order === head.number ? null : String(head.number) })
                  }
                >
                  <span className="inline-flex align-bottom">
                    <ColumnMark head={head} size={16} />
                  </span>
                </SortColumn>
              ))}
            </tr>
          </thead>
          <tbody>
            {offers.map((offer) => (
              <tr key={offer.name} className="border-t border-line">
                <RowHead strong className="px-3 whitespace-nowrap">
                  {offer.label}
                  {offer.circular && <span className="text-quiet"> ○</span>}
                </RowHead>
                {offer.attributes.map((value, n) => (
                  <td key={n} className="px-2 whitespace-nowrap">
                    {value || <span className="text-quiet">–</span>}
                  </td>
                ))}
                <td className="px-2 text-right">
                  {count(offer.all_received)}
                  {!offer.base_known && <span className="text-quiet"> *</span>}
                </td>
                {page.columns.map((head, column) => (
                  <TakenBy
                    key={head.number}
                    offer={offer}
                    column={column}
                    name={head.name}
                    own={head.mark === null ? null : head.number}
                    strength={strengthOf(page.offers, offer, column, shade)}
                  />
                ))}
              </tr>
            ))}
          </tbody>
        </Table>
      </PickList>
      <p className="border-t border-line px-3 py-2 text-11 text-quiet">
        {few && "Grey figures rest on fewer than 30 people. "}
        {unknown && "* Who received it is not known: the share is of the whole segment. "}
        {circular && "○ It shaped the groups, so that differences prove nothing. "}
        Not an effect: who received an offer was chosen.
      </p>
    </section>
  );
}

function TakenBy(props: {
  offer: Offer;
  column: number;
  name: string;
  own: number | null;
  strength: number;
}) {
  const { offer, column, name, own, strength } = props;
  const lens = useLens();
  const share = offer.shares[column] ?? null;
  const clauses = [
    ...(own === null ? [] : [valueClause(SEGMENT, String(own))]),
    valueClause(offer.name, "yes"),
  ];
  const note =
    share === null
      ? `${offer.label}, ${name}: nobody received it`
      : `${offer.label}, ${name}: ${count(offer.took[column] ?? 0)} of ${count(offer.received[column] ?? 0)} took it, ${percent(share)} (95% interval ${percent(offer.lows[column] ?? 0)} to ${percent(offer.highs[column] ?? 1)})`;
  return (
    <td className="p-0.5">
      <span
        {...pickable({
          label: note,
          onPick: (more) => lens.take(clauses, more),
          onTry: (resting) => lens.preview(resting ? (clauses.at(-1) ?? null) : null),
        })}
        title={note}
        className={`block min-h-[24px] min-w-[44px] cursor-pointer rounded px-1.5 py-1 text-right ${offer.few[column] ? "text-quiet" : ""}`}
        style={{
          background: `color-mix(in srgb, var(--color-above) ${(100 * strength).toFixed(0)}%, transparent)`,
        }}
      >
        {share === null ? "–" : percent(share)}
      </span>
    </td>
  );
}
