import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, fixed, percent } from "@/charts/format";
import { joined, place, valueClause, withValues } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";
import { Column, RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

type Page = Schemas["ComparePage"];

interface Props {
  first: string;
  second: string;
  onPick: (first: string, second: string) => void;
  onClose: () => void;
}

const KINDS = [
  ["grouping", "Groupings"],
  ["yardstick", "Yardsticks"],
  ["tiers", "Scores"],
  ["trait", "Traits"],
] as const;

/** Any two ways to divide the customers: how far they agree, and who is elsewhere. */
export function Compare({ first, second, onPick, onClose }: Props) {
  const { study, view } = useStudy();
  const lens = useLens();
  const compare = useQuery({
    queryKey: ["study", study.id, "compare", view, first, second],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups/compare", {
          params: { path: { study: study.id }, query: { ...view, first, second } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (compare.isError)
    return (
      <Failed
        words={compare.error.message}
        action={<Button onClick={onClose}>Back to the list</Button>}
      />
    );
  if (!compare.data) return <Waiting />;
  const found = compare.data;
  return (
    <section className="card p-3" aria-label="Comparison">
      <div className="flex flex-wrap items-center gap-2 text-12">
        <Pick page={found} label="First" value={first} onChange={(key) => onPick(key, second)} />
        <span className="text-quiet">with</span>
        <Pick page={found} label="Second" value={second} onChange={(key) => onPick(first, key)} />
        <button type="button" className="underline" onClick={() => onPick(second, first)}>
          turn
        </button>
        <span className="flex-1" />
        <button type="button" className="underline" onClick={onClose}>
          Back to the list
        </button>
      </div>
      <p className="mt-3 text-14">
        <b className="font-semibold">
          {found.words.charAt(0).toUpperCase() + found.words.slice(1)}.
        </b>{" "}
        <span className="text-13 text-quiet">
          Adjusted Rand {fixed(found.rand)}, variation of information {found.variation.toFixed(2)}.{" "}
          {found.agree !== null &&
            `${percent(found.agree, 1, 0)} of ${count(found.both)} ${unit.many} stand with their group's partner.`}
        </span>
      </p>
      <p className="mb-3 mt-1 text-12 text-quiet">
        {found.differ > 0 ? (
          <button
            type="button"
            className="text-teal underline"
            onClick={() => lens.set(withValues(lens.clauses, found.differ_field, ["elsewhere"]))}
          >
            Look at the {count(found.differ)} who are elsewhere
          </button>
        ) : (
          "Nobody is elsewhere."
        )}
        {found.only_first > 0 && ` ${count(found.only_first)} are in the first only.`}
        {found.only_second > 0 && ` ${count(found.only_second)} are in the second only.`}
        {found.note && ` ${found.note}`}
      </p>
      <Contingency page={found} />
    </section>
  );
}

function Pick({
  page,
  label,
  value,
  onChange,
}: {
  page: Page;
  label: string;
  value: string;
  onChange: (key: string) => void;
}) {
  return (
    <Select
      label={label}
      value={value}
      className="max-w-[300px]"
      onChange={onChange}
      groups={KINDS.map(
        ([kind, words]) =>
          [
            words,
            page.choices
              .filter((choice) => choice.kind === kind)
              .map((choice) => [choice.key, choice.label] as const),
          ] as const,
      )}
    />
  );
}

/** Customers by both; a frame marks each group's partner, the shade its share of the row. */
function Contingency({ page }: { page: Page }) {
  const lens = useLens();
  const columns = page.columns.length;
  const sums = page.columns.map((_, c) => page.table.reduce((sum, row) => sum + (row[c] ?? 0), 0));
  const level = (names: string[], field: string, n: number) =>
    field.startsWith("trait:") ? (names[n] ?? "") : String(n + 1);
  const pick = (r: number, c: number, more: boolean) => {
    const cell = [
      valueClause(page.row_field, level(page.rows, page.row_field, r)),
      valueClause(page.column_field, level(page.columns, page.column_field, c)),
    ];
    lens.set((now) => (more ? joined(now, cell) : cell.reduce(place, now)));
  };
  return (
    <div className="overflow-x-auto">
      <Table label={`${unit.Many} of both groupings`}>
        <thead>
          <tr>
            <td className="pr-3 text-11 text-quiet">first ↓ · second →</td>
            {page.columns.map((name) => (
              <Column
                figures
                key={name}
                className="max-w-[110px] px-1.5 pb-1 align-bottom"
                title={name}
              >
                <span className="line-clamp-2">{name}</span>
              </Column>
            ))}
            <Column figures className="px-1.5 pb-1 align-bottom text-quiet">
              all
            </Column>
          </tr>
        </thead>
        <tbody>
          {page.table.map((row, r) => {
            const sum = row.reduce((a, b) => a + b, 0);
            return (
              <tr key={page.rows[r]} className="border-t border-line">
                <RowHead className="max-w-[200px] truncate pr-3" title={page.rows[r]}>
                  {page.rows[r]}
                </RowHead>
                {row.map((customers, c) => {
                  const partner = page.matching[r] === c;
                  const words = `${page.rows[r]} and ${page.columns[c]}: ${count(customers)} ${unit.many}${partner ? ", partners" : ""}`;
                  return (
                    <td key={c} className="p-0">
                      <button
                        type="button"
                        title={words}
                        aria-label={words}
                        className={`w-full min-w-[52px] px-1.5 py-1 text-right ${partner ? "outline outline-[1.5px] -outline-offset-2 outline-ink" : ""}`}
                        style={{
                          background: `color-mix(in srgb, var(--color-ink) ${Math.round((28 * customers) / Math.max(1, sum))}%, var(--color-card))`,
                        }}
                        onClick={(event) => pick(r, c, event.shiftKey)}
                      >
                        {customers ? count(customers) : <span className="text-everyone">·</span>}
                      </button>
                    </td>
                  );
                })}
                <td className="px-1.5 text-right text-quiet">{count(sum)}</td>
              </tr>
            );
          })}
          <tr className="border-t border-line text-quiet">
            <RowHead>all</RowHead>
            {sums.map((sum, c) => (
              <td key={c} className="px-1.5 py-1 text-right">
                {count(sum)}
              </td>
            ))}
            <td className="px-1.5 text-right">{count(page.both)}</td>
          </tr>
        </tbody>
      </Table>
      <p className="mt-2 text-11 text-quiet">
        Framed: partners, matched so that most {unit.many} agree (
        {Math.min(page.rows.length, columns)} pairs). Shade: share of the row.
      </p>
    </div>
  );
}
