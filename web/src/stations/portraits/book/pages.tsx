import { SEGMENT, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { SegmentMark } from "@/marks/segment-mark";
import { BookPart } from "@/stations/portraits/book/part";
import type { Page } from "@/stations/portraits/book/use-book";
import { Column, RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

type Segment = Page["segments"][number];
type Thread = Segment["threads"][number];

const PAPER = "card mx-auto w-full max-w-[720px] scroll-mt-2 px-10 py-8 narrow:px-4 narrow:py-5";

/** The cover: what the book is about, all segments at a glance, how they were found. */
export function Cover({ page }: { page: Page }) {
  const [intro, ...others] = page.cover;
  return (
    <article id="book-cover" className={PAPER} aria-label="Cover">
      <h2 className="text-26 leading-tight">{page.title}</h2>
      <p className="mb-3 text-12 text-quiet">{page.subtitle}</p>
      {intro && <BookPart page={page} part={intro} lead />}
      <h3 className="mt-3 text-13">At a glance</h3>
      <Glance page={page} />
      {others.map((part) => (
        <BookPart key={part.key} page={page} part={part} />
      ))}
    </article>
  );
}

function Glance({ page }: { page: Page }) {
  const lens = useLens();
  const heads = ["customers", "of all", "of the spend", ...page.columns];
  return (
    <div className="overflow-x-auto">
      <Table label="All segments at a glance" className="mt-1 w-full border-collapse">
        <thead>
          <tr className="align-bottom text-quiet">
            <Column className="py-1 pr-2">segment</Column>
            {heads.map((head, n) => (
              <Column key={head} figures className="py-1 pl-3">
                {n < 3 ? head : head.toLowerCase()}
              </Column>
            ))}
          </tr>
        </thead>
        <tbody>
          {page.glance.map((row) => (
            <tr key={row.number} className="border-t border-line">
              <RowHead className="py-1 pr-2">
                <button
                  type="button"
                  className="flex min-h-[24px] items-center gap-1.5 text-left hover:underline"
                  onClick={() => lens.set([valueClause(SEGMENT, String(row.number))])}
                >
                  <SegmentMark mark={row.mark} size={15} /> {row.name}
                </button>
              </RowHead>
              {[row.customers, row.share, row.money, ...row.figures].map((cell, n) => (
                <td key={n} className="py-1 pl-3 text-right whitespace-nowrap">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </div>
  );
}

/** A segment's page. */
export function SegmentPage({ page, segment }: { page: Page; segment: Segment }) {
  const lens = useLens();
  const lead = segment.parts.find((part) => part.key.endsWith(".lead"));
  const others = segment.parts.filter((part) => part !== lead);
  return (
    <article id={`book-${segment.number}`} className={PAPER} aria-label={segment.name}>
      <header className="mb-3 flex items-center gap-3">
        <SegmentMark mark={segment.mark} size={40} />
        <span className="min-w-0 flex-1">
          <h2 className="text-26 leading-tight">{segment.name}</h2>
          <span className="text-12 text-quiet">{page.title}</span>
        </span>
        <button
          type="button"
          className="text-right hover:underline"
          title={`Take these ${unit.many} as the lens`}
          onClick={() => lens.set([valueClause(SEGMENT, String(segment.number))])}
        >
          <span className="block text-20 font-semibold">{segment.size}</span>
          <span className="text-12 text-quiet">{segment.part}</span>
        </button>
      </header>
      {lead && <BookPart page={page} part={lead} lead />}
      {segment.threads.length > 0 && <Threads threads={segment.threads} />}
      <div className="grid grid-cols-[repeat(auto-fit,minmax(min(270px,100%),1fr))] gap-x-8">
        {others.map((part) => (
          <BookPart key={part.key} page={page} part={part} />
        ))}
      </div>
    </article>
  );
}

function Threads({ threads }: { threads: Thread[] }) {
  return (
    <>
      <h3 className="mt-3 text-13">What sets them apart</h3>
      <Table label="What sets them apart" className="w-full border-collapse">
        <thead>
          <tr className="text-11 text-quiet">
            <Column className="w-[150px]">
              <span className="sr-only">measure</span>
            </Column>
            <Column>
              <span className="sr-only">thread</span>
            </Column>
            <Column figures>they</Column>
            <Column figures className="pl-3">
              everyone else
            </Column>
          </tr>
        </thead>
        <tbody>
          {threads.map((thread) => (
            <tr key={thread.label}>
              <RowHead className="pr-2">{thread.label}</RowHead>
              <td>
                <img
                  alt={`${thread.label}: they ${thread.value}, everyone else ${thread.rest}`}
                  src={`data:image/svg+xml,${encodeURIComponent(thread.svg)}`}
                />
              </td>
              <td className="text-right font-semibold whitespace-nowrap">{thread.value}</td>
              <td className="pl-3 text-right whitespace-nowrap text-quiet">{thread.rest}</td>
            </tr>
          ))}
        </tbody>
      </Table>
    </>
  );
}
