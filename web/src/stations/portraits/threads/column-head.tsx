import { useState } from "react";

import { count, percent } from "@/charts/format";
import { SEGMENT, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { ColumnMark, columnHue } from "@/marks/column-mark";
import { markWords } from "@/marks/segment-mark";
import type { Head } from "@/stations/portraits/threads/rows";
import { useMoney } from "@/study/context";
import { Input } from "@/ui/input";
import { Column } from "@/ui/table";

interface Props {
  head: Head;
  /** Customers and money of everyone compared. */
  whole: { customers: number; money: number };
  /** The widest bar of all columns, as a share of the whole. */
  widest: number;
  chosen: boolean;
  /** Many columns: the short name. */
  many: boolean;
  onChoose: (number: number) => void;
  /** Give the segment another name; left out where that is not allowed. */
  onRename?: ((number: number, name: string) => void) | undefined;
}

/**
 * A column's mark, name, and its shares of customers and money. Shift narrows the lens to it; a
 * double click or F2 renames it in its place.
 */
export function ColumnHead(props: Props) {
  const { head, whole, widest, chosen, many, onChoose, onRename } = props;
  const [naming, setNaming] = useState(false);
  const lens = useLens();
  const inMoney = useMoney("short");
  const pick = { value: String(head.number) };
  const bySegment = head.mark !== null;
  const clause = valueClause(SEGMENT, pick.value);
  const bars = [
    { part: head.customers, of: whole.customers, words: count(head.customers) },
    { part: head.money, of: whole.money, words: inMoney(head.money) },
  ];
  const name = many && bySegment ? head.short : head.name;
  return (
    <Column
      className={`min-w-[84px] px-1.5 py-2 align-bottom ${chosen ? "border-x-2 border-t-2 border-ink" : ""}`}
    >
      {naming ? (
        <NewName
          name={head.name}
          onDone={(name) => {
            setNaming(false);
            if (name && name !== head.name) onRename?.(head.number, name);
          }}
        />
      ) : bySegment ? (
        <button
          type="button"
          className="block w-full text-left"
          aria-pressed={chosen}
          title={`${head.name}, ${markWords(head.mark ?? 0)}. Shift-click adds it to the lens${onRename ? ", F2 or a double click renames" : ""}.`}
          onDoubleClick={() => onRename && setNaming(true)}
          onKeyDown={(event) => {
            if (event.key !== "F2" || !onRename) return;
            event.preventDefault();
            setNaming(true);
          }}
          onClick={(event) =>
            event.shiftKey ? lens.pick(SEGMENT, pick, true) : onChoose(head.number)
          }
          onPointerEnter={() => lens.preview(clause)}
          onPointerLeave={() => lens.preview(null)}
        >
          <ColumnMark head={head} />
          <Name words={name} />
        </button>
      ) : (
        <span className="block">
          <ColumnMark head={head} />
          <Name words={name} />
        </span>
      )}
      {bars.map(({ part, of, words }, place) => (
        <span
          key={place}
          title={`${words}, ${percent(part, of)} of everyone`}
          className="mt-0.5 grid grid-cols-[1fr_28px] items-center gap-1 text-11"
        >
          <span className="block h-[6px] max-w-[120px] bg-line">
            <span
              className="block h-full"
              style={{
                width: `${of > 0 ? Math.max(0, (100 * part) / of / widest) : 0}%`,
                background: columnHue(head),
              }}
            />
          </span>
          <span className="text-right">{percent(part, of, 0)}</span>
        </span>
      ))}
    </Column>
  );
}

/** The name being typed; Enter keeps it, Escape leaves it. */
function NewName({ name, onDone }: { name: string; onDone: (name: string) => void }) {
  const [typed, setTyped] = useState(name);
  return (
    <Input
      autoFocus
      aria-label={`New name of ${name}`}
      value={typed}
      maxLength={40}
      className="w-full text-12"
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => onDone(typed.trim())}
      onKeyDown={(event) => {
        if (event.key === "Enter") onDone(typed.trim());
        if (event.key === "Escape") onDone("");
      }}
    />
  );
}

function Name({ words }: { words: string }) {
  return <span className="mt-0.5 line-clamp-2 block leading-[15px] font-semibold">{words}</span>;
}
