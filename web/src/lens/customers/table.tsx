import { useQueries } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, inUnit, unitWords } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import { useStudy } from "@/study/context";
import { useKeptScroll } from "@/study/use-kept-scroll";
import { CustomerLink } from "@/study/customer-link";
import { Column, RowHead, SortColumn, Table } from "@/ui/table";
import { unit } from "@/study/unit";

const PAGE = 100;
const ROW = 27;

interface Props {
  first: Schemas["CustomerList"];
  query: Record<string, string | undefined>;
  order: string;
  down: string;
  onTurn: (field: string) => void;
}

/** Rows of any number: only those on the screen are there, and their pages are asked for. */
export function CustomerTable({ first, query, order, down, onTurn }: Props) {
  const { study } = useStudy();
  const scroll = useRef<HTMLDivElement>(null);
  const { total, columns } = first;
  // eslint-disable-next-line react-hooks/incompatible-library -- the list redraws as it scrolls
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const shown = rows.getVirtualItems();
  const pages = [...new Set(shown.map((row) => Math.floor(row.index / PAGE)))];
  const found = useQueries({
    queries: pages.map((page) => ({
      queryKey: ["study", study.id, "customers", query, page * PAGE],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        data(
          api.GET("/api/studies/{study}/customers", {
            params: { path: { study: study.id }, query: { ...query, first: page * PAGE } },
            signal,
          }),
        ),
      staleTime: 60_000,
    })),
  });
  const byPage = new Map(pages.map((page, n) => [page, found[n]?.data]));
  const key = JSON.stringify(query);
  const asked = useRef(key);
  useEffect(() => {
    if (asked.current !== key) scroll.current?.scrollTo({ top: 0 });
    asked.current = key;
  }, [key]);
  useKeptScroll(scroll, "customers");
  return (
    <section className="card overflow-hidden" aria-label="Customers">
      <div ref={scroll} className="h-[calc(100vh-196px)] overflow-auto">
        <Table
          label={`${unit.Many} of the lens`}
          className="w-full border-separate border-spacing-0"
          aria-rowcount={total + 1}
        >
          <thead className="text-left">
            <tr>
              <Column
                strong
                className="sticky top-0 left-0 z-20 min-w-[104px] border-b border-line bg-card px-3 py-2 align-bottom"
              >
                {unit.One}
              </Column>
              {columns.map((column) => (
                <FieldColumn
                  key={column.field}
                  column={column}
                  down={order === column.field ? down === "1" : null}
                  currency={study.currency}
                  onTurn={() => onTurn(column.field)}
                />
              ))}
            </tr>
          </thead>
          <tbody>
            <Space height={shown[0]?.start ?? 0} />
            {shown.map((item) => {
              const page = byPage.get(Math.floor(item.index / PAGE));
              return (
                <Row
                  key={item.index}
                  index={item.index}
                  page={page}
                  row={item.index % PAGE}
                  columns={columns.length}
                />
              );
            })}
            <Space height={rows.getTotalSize() - (shown.at(-1)?.end ?? 0)} />
          </tbody>
        </Table>
        {total === 0 && <p className="p-4 text-quiet">No one is in this lens.</p>}
      </div>
      <p className="border-t border-line px-3 py-1.5 text-12 text-quiet">
        {shown.length > 0 &&
          `${count((rows.range?.startIndex ?? 0) + 1)} to ${count((rows.range?.endIndex ?? 0) + 1)} of ${count(total)}. `}
        {order && `${unit.Many} without a value are listed last.`}
      </p>
    </section>
  );
}

function Space({ height }: { height: number }) {
  return height > 0 ? (
    <tr aria-hidden>
      <td style={{ height }} />
    </tr>
  ) : null;
}

interface RowProps {
  index: number;
  page: Schemas["CustomerList"] | undefined;
  row: number;
  columns: number;
}

function Row({ index, page, row, columns }: RowProps) {
  const { study } = useStudy();
  const number = page?.numbers[row];
  if (!page || number === undefined)
    return (
      <tr style={{ height: ROW }} aria-rowindex={index + 2}>
        <td className="px-3 text-quiet" colSpan={columns + 1}>
          …
        </td>
      </tr>
    );
  return (
    <tr style={{ height: ROW }} className="group" aria-rowindex={index + 2}>
      <RowHead
        strong
        className="sticky left-0 z-10 border-t border-line bg-card px-3 group-hover:bg-paper"
      >
        <CustomerLink number={number}>{page.names[row] || "erased"}</CustomerLink>
      </RowHead>
      {page.columns.map((column) => {
        const words = cell(column, row, study.currency);
        const mark = column.marks[column.places[row] ?? -1] ?? -1;
        const told = column.kind === "number" && /^measure:(?!trait|offer)/.test(column.field);
        return (
          <td
            key={column.field}
            className={`max-w-[170px] truncate border-t border-line px-2 group-hover:bg-paper ${column.kind === "number" ? "text-right" : ""}`}
          >
            {told && words !== "–" ? (
              <CustomerLink number={number} why={column.field.replace("measure:", "")}>
                {words}
              </CustomerLink>
            ) : (
              <>
                {mark >= 0 && (
                  <span aria-hidden className="mr-1 inline-block align-[-2px]">
                    <SegmentMark mark={mark} size={13} />
                  </span>
                )}
                {words}
              </>
            )}
          </td>
        );
      })}
    </tr>
  );
}

function FieldColumn({
  column,
  down,
  currency,
  onTurn,
}: {
  column: Schemas["ListedColumn"];
  down: boolean | null;
  currency: string;
  onTurn: () => void;
}) {
  const number = column.kind === "number";
  return (
    <SortColumn
      figures={number}
      strong
      sorted={down === null ? null : down ? "down" : "up"}
      below={number && column.unit && column.unit !== "date" && unitWords(column.unit, currency)}
      onSort={onTurn}
      className="sticky top-0 z-10 border-b border-line bg-card px-2 py-2 align-bottom"
    >
      {column.label}
    </SortColumn>
  );
}

function cell(column: Schemas["ListedColumn"], row: number, currency: string): string {
  if (column.kind === "number") {
    const value = column.numbers[row] ?? null;
    return column.unit === "money" && value !== null
      ? value.toLocaleString("en-GB", { minimumFractionDigits: 2, maximumFractionDigits: 2 })
      : inUnit(value, column.unit, currency);
  }
  return column.levels[column.places[row] ?? -1] ?? "–";
}
