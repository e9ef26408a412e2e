import { day } from "@/charts/format";
import { Contents } from "@/stations/portraits/book/contents";
import { Cover, SegmentPage } from "@/stations/portraits/book/pages";
import { TakeBook } from "@/stations/portraits/book/take-book";
import { useBook, useChange, useWrite } from "@/stations/portraits/book/use-book";
import type { Page } from "@/stations/portraits/book/use-book";
import { useStudy } from "@/study/context";
import { Stale } from "@/study/status-banner";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";

/** The station's main action: write the book; once it is written, it is opened (`revision`: 0
 * while there is none; no `onOpen`: it is open). */
export function WriteTheBook({ revision, onOpen }: { revision: number; onOpen?: () => void }) {
  const { canChange } = useStudy();
  const write = useWrite();
  if (revision > 0 || !canChange)
    return onOpen ? (
      <Button kind="main" onClick={onOpen}>
        {revision > 0 ? "Open the book" : "Read the draft"}
      </Button>
    ) : null;
  return (
    <Button
      kind="main"
      disabled={write.isPending}
      onClick={() => {
        write.mutate(revision);
        onOpen?.();
      }}
    >
      Write the book
    </Button>
  );
}

/** The book at the head of its own view: taken away once it is written. */
export function BookChoices() {
  return <TakeBook />;
}

/** Book: cover and a page a segment, in sentences whose figures are live. */
export function BookView() {
  const book = useBook();
  if (book.isPending) return <Waiting />;
  if (book.isError) return <Failed words={book.error.message} />;
  const page = book.data;
  return (
    <Stale status={page.status}>
      <div className="grid grid-cols-[224px_minmax(0,1fr)] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
        <Contents page={page} />
        <div className="grid gap-3">
          <State page={page} />
          <Cover page={page} />
          {page.segments.map((segment) => (
            <SegmentPage key={segment.number} page={page} segment={segment} />
          ))}
        </div>
      </div>
    </Stale>
  );
}

/** Whether the book is a draft, when it was written, what changed since. */
function State({ page }: { page: Page }) {
  const { canChange } = useStudy();
  const change = useChange();
  const write = useWrite();
  const { written, changed } = page;
  if (!written)
    return (
      <p className="mx-auto w-full max-w-[720px] text-12 text-quiet">
        A draft from the figures of this window. Once the book is written, its sentences are yours
        to change, and those whose figures change later are marked.
      </p>
    );
  const settle = (how: "take" | "keep") => change.mutate({ page, change: { settle: how } });
  return (
    <div className="mx-auto flex w-full max-w-[720px] flex-wrap items-center gap-x-3 gap-y-1 text-12 text-quiet">
      <span>
        Written {day(written.at.slice(0, 10))}
        {written.person && ` by ${written.person}`}
        {written.same_window ? "." : `, from the window to ${day(written.to)}.`}{" "}
        {changed > 0 && (
          <b className="font-semibold text-ink">
            {changed} {changed === 1 ? "sentence speaks" : "sentences speak"} of figures that have
            changed since.
          </b>
        )}
      </span>
      <span className="flex-1" />
      {canChange && changed > 0 && (
        <>
          <Button className="px-2.5 py-1 text-12" onClick={() => settle("take")}>
            Take all new figures
          </Button>
          <Button kind="quiet" className="px-2 py-1 text-12" onClick={() => settle("keep")}>
            Keep all as written
          </Button>
        </>
      )}
      {canChange && (
        <Button
          kind="quiet"
          className="px-2 py-1 text-12"
          onClick={() => write.mutate(page.revision)}
        >
          Draft it all anew
        </Button>
      )}
    </div>
  );
}
