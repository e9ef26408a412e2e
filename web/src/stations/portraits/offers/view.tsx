import { FromTheLedger } from "@/stations/portraits/from-the-ledger";
import { AgainstChoice } from "@/stations/portraits/compared";
import { NextMailing } from "@/stations/portraits/offers/next-mailing";
import { Preferred } from "@/stations/portraits/offers/preferred";
import { OffersTable } from "@/stations/portraits/offers/table";
import { SHADES, useOffers, useOffersAddress } from "@/stations/portraits/offers/use-offers";
import { Stale } from "@/study/status-banner";
import { Choice } from "@/ui/choice";
import { Failed, Waiting } from "@/ui/status";

/** What is compared, and how cells are shaded. */
export function OffersChoices() {
  const { shade, put } = useOffersAddress();
  return (
    <div className="flex flex-wrap items-center gap-2 text-12 text-quiet">
      <AgainstChoice />
      shade
      <Choice
        label="How cells are shaded"
        choices={SHADES}
        value={shade}
        onChoose={(next) => void put({ shade: next === "within" ? null : next })}
      />
    </div>
  );
}

/** Offers: take-up by segment, what the preferred share, the next mailing. */
export function OffersView() {
  const offers = useOffers();
  if (offers.isPending) return <Waiting />;
  if (offers.isError) return <Failed words={offers.error.message} />;
  const page = offers.data;
  if (page.offers.length === 0)
    return (
      <FromTheLedger title="No offers yet">
        Bring in who received which offer and who took it, a line each; a second file can say what
        each offer was. Here stands then which segment takes what, and what the next mailing can
        expect.
      </FromTheLedger>
    );
  return (
    <Stale status={page.status}>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(220px,270px)] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
        <OffersTable page={page} />
        <Preferred page={page} />
      </div>
      <NextMailing page={page} />
    </Stale>
  );
}
