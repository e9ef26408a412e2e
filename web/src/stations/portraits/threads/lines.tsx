import { useStudy } from "@/study/context";
import { ValueWords } from "@/study/value-words";
import { Fragment, useState } from "react";

import type { Schemas } from "@/api/client";
import { count, fixed, unitWords } from "@/charts/format";
import type { Clause } from "@/lens/clauses";
import { valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { customersOf } from "@/stations/portraits/compared";
import { Cell, Unit } from "@/stations/portraits/threads/cell";
import {
  apartWords,
  categoryCell,
  inItsUnit,
  levelCell,
  levelNote,
  numberCell,
  numberNote,
  percent,
  wordsOf,
} from "@/stations/portraits/threads/cells";
import type { Shade, Told, Value } from "@/stations/portraits/threads/cells";
import { deviation, levelDeviation, levelsOf } from "@/stations/portraits/threads/rows";
import type { Category, Numeric } from "@/stations/portraits/threads/rows";
import { Thread } from "@/stations/portraits/threads/thread";

/** How every line is looked at. */
export interface Look {
  page: Schemas["PortraitsPage"];
  show: Value;
  shade: Shade;
  currency: string;
  chosen: number;
  width: number;
  depths: number[];
  pinned: string[];
  onPin: (name: string) => void;
  onNote: (note: string) => void;
}

const SAYS_MISSING = "missing";
/** So many values of a category stand there before anybody asks for more. */
const FEW = 12;

const separationWords = (told: number | null, p: number | null) => {
  const sure = p === null ? "" : p < 0.001 ? ", p < 0.001" : `, p ${fixed(p, 3)}`;
  return `${told === null ? "–" : told.toFixed(2)}${sure}`;
};

/** A number: its thread, everyone, and a cell a column. */
export function NumericLine({ row, look }: { row: Numeric; look: Look }) {
  const { page, show, currency } = look;
  const places = show === "median" ? row.median_places : row.places;
  const told = page.columns.map((_, n) => numberCell(row, n, show, currency));
  const end = (value: number, more = "") => `${inItsUnit(value, row.unit, currency).words}${more}`;
  return (
    <tr className="group border-t border-line">
      <td className="sticky left-0 z-10 bg-card px-3 py-1" title={row.definition}>
        <span className="flex items-start justify-between gap-1">
          <span className="font-semibold">{row.label}</span>
          <Pin name={row.name} label={row.label} look={look} />
        </span>
        <span className="block text-11 text-quiet">
          {[unitWords(row.unit, currency), separationWords(row.eta_squared, row.p)]
            .filter(Boolean)
            .join(", ")}
          {row.shaped ? "" : ", beside"}
          {row.missing > 0 && `, ${count(row.missing)} without a value`}
        </span>
      </td>
      <td className="px-2">
        <Thread
          places={places}
          heads={page.columns}
          chosen={look.chosen}
          width={look.width}
          quartiles={row.quartiles}
          ends={[end(row.low), end(row.high, row.log ? ", log" : "")]}
          label={`${row.label}: ${page.columns
            .map((head, n) => `${head.name} ${told[n] ? wordsOf(told[n]) : ""}`)
            .join(", ")}`}
        />
      </td>
      <Everyone told={numberCell(row, -1, show, currency)} />
      {page.pair.length === 2 && <Apart apart={row.apart} unit={row.unit} currency={currency} />}
      {page.columns.map((head, n) => (
        <Cell
          key={head.number}
          told={told[n] ?? inItsUnit(null, row.unit, currency)}
          deviation={row.deviations[n] ?? null}
          deepest={look.depths[n] ?? 0}
          chosen={head.number === look.chosen}
          note={numberNote(row, n, head, currency)}
          onNote={look.onNote}
          clauses={customersOf(head)}
        />
      ))}
    </tr>
  );
}

/** A category: what tells each column, and when it is open a line for every value. */
export function CategoryLines(props: {
  row: Category;
  look: Look;
  open: boolean;
  onOpen: () => void;
}) {
  const { row, look, open, onOpen } = props;
  const { page, show, currency } = look;
  const [all, setAll] = useState(false);
  const levels = levelsOf(row);
  const listed = all ? levels : levels.slice(0, FEW);
  const [first] = page.pair;
  const compared = first === undefined ? 0 : (row.telling[first - 1] ?? 0);
  return (
    <>
      <tr className="group border-t border-line">
        <td className="sticky left-0 z-10 bg-card px-3 py-0.5">
          <span className="flex items-start justify-between gap-1">
            <button
              type="button"
              aria-expanded={open}
              className="min-h-[24px] text-left font-semibold hover:underline"
              onClick={onOpen}
            >
              <span aria-hidden className="mr-1 text-11 text-quiet">
                {open ? "▾" : "▸"}
              </span>
              {row.label}{" "}
              <span className="text-11 font-normal whitespace-nowrap text-quiet">
                V² {separationWords(row.v_squared, row.p)}
              </span>
            </button>
            <Pin name={row.name} label={row.label} look={look} />
          </span>
        </td>
        <td className="px-2">
          <Thread
            low
            places={row.index.map((value) => (value === null ? null : Math.min(1, value / 400)))}
            heads={page.columns}
            chosen={look.chosen}
            width={look.width}
            line={0.25}
            label={`${row.label}: share of each column’s telling value against everyone’s`}
          />
        </td>
        <Everyone told={categoryCell(row, -1, show)} />
        {page.pair.length === 2 && (
          <Apart
            lead={row.levels[compared] ?? ""}
            apart={row.apart[compared]}
            unit={null}
            currency={currency}
          />
        )}
        {page.columns.map((head, n) => (
          <Cell
            key={head.number}
            told={categoryCell(row, n, show)}
            deviation={deviation({ kind: "category", ...row }, n)}
            deepest={look.depths[n] ?? 0}
            chosen={head.number === look.chosen}
            note={levelNote(row, n, row.telling[n] ?? 0, head)}
            onNote={look.onNote}
            clauses={[...customersOf(head), levelClause(row, row.telling[n] ?? 0)]}
          />
        ))}
      </tr>
      {open && listed.map((level) => <LevelLine key={level} row={row} level={level} look={look} />)}
      {open && <MoreLevels row={row} levels={levels} all={all} onAll={() => setAll(!all)} />}
    </>
  );
}

function levelClause(row: Category, level: number): Clause {
  return valueClause(row.name, level === 0 ? SAYS_MISSING : (row.values[level] ?? ""));
}

function LevelLine({ row, level, look }: { row: Category; level: number; look: Look }) {
  const { page, show, currency } = look;
  const lens = useLens();
  const most = Math.max(
    0.01,
    ...row.shares.flatMap((shares) => shares.map((share) => share ?? 0)),
    ...row.everyone,
  );
  const mine = levelClause(row, level);
  return (
    <tr className="border-t border-dotted border-line">
      <td className="sticky left-0 z-10 bg-card py-0.5 pr-3 pl-7">
        <button
          type="button"
          className={`min-h-[24px] text-left hover:underline ${level === 0 ? "text-quiet italic" : ""}`}
          onClick={(event) =>
            lens.pick(row.name, { value: mine.values?.[0] ?? "" }, event.shiftKey)
          }
        >
          {row.levels[level]}
        </button>
      </td>
      <td className="px-2">
        <Thread
          low
          places={row.shares.map((shares) => {
            const share = shares[level];
            return share === null || share === undefined ? null : share / most;
          })}
          heads={page.columns}
          chosen={look.chosen}
          width={look.width}
          line={(row.everyone[level] ?? 0) / most}
          label={`${row.label}, ${row.levels[level] ?? ""}: ${page.columns
            .map((head, n) => `${head.name} ${levelCell(row, n, level, show).words}`)
            .join(", ")}; end at ${percent(most)}`}
        />
      </td>
      <Everyone told={levelCell(row, -1, level, show)} />
      {page.pair.length === 2 && <Apart apart={row.apart[level]} unit={null} currency={currency} />}
      {page.columns.map((head, n) => (
        <Cell
          key={head.number}
          told={levelCell(row, n, level, show)}
          deviation={level === 0 ? 0 : levelDeviation(row, n, level)}
          deepest={look.depths[n] ?? 0}
          chosen={head.number === look.chosen}
          note={levelNote(row, n, level, head)}
          onNote={look.onNote}
          clauses={[...customersOf(head), mine]}
        />
      ))}
    </tr>
  );
}

/** "and 3 more, 11%", and the rarest that are in no list. */
function MoreLevels(props: { row: Category; levels: number[]; all: boolean; onAll: () => void }) {
  const { row, levels, all, onAll } = props;
  const { canChange } = useStudy();
  const rest = levels.slice(FEW);
  const share = rest.reduce((sum, level) => sum + (row.everyone[level] ?? 0), 0);
  if (rest.length === 0 && row.unlisted === 0 && !canChange) return null;
  return (
    <tr className="border-t border-dotted border-line">
      <td className="sticky left-0 z-10 bg-card py-0.5 pr-3 pl-7 text-quiet" colSpan={2}>
        {rest.length > 0 && (
          <button type="button" className="underline hover:text-ink" onClick={onAll}>
            {all ? "only the commonest" : `and ${rest.length} more, ${percent(share)}`}
          </button>
        )}
        {row.unlisted > 0 && <Fragment> {row.unlisted} rare values are not listed</Fragment>}
        {canChange && (
          <span className={rest.length > 0 || row.unlisted > 0 ? "ml-3" : ""}>
            <ValueWords trait={row.name} label={row.label} />
          </span>
        )}
      </td>
    </tr>
  );
}

function Everyone({ told }: { told: Told }) {
  return (
    <td className={`px-2 text-right ${told.lead ? "text-12 text-quiet" : "text-13"}`}>
      {told.lead && `${told.lead} `}
      {told.words}
      <Unit words={told.unit} />
    </td>
  );
}

/** A difference with its interval; what chance alone may make is quiet. */
function Apart(props: {
  lead?: string;
  apart: Schemas["DifferenceBody"] | null | undefined;
  unit: string | null;
  currency: string;
}) {
  const found = apartWords(props.apart, props.unit, props.currency);
  return (
    <td className="px-2 text-right">
      <span className={`block text-12 ${found.told ? "font-semibold" : "text-quiet"}`}>
        {props.lead && `${props.lead} `}
        {found.words}
      </span>
      <span className="block text-11 whitespace-nowrap text-quiet">{found.interval}</span>
    </td>
  );
}

function Pin({ name, label, look }: { name: string; label: string; look: Look }) {
  const on = look.pinned.includes(name);
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={`${label} on top`}
      title={on ? "Back to its place" : "Keep this row on top"}
      className={`min-h-[24px] min-w-[24px] shrink-0 rounded text-12 hover:bg-paper ${on ? "" : "text-quiet opacity-0 group-hover:opacity-100 focus-visible:opacity-100"}`}
      onClick={() => look.onPin(name)}
    >
      <span aria-hidden>⤒</span>
    </button>
  );
}
