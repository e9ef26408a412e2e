import { Link } from "react-router";

import type { Schemas } from "@/api/client";
import { count, day, figure, money } from "@/charts/format";
import { useMoney, useStudy } from "@/study/context";
import { useHere } from "@/study/address";

interface Props {
  page: Schemas["CustomerPage"];
  behind: Set<string>;
}

/** Every receipt with its lines; what does not count is greyed, with the reason. */
export function Receipts({ page, behind }: Props) {
  const { study } = useStudy();
  const search = useHere();
  const inMoney = useMoney("exact");
  return (
    <section className="card" aria-label="Receipts">
      <h2 className="p-3 pb-2 text-14">Receipts, newest first</h2>
      {page.receipts.length === 0 && (
        <p className="px-3 pb-3 text-quiet">There are none: this customer is known by a table.</p>
      )}
      <ol>
        {page.receipts.map((receipt, place) => (
          <li
            key={`${receipt.key}${place}`}
            data-testid={behind.has(receipt.key) ? "receipt-behind-it" : "receipt"}
            className={`grid grid-cols-[120px_1fr_90px] gap-3 border-t border-line px-3 py-1.5 text-12 ${
              behind.has(receipt.key) ? "border-l-4 border-l-ink pl-2" : ""
            }`}
          >
            <div>
              <Link
                to={{ pathname: `/study/${study.id}/receipt/${receipt.key}`, search }}
                className="font-semibold hover:underline"
                title="Look at this receipt"
              >
                {receipt.day ? day(receipt.day) : "no date"}
              </Link>
              <span className="block text-11 text-quiet">
                {[receipt.time, receipt.site, receipt.channel].filter(Boolean).join(", ")}
              </span>
            </div>
            <Lines receipt={receipt} rules={page.rules} />
            <div className="text-right">
              <span className="font-semibold">{inMoney(receipt.money)}</span>
              {!receipt.purchase && <span className="block text-11 text-quiet">no purchase</span>}
            </div>
          </li>
        ))}
      </ol>
      {page.left_out > 0 && (
        <p className="border-t border-line px-3 py-2 text-12 text-quiet">
          and {count(page.left_out)} older receipts
        </p>
      )}
    </section>
  );
}

function Lines({
  receipt,
  rules,
}: {
  receipt: Schemas["CustomerReceipt"];
  rules: Record<string, string>;
}) {
  const { study } = useStudy();
  return (
    <ul className="min-w-0">
      {receipt.lines.map((line) => (
        <li
          key={`${line.file}:${line.number}`}
          title={`line ${count(line.number)} of the file`}
          className={`flex gap-2 ${line.reason ? "text-quiet" : ""}`}
        >
          <span className="w-6 text-right">{figure(line.quantity)}</span>
          <span className={`min-w-0 flex-1 truncate ${line.reason ? "line-through" : ""}`}>
            {[line.item, line.department].filter(Boolean).join(", ") || "–"}
          </span>
          {(line.reason || line.kind === "return") && (
            <span className="shrink-0 text-quiet">
              {line.reason ? `does not count: ${rules[line.reason]?.toLowerCase()}` : "returned"}
            </span>
          )}
          <span className="w-16 shrink-0 text-right">
            {line.unread.money ?? money(line.money, study.scale, "", false)}
          </span>
        </li>
      ))}
    </ul>
  );
}
