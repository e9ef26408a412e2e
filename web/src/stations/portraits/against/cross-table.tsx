import { fixed } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickList } from "@/charts/picture";
import type { Clause } from "@/lens/clauses";
import { SEGMENT, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { ColumnMark } from "@/marks/column-mark";
import {
  depthOf,
  figuresFor,
  gridOf,
  isAbove,
  valueOf,
  wordsOf,
} from "@/stations/portraits/against/figures";
import { FIGURES, useAgainst, useAgainstAddress } from "@/stations/portraits/against/use-against";
import type { Level, Page } from "@/stations/portraits/against/use-against";
import { percent } from "@/stations/portraits/threads/cells";
import { Stale } from "@/study/status-banner";
import { TakeAway } from "@/study/take-away";
import { Select } from "@/ui/select";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

/** The columns against one category: shares, counts, index or residuals. */
export function CrossTable() {
  const against = useAgainst();
  if (against.isPending) return <Waiting />;
  if (against.isError) return <Failed words={against.error.message} />;
  const page = against.data;
  if (!page.by)
    return (
      <Empty title="Nothing to set the segments against">
        Bring in a {unit.one} table at the Ledger, score {unit.many}, or keep a lens: each can stand
        against the segments here.
      </Empty>
    );
  return (
    <Stale status={page.status}>
      <Crossed page={page} />
    </Stale>
  );
}

function Crossed({ page }: { page: Page }) {
  const { figure: wanted, put } = useAgainstAddress();
  const known = figuresFor(page);
  const figure = known.includes(wanted) ? wanted : "column";
  const groups = [...new Set(page.options.map((option) => option.group))].map(
    (group) =>
      [
        group,
        page.options
          .filter((option) => option.group === group)
          .map((option) => [option.key, option.label] as const),
      ] as const,
  );
  return (
    <section className="card" aria-label={`Segments against ${page.label}`}>
      <div className="flex items-center justify-between gap-3 border-b border-line px-3 py-1.5">
        <span className="flex flex-wrap items-center gap-1.5 text-12 text-quiet">
          Against
          <Select
            look="word"
            label="What the segments are set against"
            value={page.by}
            groups={groups}
            onChange={(by) => void put({ set: by })}
          />
          told as
          <Select
            look="word"
            label="What cells tell"
            value={figure}
            options={FIGURES.filter(([key]) => known.includes(key))}
            onChange={(next) => void put({ figure: next })}
          />
        </span>
        <TakeAway name={`against ${page.label}`} grid={() => gridOf(page, figure)} />
      </div>
      <PickList label="Figures of the table" className="overflow-x-auto">
        <Table
          label={`${page.label} by segment`}
          className="w-full border-collapse"
          style={{ minWidth: 220 + page.columns.length * 84 }}
        >
          <thead>
            <tr className="align-bottom">
              <Column className="sticky left-0 z-10 bg-card px-3 py-2 text-13" strong>
                {page.label}
              </Column>
              <Column figures className="px-2 py-2 text-13" strong>
                Everyone
              </Column>
              {page.columns.map((head) => (
                <Column key={head.number} className="min-w-[84px] px-2 py-2 align-bottom">
                  <ColumnMark head={head} />
                  <span className="mt-0.5 line-clamp-2 block leading-[15px] font-semibold">
                    {page.columns.length > 8 ? head.short || head.name : head.name}
                  </span>
                </Column>
              ))}
            </tr>
          </thead>
          <tbody>
            {page.levels.map((level) => (
              <tr key={level.label} className="border-t border-line">
                <RowHead className="sticky left-0 z-10 bg-card px-3 py-1">
                  <LevelName level={level} />
                </RowHead>
                <td className="px-2 text-right text-13">{percent(level.everyone)}</td>
                {page.columns.map((head, column) => (
                  <Figure
                    key={head.number}
                    level={level}
                    column={column}
                    words={wordsOf(valueOf(level, column, figure), figure)}
                    name={head.name}
                    own={head.mark === null ? null : head.number}
                  />
                ))}
              </tr>
            ))}
          </tbody>
        </Table>
      </PickList>
      <p className="border-t border-line px-3 py-2 text-11 text-quiet">{small(page)}</p>
    </section>
  );
}

function small(page: Page): string {
  const parts = [
    "Shaded: more (violet) or less (ochre) than chance makes, all cells together; the rest is quiet.",
  ];
  if (page.spend) parts.push(`Shares are means over ${unit.many}, so that each counts alike.`);
  if (page.v !== null) {
    const sure = page.p === null ? "" : page.p < 0.001 ? ", p < 0.001" : `, p ${fixed(page.p, 3)}`;
    parts.push(`V ${fixed(page.v, 2)}, χ² ${fixed(page.chi_squared ?? 0, 0)}${sure}.`);
  }
  if (page.circular)
    parts.push(
      "It made these columns, or comes from what did, so that what stands out proves nothing.",
    );
  return parts.join(" ");
}

function LevelName({ level }: { level: Level }) {
  const lens = useLens();
  const [clause] = level.clauses;
  const look = level.given ? "" : "text-quiet italic";
  if (!clause) return <span className={look}>{level.label}</span>;
  return (
    <button
      type="button"
      className={`min-h-[24px] text-left hover:underline ${look}`}
      onClick={() => lens.set([clause])}
    >
      {level.label}
    </button>
  );
}

function Figure(props: {
  level: Level;
  column: number;
  words: string;
  name: string;
  /** The segment's number, where the column is one. */
  own: number | null;
}) {
  const { level, column, words, name, own } = props;
  const lens = useLens();
  const deep = depthOf(level, column);
  const above = isAbove(level, column);
  const colour = above ? "var(--color-above)" : "var(--color-below)";
  const segment: Clause[] = own === null ? [] : [valueClause(SEGMENT, String(own))];
  const clauses = [...segment, ...level.clauses];
  const last = clauses.at(-1);
  const note = noteOf(level, column, name);
  const mark = last
    ? pickable({
        label: note,
        onPick: (more) => lens.take(clauses, more),
        onTry: (resting) => lens.preview(resting ? last : null),
      })
    : {};
  return (
    <td className="p-0.5">
      <span
        {...mark}
        title={note}
        className={`flex min-h-[26px] items-center justify-between gap-1 rounded px-1.5 text-13 ${deep > 0 ? "" : "text-quiet"} ${last ? "cursor-pointer" : ""}`}
        style={{
          background: `color-mix(in srgb, ${colour} ${(100 * deep).toFixed(0)}%, transparent)`,
        }}
      >
        <span aria-hidden className="text-11" style={{ color: colour }}>
          {deep > 0 && (above ? "▴" : "▾")}
        </span>
        {words}
      </span>
    </td>
  );
}

function noteOf(level: Level, column: number, name: string): string {
  const told = (figure: "column" | "index" | "counts" | "residuals") =>
    wordsOf(valueOf(level, column, figure), figure);
  const parts = [
    level.counts.length > 0 ? `${told("counts")} ${unit.many}` : "",
    `${told("column")} of ${name}, ${percent(level.everyone)} of everyone`,
    `index ${told("index")}`,
    level.residuals.length > 0 ? `residual ${told("residuals")}` : "",
    level.told[column] ? "more than chance makes" : "within what chance makes",
  ];
  return `${level.label}, ${name}: ${parts.filter(Boolean).join("; ")}`;
}
