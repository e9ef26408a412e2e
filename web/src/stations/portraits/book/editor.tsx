import { Popover } from "radix-ui";
import { useEffect, useRef, useState } from "react";

import { figureNode, nodesOf, textOf } from "@/stations/portraits/book/text";
import { useFigures } from "@/stations/portraits/book/use-book";
import type { Figure, Part } from "@/stations/portraits/book/use-book";
import { Button } from "@/ui/button";
import { FindList } from "@/ui/find-list";

interface Props {
  part: Part;
  /** The new text; null: it stays as it is. */
  onDone: (text: string | null) => void;
  onAnew: () => void;
}

/** A part of the book while it is changed: words are typed, figures are pieces put in whole. */
export function Editor({ part, onDone, onAnew }: Props) {
  const field = useRef<HTMLDivElement>(null);
  const place = useRef<Range | null>(null);
  useEffect(() => {
    const node = field.current;
    if (!node) return;
    node.replaceChildren(...nodesOf(part));
    node.focus();
    const end = document.createRange();
    end.selectNodeContents(node);
    end.collapse(false);
    getSelection()?.removeAllRanges();
    getSelection()?.addRange(end);
    // The text is the field's own until it is done.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const done = () => {
    const text = field.current ? textOf(field.current) : part.text;
    onDone(text === part.text ? null : text);
  };
  const remember = () => {
    const selection = getSelection();
    const range = selection?.rangeCount ? selection.getRangeAt(0) : null;
    if (range && field.current?.contains(range.startContainer)) place.current = range.cloneRange();
  };
  const insert = (figure: Figure) => {
    const node = figureNode(figure.key, figure.words, figure.about);
    const range = place.current;
    if (range) {
      range.deleteContents();
      range.insertNode(node);
      range.setStartAfter(node);
      range.collapse(true);
    } else field.current?.append(node);
    field.current?.focus();
    if (range) {
      getSelection()?.removeAllRanges();
      getSelection()?.addRange(range);
    }
  };
  return (
    <div>
      <div
        ref={field}
        role="textbox"
        aria-multiline
        aria-label={part.title}
        contentEditable
        suppressContentEditableWarning
        className="min-h-[44px] rounded-md border border-quiet bg-card px-2 py-1 whitespace-pre-wrap focus:outline-2 focus:outline-teal"
        onKeyUp={remember}
        onPointerUp={remember}
        onBlur={remember}
        onPaste={(event) => {
          event.preventDefault();
          typed(event.clipboardData.getData("text/plain"));
        }}
        onKeyDown={(event) => {
          if (event.key === "Escape") {
            event.stopPropagation();
            onDone(null);
          }
          if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
            event.preventDefault();
            done();
          }
        }}
      />
      <div className="mt-1.5 flex flex-wrap items-center gap-1 text-12">
        <Button className="px-2.5 py-1 text-12" onClick={done} title="Ctrl and Enter">
          Done
        </Button>
        <Button
          kind="quiet"
          className="px-2 py-1 text-12"
          onClick={() => onDone(null)}
          title="Escape"
        >
          Cancel
        </Button>
        <span className="flex-1" />
        <InsertFigure page={part.key.split(".")[0] ?? ""} onPick={insert} />
        <Button kind="quiet" className="px-2 py-1 text-12" onClick={onAnew}>
          Draft anew
        </Button>
      </div>
    </div>
  );
}

/** Words where the caret stands, in the place of what is marked. */
function typed(words: string) {
  const range = getSelection()?.getRangeAt(0);
  if (!range) return;
  range.deleteContents();
  range.insertNode(document.createTextNode(words));
  range.collapse(false);
}

function InsertFigure({ page, onPick }: { page: string; onPick: (figure: Figure) => void }) {
  const [open, setOpen] = useState(false);
  const figures = useFigures(page, open);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        aria-label="Put in a figure"
        className="rounded-md border border-line bg-card px-2.5 py-1 hover:border-quiet"
      >
        Figure <span aria-hidden>▾</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Figures"
          align="end"
          sideOffset={6}
          className="card z-40 w-80 p-3 shadow-lg"
          onCloseAutoFocus={(event) => event.preventDefault()}
        >
          <FindList
            label="Find a figure"
            placeholder="Measure, trait, size"
            items={figures.data?.figures ?? []}
            keyOf={(figure) => figure.key}
            wordsOf={(figure) => figure.about}
            onPick={(figure) => {
              setOpen(false);
              onPick(figure);
            }}
          >
            {(figure) => (
              <>
                <span className="min-w-0 flex-1 truncate">{figure.about}</span>
                <b className="max-w-[110px] truncate font-semibold">{figure.words}</b>
              </>
            )}
          </FindList>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
