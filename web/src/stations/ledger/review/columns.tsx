import type { Schemas } from "@/api/client";
import { asksForOrder } from "@/stations/ledger/review/readings";
import type { Mapping } from "@/stations/ledger/review/use-review";
import { Select } from "@/ui/select";
import { Column, RowHead, Table } from "@/ui/table";

const ROLE_WORDS: Record<string, string> = {
  customer: "customer or card",
  receipt: "receipt number",
  moment: "date, or date and time",
  time: "time of day",
  site: "site",
  channel: "channel",
  item: "item",
  department: "department",
  quantity: "pieces",
  price: "price of one",
  money: "line total",
  kind: "sale, return or void",
  cost: "what the line costs the shop",
  currency: "currency",
  out: "leave out",
  key: "customer or card",
  joined: "joining date",
  consent: "consent to be written to",
  address: "address for lists",
  ordered: "category with an order",
  id: "another id",
  person: "whose card it is",
  offer: "offer, or sold on offer",
  answer: "taken or not",
  area: "district’s code",
  households: "households",
};

/** What a column of a table is instead, once another is what only one can be. */
const INSTEAD: Record<string, string> = {
  key: "id",
  joined: "date",
  consent: "yes/no",
  address: "out",
  person: "category",
};

/** The same mapping with one column given another role; a role has one column at most. */
export function remapped(kind: string, mapping: Mapping, column: string, role: string): Mapping {
  if (kind === "members") {
    const instead = INSTEAD[role];
    const others = Object.entries(mapping.types ?? {}).map(
      ([name, type]) => [name, instead !== undefined && type === role ? instead : type] as const,
    );
    return { ...mapping, types: { ...Object.fromEntries(others), [column]: role } };
  }
  const roles = Object.fromEntries(
    Object.entries(mapping.roles ?? {}).filter(([key, name]) => key !== role && name !== column),
  );
  return { ...mapping, roles: role === "out" ? roles : { ...roles, [role]: column } };
}

/** Why a column is read as it is, and what about it is to be looked at. */
function Because({
  intake,
  mapping,
  column,
}: {
  intake: Schemas["IntakeRow"];
  mapping: Mapping;
  column: Schemas["PreviewColumn"];
}) {
  if (["moment", "date", "joined"].includes(column.role) && asksForOrder(intake, mapping))
    return <b className="font-semibold text-ink">Say above which way its dates are written.</b>;
  if (column.role !== column.guessed) return "your choice";
  if (!column.doubt) return column.reason;
  return (
    <>
      <b className="font-semibold text-ink">Check: {column.doubt}</b> {column.reason}
    </>
  );
}

interface Props {
  intake: Schemas["IntakeRow"];
  mapping: Mapping;
  onChange: (next: Mapping) => void;
}

/** Each column's role with its reason, and the first rows as they will be read. */
export function Columns({ intake, mapping, onChange }: Props) {
  return (
    <div className="overflow-x-auto">
      <Table label="Columns of the file" className="w-full border-collapse">
        <thead>
          <tr className="text-left text-11 text-quiet">
            <Column className="py-1 pr-3">Column</Column>
            <Column className="py-1 pr-3">is read as</Column>
            <Column className="py-1 pr-3">because</Column>
            <Column className="py-1" colSpan={3}>
              first rows, as they will be read
            </Column>
          </tr>
        </thead>
        <tbody>
          {intake.columns.map((column) => (
            <tr key={column.column} className="border-t border-line">
              <RowHead strong className="py-1.5 pr-3 whitespace-nowrap">
                {column.column}
              </RowHead>
              <td className="py-1 pr-3">
                <Select
                  label={`How ${column.column} is read`}
                  value={column.role}
                  onChange={(value) =>
                    onChange(remapped(intake.role, mapping, column.column, value))
                  }
                  className={`rounded-md border bg-card px-1.5 py-1 ${column.role === "out" ? "border-line text-quiet" : "border-quiet"}`}
                  options={intake.roles.map((role) => [role, ROLE_WORDS[role] ?? role] as const)}
                />
              </td>
              <td className="max-w-[280px] py-1.5 pr-3 text-quiet">
                <Because intake={intake} mapping={mapping} column={column} />
              </td>
              {column.read.slice(0, 3).map((cell, place) => (
                <td
                  key={place}
                  className={`max-w-[130px] truncate py-1.5 pr-3 ${cell === "?" ? "text-alarm" : ""}`}
                  title={`in the file: ${column.cells[place] ?? ""}`}
                >
                  {cell === "?" ? `cannot read “${column.cells[place] ?? ""}”` : cell || "–"}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </div>
  );
}
