import type { Schemas } from "@/api/client";
import { count, inUnit } from "@/charts/format";
import { ColumnMark } from "@/marks/column-mark";
import { useAgainstAddress, useFirst } from "@/stations/portraits/against/use-against";
import { CustomerLink } from "@/study/customer-link";
import { useStudy } from "@/study/context";
import { Stale } from "@/study/status-banner";
import { TakeAway } from "@/study/take-away";
import { Choice } from "@/ui/choice";
import { text } from "@/ui/grid";
import type { Grid, GridCell } from "@/ui/grid";
import { Select } from "@/ui/select";
import { Empty, Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

type Page = Schemas["FirstPage"];

const ENDS = [
  ["most", "most first"],
  ["least", "least first"],
] as const;

/** The first customers of every column by any measure. */
export function First() {
  const { study } = useStudy();
  const { least, put } = useAgainstAddress();
  const found = useFirst();
  if (found.isPending) return <Waiting />;
  if (found.isError) return <Failed words={found.error.message} />;
  const page = found.data;
  const { by } = page;
  if (!by)
    return (
      <Empty title="No number to order by">
        These {unit.many} have no measure or trait that is a number.
      </Empty>
    );
  const longest = Math.max(0, ...page.lists.map((list) => list.customers.length));
  const told = (value: number) => inUnit(value, by.unit, study.currency);
  return (
    <Stale status={page.status}>
      <section className="card" aria-label={`First ${unit.many} by ${by.label}`}>
        <div className="flex items-center justify-between gap-3 border-b border-line px-3 py-1.5">
          <span className="flex flex-wrap items-center gap-2 text-12 text-quiet">
            By
            <Select
              look="word"
              label="The measure they are ordered by"
              value={by.name}
              options={page.options.map((option) => [option.name, option.label] as const)}
              onChange={(name) => void put({ first: name })}
            />
            <Choice
              label="Which end comes first"
              choices={ENDS}
              value={least ? "least" : "most"}
              onChoose={(end) => void put({ least: end === "least" || null })}
            />
          </span>
          <TakeAway name={`first by ${by.label}`} grid={() => gridOf(page, by.label, told)} />
        </div>
        <div className="overflow-x-auto">
          <Table
            label={`First ${unit.many} by ${by.label}`}
            className="w-full"
            style={{ minWidth: 60 + page.columns.length * 150 }}
          >
            <thead>
              <tr className="align-bottom">
                <Column className="px-3 py-2 text-quiet">Place</Column>
                {page.columns.map((head, n) => (
                  <Column key={head.number} className="px-2 py-2">
                    <ColumnMark head={head} />
                    <span className="block font-semibold">{head.name}</span>
                    <span className="text-11 text-quiet">
                      {count(page.lists[n]?.known ?? 0)} with a value
                    </span>
                  </Column>
                ))}
              </tr>
            </thead>
            <tbody>
              {Array.from({ length: longest }, (_, place) => (
                <tr key={place} className="border-t border-line">
                  <RowHead className="px-3 text-quiet">{place + 1}</RowHead>
                  {page.lists.map((list) => {
                    const customer = list.customers[place];
                    return (
                      <td key={list.number} className="px-2">
                        {customer && (
                          <span className="flex items-baseline justify-between gap-2">
                            <CustomerLink number={customer.number}>{customer.card}</CustomerLink>
                            <span className="text-quiet">{told(customer.value)}</span>
                          </span>
                        )}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      </section>
    </Stale>
  );
}

function gridOf(page: Page, label: string, told: (value: number) => string): Grid {
  return {
    title: `First by ${label}`,
    heads: ["Column", "Place", "Customer", label],
    rows: page.lists.flatMap((list, n) =>
      list.customers.map((customer, place): GridCell[] => [
        text(page.columns[n]?.name ?? ""),
        { value: place + 1, form: "number", words: String(place + 1) },
        text(customer.card),
        { value: customer.value, form: "number", words: told(customer.value) },
      ]),
    ),
    note: page.status.state === "out of date" ? `Out of date: ${page.status.words}` : "",
  };
}
