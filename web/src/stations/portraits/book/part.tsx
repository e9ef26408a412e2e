import { Popover } from "radix-ui";
import { useState } from "react";

import { Editor } from "@/stations/portraits/book/editor";
import { useChange } from "@/stations/portraits/book/use-book";
import type { Page, Part, Sentence } from "@/stations/portraits/book/use-book";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";

interface Props {
  page: Page;
  part: Part;
  /** A lead stands without its heading, in larger letters. */
  lead?: boolean;
}

/** A part of a page: read, and changed where it stands. */
export function BookPart({ page, part, lead = false }: Props) {
  const { canChange } = useStudy();
  const [editing, setEditing] = useState(false);
  const change = useChange();
  const editable = canChange && page.written !== null;
  const put = (body: Parameters<typeof change.mutate>[0]["change"]) =>
    change.mutate({ page, change: { part: part.key, ...body } });
  if (!editable && part.sentences.length === 0) return null;
  return (
    <div role="group" aria-label={part.title} className="group">
      <h3
        className={`flex items-baseline justify-between text-13 ${lead ? "h-0 overflow-visible" : "mt-3"}`}
      >
        <span className={lead ? "sr-only" : ""}>{part.title}</span>
        {editable && !editing && (
          <button
            type="button"
            aria-label={`Change: ${part.title}`}
            className="rounded px-1.5 py-0.5 text-11 font-normal text-quiet opacity-0 group-hover:opacity-100 hover:text-ink focus-visible:opacity-100"
            onClick={() => setEditing(true)}
          >
            change
          </button>
        )}
      </h3>
      {editing ? (
        <Editor
          part={part}
          onDone={(text) => {
            setEditing(false);
            if (text !== null) put({ text });
          }}
          onAnew={() => {
            setEditing(false);
            put({ anew: true });
          }}
        />
      ) : (
        <p
          className={`whitespace-pre-wrap ${lead ? "text-16 leading-[25px]" : "text-13 leading-[19px]"} ${editable ? "cursor-text" : ""}`}
          onDoubleClick={() => editable && setEditing(true)}
        >
          {part.sentences.length === 0 && (
            <span className="text-quiet italic">Nothing is written here yet.</span>
          )}
          {part.sentences.map((sentence, n) => (
            <span key={n}>
              {n > 0 && " "}
              {sentence.changed ? (
                <Changed
                  sentence={sentence}
                  onSettle={editable ? (settle) => put({ settle, sentence: n }) : undefined}
                />
              ) : (
                <Runs sentence={sentence} />
              )}
            </span>
          ))}
        </p>
      )}
    </div>
  );
}

function Runs({ sentence }: { sentence: Sentence }) {
  return sentence.runs.map((run, n) =>
    run.key ? (
      <b
        key={n}
        className={run.now === null ? "font-semibold" : "font-normal"}
        title={run.now === null ? run.about : `${run.about}; now ${run.now}, kept as written`}
      >
        {run.text}
      </b>
    ) : (
      <span key={n}>{run.text}</span>
    ),
  );
}

/** A sentence that speaks of a figure which changed since: taken as it is now, or kept. */
function Changed(props: {
  sentence: Sentence;
  onSettle: ((how: "take" | "keep") => void) | undefined;
}) {
  const { sentence, onSettle } = props;
  const moved = sentence.runs.filter((run) => run.now !== null);
  return (
    <Popover.Root>
      {/* A sentence flows on over lines, which a button of the browser's own does not. */}
      <Popover.Trigger asChild>
        <span
          role="button"
          tabIndex={0}
          className="cursor-pointer rounded-sm bg-noted box-decoration-clone hover:brightness-95"
          onKeyDown={(event) => {
            if (event.key !== "Enter" && event.key !== " ") return;
            event.preventDefault();
            event.currentTarget.click();
          }}
        >
          <Runs sentence={sentence} />
        </span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Changed since it was written"
          align="start"
          sideOffset={6}
          className="card z-40 w-[340px] max-w-[94vw] p-3 text-12 shadow-lg"
        >
          <p className="text-13 font-semibold">Changed since it was written</p>
          <ul className="mt-1">
            {moved.map((run) => (
              <li key={run.key} className="border-t border-line py-1 first:border-0">
                <span className="text-quiet">{run.about}</span>
                <br />
                {run.text} then, <b className="font-semibold">{run.now}</b> now
              </li>
            ))}
          </ul>
          {onSettle && (
            <div className="mt-2 flex gap-1.5">
              <Popover.Close asChild>
                <Button className="px-2.5 py-1 text-12" onClick={() => onSettle("take")}>
                  Take the new figures
                </Button>
              </Popover.Close>
              <Popover.Close asChild>
                <Button kind="quiet" className="px-2 py-1 text-12" onClick={() => onSettle("keep")}>
                  Keep as written
                </Button>
              </Popover.Close>
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
