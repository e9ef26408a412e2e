import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { useMoney } from "@/study/context";

/** Where the window's counted money lies: three parts that come to the ledger's total. */
export function Balance({ balance }: { balance: Schemas["BalanceRow"] }) {
  const inMoney = useMoney("exact");
  const parts = [
    {
      money: balance.with_purchase,
      words: `of ${count(balance.customers)} customers who bought`,
    },
    {
      money: balance.without_purchase,
      words: `of ${count(balance.customers_without)} who only returned`,
    },
    { money: balance.without_customer, words: "without a customer" },
  ];
  return (
    <section
      aria-label="The balance of the window"
      className="flex flex-wrap items-baseline gap-x-2 rounded-md border border-line bg-card px-3 py-2 text-12"
    >
      <span className="text-quiet">
        {day(balance.first)} to {day(balance.last)}
      </span>
      <b className="font-semibold">{inMoney(balance.ledger)}</b>
      {parts.map((part, place) => (
        <span key={part.words} className={part.money === 0 && place > 0 ? "text-quiet" : ""}>
          <span className="text-quiet">{place === 0 ? "= " : "+ "}</span>
          {inMoney(part.money)} <span className="text-quiet">{part.words}</span>
        </span>
      ))}
    </section>
  );
}
