import { useState } from "react";

import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { PickList } from "@/charts/picture";
import { SEGMENT } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { Choices } from "@/stations/portraits/threads/choices";
import { ColumnHead } from "@/stations/portraits/threads/column-head";
import { depths } from "@/stations/portraits/threads/cells";
import { gridOf } from "@/stations/portraits/threads/grid";
import { CategoryLines, NumericLine } from "@/stations/portraits/threads/lines";
import type { Look } from "@/stations/portraits/threads/lines";
import { PickRows } from "@/stations/portraits/threads/pick-rows";
import { ordered, shownOf } from "@/stations/portraits/threads/rows";
import { IN_PLACE } from "@/study/address";
import { useThreadsAddress } from "@/stations/portraits/threads/use-threads";
import { TakeAway } from "@/study/take-away";
import { useMoney, useStudy } from "@/study/context";
import { Column, Table } from "@/ui/table";
import { useWidth } from "@/ui/use-width";
import { unit } from "@/study/unit";

type Page = Schemas["PortraitsPage"];

const NAME = 158;
const LEAST_THREAD = 190;

/** Threads beside the table: name, thread, everyone, then a column per segment, or the lens. */
export function ThreadsTable(props: {
  page: Page;
  chosen: number;
  onChoose: (segment: number) => void;
  onRename?: ((segment: number, name: string) => void) | undefined;
}) {
  const { page, chosen, onChoose, onRename } = props;
  const { study } = useStudy();
  const at = useThreadsAddress();
  const lens = useLens();
  const inMoney = useMoney("short");
  const [note, setNote] = useState("");
  const [thread, width] = useWidth<HTMLSpanElement>(280);
  const rows = ordered(page.numeric, page.categories, at.order);
  const picked = { pinned: at.pinned, asked: at.rows, hidden: at.hidden };
  const shown = shownOf(rows, { ...picked, all: at.all });
  const usual = at.all ? shownOf(rows, { ...picked, all: false }) : shown;
  const more = rows.length - at.hidden.length - usual.length;
  const bySegment = page.against === "segments";
  const many = page.columns.length > 8;
  const look: Look = {
    page,
    show: at.show,
    shade: at.shade,
    currency: study.currency,
    chosen: bySegment ? chosen : 0,
    width: Math.max(LEAST_THREAD, width),
    depths:
      at.shade === "none"
        ? page.columns.map(() => 0)
        : depths(shown, page.columns.length, at.shade),
    pinned: at.pinned,
    onPin: (name) => void at.put({ pinned: toggled(at.pinned, name), all: at.all || null }),
    onNote: setNote,
  };
  const toggle = (name: string) => {
    const there = shown.some((row) => row.name === name);
    const without = (names: string[]) => names.filter((each) => each !== name);
    const asked = at.rows.includes(name);
    void at.put({
      rows: there ? without(at.rows) : [...at.rows, name],
      pinned: there ? without(at.pinned) : at.pinned,
      hidden: there && !asked ? [...at.hidden, name] : without(at.hidden),
    });
  };
  const whole = { customers: page.customers, money: page.money };
  const share = (part: number, of: number) => (of > 0 ? part / of : 0);
  const widest = Math.max(
    0.01,
    ...page.columns.flatMap((each) => [
      share(each.customers, whole.customers),
      share(each.money, whole.money),
    ]),
  );
  return (
    <section className="card" aria-label="Portraits by separation">
      <div className="flex flex-wrap items-start justify-between gap-3 border-b border-line px-3 py-1.5">
        <Choices page={page} />
        <span className="flex shrink-0 gap-1.5">
          <PickRows options={page.rows} shown={shown.map((row) => row.name)} onToggle={toggle} />
          <TakeAway
            name="portraits"
            grid={() =>
              gridOf(page, shown, {
                show: at.show,
                shade: at.shade,
                currency: study.currency,
                note: noteOf(page),
                open: at.open,
              })
            }
          />
        </span>
      </div>
      <PickList label="Figures of the table" className="overflow-x-auto">
        <Table
          label="Measures by segment"
          className="w-full border-collapse"
          style={{ minWidth: NAME + LEAST_THREAD + 76 + page.columns.length * 84 }}
        >
          <thead>
            <tr className="align-bottom">
              <Column
                className="sticky left-0 z-10 bg-card px-3 py-2"
                style={{ width: NAME, minWidth: NAME }}
              >
                <span className="block text-13 font-semibold">
                  {at.order === "name" ? "By name" : "By separation"}
                </span>
                <span className="text-11 text-quiet">
                  η²{at.by === "ranks" && " of ranks"}, V² for categories
                </span>
              </Column>
              <Column className="px-2 py-2" style={{ width: "45%", minWidth: LEAST_THREAD + 16 }}>
                <span className="block text-13 font-semibold">On its own scale</span>
                <span className="text-11 text-quiet">
                  mark: a group&rsquo;s {at.show === "median" ? "median" : "mean"}; thick:
                  everyone&rsquo;s middle half
                </span>
                <span ref={thread} className="block" />
              </Column>
              <Column figures className="px-2 py-2 align-bottom">
                <span className="block text-13 font-semibold">Everyone</span>
                <span className="block text-11 whitespace-nowrap text-quiet">
                  {count(page.customers)}
                </span>
                <span className="block text-11 whitespace-nowrap text-quiet">
                  {page.money !== 0 && inMoney(page.money)}
                </span>
              </Column>
              {page.pair.length === 2 && <PairHead page={page} />}
              {page.columns.map((head) => (
                <ColumnHead
                  key={head.number}
                  head={head}
                  whole={whole}
                  widest={widest}
                  chosen={bySegment && head.number === chosen}
                  many={many}
                  onChoose={onChoose}
                  onRename={onRename}
                />
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((row) =>
              row.kind === "numeric" ? (
                <NumericLine key={row.name} row={row} look={look} />
              ) : (
                <CategoryLines
                  key={row.name}
                  row={row}
                  look={look}
                  open={at.open.includes(row.name)}
                  onOpen={() => void at.put({ open: toggled(at.open, row.name) }, IN_PLACE)}
                />
              ),
            )}
          </tbody>
        </Table>
      </PickList>
      <footer className="flex min-h-[52px] items-start gap-4 border-t border-line px-3 py-2 text-11 text-quiet">
        <p aria-live="off" className="flex-1">
          {note || legend(look)}
        </p>
        {(more > 0 || at.all) && (
          <button
            type="button"
            className="shrink-0 underline hover:text-ink"
            onClick={() => void at.put({ all: at.all ? null : true })}
          >
            {at.all ? "only the telling rows" : `and ${more} more rows`}
          </button>
        )}
      </footer>
      <Outside page={page} onPick={(value, more) => lens.pick(SEGMENT, { value }, more)} />
    </section>
  );
}

function toggled(names: string[], name: string): string[] {
  return names.includes(name) ? names.filter((each) => each !== name) : [...names, name];
}

function PairHead({ page }: { page: Page }) {
  const [one, other] = page.pair.map((number) =>
    page.columns.find((column) => column.number === number),
  );
  return (
    <Column figures className="min-w-[104px] px-2 py-2 align-bottom">
      <span className="block text-13 leading-[15px] font-semibold">
        {one?.name} less {other?.mark === null ? other.name.toLowerCase() : other?.name}
      </span>
      <span className="block text-11 text-quiet">95% interval, d</span>
    </Column>
  );
}

function legend(look: Look) {
  const deepest = Math.max(...look.depths, 0);
  return (
    <>
      {look.shade !== "none" && (
        <>
          Shade: <Box colour="var(--color-below)" /> ▾ below everyone,{" "}
          <Box colour="var(--color-above)" /> ▴ above
          {look.shade === "across"
            ? `, deepest at ${deepest.toFixed(1)} standard deviations`
            : ", deepest at what stands off most in its column"}
          .{" "}
        </>
      )}
      “Beside”: it did not shape the groups. A category&rsquo;s mark stands at its telling
      value&rsquo;s share against everyone&rsquo;s (line: the same share, end: 4 times).
    </>
  );
}

function Box({ colour }: { colour: string }) {
  return (
    <span
      className="inline-block h-2.5 w-4 align-middle opacity-35"
      style={{ background: colour }}
    />
  );
}

const OUTSIDE = [
  ["left", "left", "bought before, and not in this window"],
  ["not yet", "did not buy yet", "known at this date, with no purchase before it"],
  ["unplaced", "cannot be placed", "a value that shaped the groups is not known"],
] as const;

/** Who is in no segment, and why. */
function Outside({ page, onPick }: { page: Page; onPick: (state: string, more: boolean) => void }) {
  const there = OUTSIDE.filter(([state]) => (page.outside[state] ?? 0) > 0);
  if (there.length === 0) return null;
  return (
    <p className="border-t border-line px-3 py-1.5 text-12 text-quiet">
      In no segment:{" "}
      {there.map(([state, words, why], place) => (
        <span key={state}>
          {place > 0 && ", "}
          <button
            type="button"
            className="underline hover:text-ink"
            onClick={(event) => onPick(state, event.shiftKey)}
          >
            {count(page.outside[state] ?? 0)} {words}
          </button>{" "}
          ({why})
        </span>
      ))}
      .
    </p>
  );
}

/** What a reader of the table elsewhere has to know. */
function noteOf(page: Page): string {
  const stale = page.status.state === "out of date" ? ` Out of date: ${page.status.words}` : "";
  return `${count(page.customers)} ${unit.many}.${stale}`;
}
