import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, dayOfNumber, figure, money } from "@/charts/format";
import { useMoney, useStudy } from "@/study/context";
import { CustomerLink } from "@/study/customer-link";
import { PageHeader } from "@/ui/page-header";
import { Failed, Waiting } from "@/ui/status";
import { Column, Table } from "@/ui/table";
import { useHere } from "@/study/address";

/** One receipt: every line with its file and row, why it does not count, what was returned. */
export function Receipt() {
  const { study } = useStudy();
  const { receipt: key = "" } = useParams();
  const page = useQuery({
    queryKey: ["study", study.id, "receipt", key],
    queryFn: () =>
      data(
        api.GET("/api/studies/{study}/receipt/{key}", {
          params: { path: { study: study.id, key } },
        }),
      ),
  });
  if (page.isPending) return <Waiting />;
  if (page.isError) return <Failed words={page.error.message} />;
  const [first] = page.data.parts;
  if (!first) return <Failed words="The receipt has no lines." />;
  const told = first.receipt;
  const where = [told.time, told.site, told.channel].filter(Boolean).join(", ");
  return (
    <div className="grid gap-3">
      <PageHeader title={`Receipt of ${told.day ? day(told.day) : "no date"}`} words={where} />
      {page.data.parts.map((part) => (
        <Part key={part.customer ?? -1} part={part} page={page.data} />
      ))}
    </div>
  );
}

function Part({ part, page }: { part: Schemas["ReceiptPart"]; page: Schemas["ReceiptPage"] }) {
  const { study } = useStudy();
  const inMoney = useMoney("exact");
  return (
    <section className="card p-3" aria-label="Lines of the receipt">
      <div className="mb-2 flex items-baseline gap-2">
        <h2 className="text-14">
          {part.customer === null ? (
            "Without a card"
          ) : (
            <CustomerLink number={part.customer}>{part.name}</CustomerLink>
          )}
        </h2>
        <span className="flex-1 text-12 text-quiet">
          {part.receipt.purchase
            ? "a purchase: it has a kept sale"
            : "no purchase: it has no kept sale"}
        </span>
        <b className="font-semibold">{inMoney(part.receipt.money)}</b>
      </div>
      <Table label="Lines of the receipt" className="w-full border-collapse">
        <thead className="text-left text-11 text-quiet">
          <tr>
            {["Item", "Department", "Pieces", study.currency, "What it is", "From"].map(
              (head, place) => (
                <Column key={head} figures={place === 2 || place === 3} className="py-1 pr-3">
                  {head}
                </Column>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {part.receipt.lines.map((line) => (
            <tr
              key={`${line.file}:${line.number}`}
              className={`border-t border-line align-baseline ${line.reason ? "text-quiet" : ""}`}
            >
              <td className="py-1.5 pr-3">{line.item || "–"}</td>
              <td className="py-1.5 pr-3">{line.department || "–"}</td>
              <td className="py-1.5 pr-3 text-right">{figure(line.quantity)}</td>
              <td className="py-1.5 pr-3 text-right">
                {line.unread.money ?? money(line.money, study.scale, "", false)}
              </td>
              <td className="py-1.5 pr-3">
                {line.reason
                  ? `does not count: ${page.rules[line.reason]?.toLowerCase()}`
                  : line.kind === "return"
                    ? "returned"
                    : "counts"}
                <Returned line={line} page={page} />
              </td>
              <td className="py-1.5 text-quiet">
                {page.files[line.file]}, row {count(line.number)}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </section>
  );
}

/** The other end of a return: the sale that it takes back, or the day it came back. */
function Returned({ line, page }: { line: Schemas["CustomerLine"]; page: Schemas["ReceiptPage"] }) {
  const { study } = useStudy();
  const search = useHere();
  const to = (key: string) => ({ pathname: `/study/${study.id}/receipt/${key}`, search });
  const link = page.returns.find(
    (each) =>
      (each.sale_file === line.file && each.sale_row === line.number) ||
      (each.return_file === line.file && each.return_row === line.number),
  );
  if (!link) return null;
  const sold = link.sale_file === line.file && link.sale_row === line.number;
  const other = sold ? link.return_receipt : link.sale_receipt;
  const words = sold
    ? `returned on ${dayOfNumber(link.return_day)}`
    : `returns row ${count(link.sale_row)}`;
  return (
    <span className="text-quiet">
      {"; "}
      {other === page.key ? (
        words
      ) : (
        <Link to={to(other)} className="underline">
          {words}
        </Link>
      )}
    </span>
  );
}
