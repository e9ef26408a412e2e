import { parseAsInteger } from "nuqs";
import { Link } from "react-router";

import { count, day } from "@/charts/format";
import { SpreadChoices, SpreadView } from "@/stations/portraits/spread/spread";
import { SegmentCards } from "@/stations/portraits/threads/cards";
import { ThreadsTable } from "@/stations/portraits/threads/table";
import { usePortraits } from "@/stations/portraits/threads/use-threads";
import { AgainstChoices, AgainstView } from "@/stations/portraits/against/view";
import { BookChoices, BookView, WriteTheBook } from "@/stations/portraits/book/view";
import { OffersChoices, OffersView } from "@/stations/portraits/offers/view";
import { PlacesChoices, PlacesView } from "@/stations/portraits/places/view";
import { RuleChoices, Rules } from "@/stations/portraits/rules/rules";
import { useSegmentChange } from "@/stations/portraits/use-segment-change";
import { useStudy } from "@/study/context";
import { IN_PLACE, useAddress, useElsewhere, word } from "@/study/address";
import { Stale, StatusBanner } from "@/study/status-banner";
import { chosen as viewOf } from "@/ui/chosen";
import { PageHeader } from "@/ui/page-header";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Views } from "@/ui/views";
import { unit } from "@/study/unit";

const VIEWS = [
  ["threads", "Threads"],
  ["spread", "Spread"],
  ["rules", "Rules"],
  ["against", "Against"],
  ["places", "Places"],
  ["offers", "Offers"],
  ["book", "Book"],
] as const;
const LOOKED_AT = { look: word, segment: parseAsInteger.withDefault(1) };

/** Portraits: rings on threads beside the table, names, who is typical; rules that retell it. */
export function Portraits() {
  const { window, canChange } = useStudy();
  const search = useElsewhere();
  const [at, put] = useAddress(LOOKED_AT);
  const chosen = at.segment;
  const setChosen = (segment: number) => void put({ segment }, IN_PLACE);
  const look = viewOf(VIEWS, at.look);
  const portraits = usePortraits();
  const change = useSegmentChange();
  if (portraits.isPending) return <Waiting />;
  if (portraits.isError) return <Failed words={portraits.error.message} />;
  const page = portraits.data;
  const { adopted } = page;
  const segment = page.segments.find((row) => row.number === chosen) ?? page.segments[0];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <PageHeader
        title="Portraits"
        words={
          window && page.segments.length
            ? `${page.segments.length} groups of ${count(page.customers)} ${unit.many}, up to and including ${day(window.to)}.`
            : "What sets each segment apart, and a name for it."
        }
      >
        {segment && (
          <WriteTheBook
            revision={page.book}
            {...(look !== "book" && { onOpen: () => void put({ look: "book" }) })}
          />
        )}
      </PageHeader>
      {page.status.state === "empty" && (
        <Empty
          title="Portraits show adopted groups"
          action={
            <Link
              className="text-copper underline"
              to={{ pathname: "../groups", search }}
              relative="path"
            >
              Go to Groups
            </Link>
          }
        >
          Here every measure will be a thread with each segment&rsquo;s mark strung at its value,
          and names will be proposed from what sets a segment apart.
        </Empty>
      )}
      <StatusBanner status={page.status} />
      {adopted && (adopted.since || !page.at_home) && page.segments.length > 0 && (
        <p className="card px-3 py-2 text-12">
          {!page.at_home &&
            `These groups were adopted on the window to ${day(adopted.home_to)}; here the same ${unit.many} are placed by them, without refitting. `}
          {adopted.since && `Decided on an earlier ledger: ${adopted.since}.`}
        </p>
      )}
      {segment && (
        <div className="flex min-h-9 items-center justify-between gap-3">
          <Views
            views={VIEWS}
            view={look}
            onView={(next) => void put({ look: next === "threads" ? null : next })}
          />
          {look === "spread" && <SpreadChoices />}
          {look === "rules" && <RuleChoices />}
          {look === "against" && <AgainstChoices />}
          {look === "places" && <PlacesChoices />}
          {look === "offers" && <OffersChoices />}
          {look === "book" && <BookChoices />}
        </div>
      )}
      {segment && look === "spread" && <SpreadView />}
      {segment && look === "rules" && <Rules />}
      {segment && look === "against" && <AgainstView />}
      {segment && look === "places" && <PlacesView />}
      {segment && look === "offers" && <OffersView />}
      {segment && look === "book" && <BookView />}
      {segment && look === "threads" && (
        <Stale status={page.status}>
          <ThreadsTable
            page={page}
            chosen={segment.number}
            onChoose={setChosen}
            onRename={
              canChange
                ? (number, name) => {
                    const one = page.segments.find((row) => row.number === number);
                    if (one) change.mutate({ segment: one, body: { name } });
                  }
                : undefined
            }
          />
          <SegmentCards
            page={page}
            segment={segment}
            onChange={(body) => change.mutateAsync({ segment, body })}
          />
        </Stale>
      )}
    </div>
  );
}
