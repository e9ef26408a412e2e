import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, dayOfNumber, figure, inUnit, money, month, percent } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickList } from "@/charts/picture";
import { valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { MarginRates } from "@/stations/ledger/margins";
import { iso, monthOf } from "@/stations/ledger/picked";
import { Districts } from "@/stations/ledger/districts";
import { useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const COLUMN_HEADS: Record<string, string> = {
  department: "Departments",
  channel: "Channels",
  site: "Sites",
};

/** A pick that narrows the lens to the customers behind it; resting on it tries it. */
function useNarrowing() {
  const lens = useLens();
  return (field: string) => {
    const chosen = lens.clauses.some((clause) => clause.field === field);
    const pick = () => lens.pick(field, { value: "yes" }, false);
    const tried = valueClause(field, "yes");
    return {
      chosen,
      handlers: pickable({
        pressed: chosen,
        onPick: pick,
        onTry: (resting) => lens.preview(resting ? tried : null),
      }),
    };
  };
}

/** Looks at the lines that count; every one narrows the lens. */
export function Summaries({ madeFrom }: { madeFrom: string }) {
  const { study } = useStudy();
  const looks = useQuery({
    queryKey: ["study", study.id, "looks", madeFrom],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/ledger/summaries", {
          params: { path: { study: study.id } },
          signal,
        }),
      ),
  });
  if (looks.isPending) return <Waiting />;
  if (looks.isError) return <Failed words={looks.error.message} />;
  const page = looks.data;
  return (
    <div className="grid gap-4 p-3 pt-1">
      <p className="text-11 text-quiet">
        Of the lines that count. Pick anything: the lens narrows to the customers behind it.
      </p>
      <Hours looks={page} />
      <div className="columns-2 gap-6 *:mb-4 *:break-inside-avoid">
        {page.columns.map((column) => (
          <Parts key={column.column} column={column} margins={page.margins} />
        ))}
        <Newcomers newcomers={page.newcomers} />
        {page.baskets && <Baskets baskets={page.baskets} />}
      </div>
      <Districts />
      <Gaps looks={page} />
    </div>
  );
}

/** Weekday by hour: the darker, the more money. Hours in which nothing ever happens are left out. */
function Hours({ looks }: { looks: Schemas["LedgerSummaries"] }) {
  const { study } = useStudy();
  const narrowing = useNarrowing();
  const used = Array.from({ length: 24 }, (_, hour) => hour).filter((hour) =>
    DAYS.some((_, weekday) => (looks.hour_lines[weekday * 24 + hour] ?? 0) > 0),
  );
  const from = used[0] ?? 0;
  const hours = used.length
    ? Array.from({ length: (used[used.length - 1] ?? 0) - from + 1 }, (_, i) => from + i)
    : [];
  const most = Math.max(1, ...looks.hour_money);
  if (hours.length <= 1) return null; // a log of dates without times
  return (
    <section aria-label="Weekday and hour">
      <h3 className="mb-1 text-13">When</h3>
      <PickList
        label="Hours of the week"
        className="grid gap-px text-11"
        style={{ gridTemplateColumns: `30px repeat(${hours.length}, minmax(0, 1fr))` }}
      >
        <span />
        {hours.map((hour) => (
          <span key={hour} className="text-center text-quiet">
            {hour}
          </span>
        ))}
        {DAYS.map((name, weekday) => [
          <span key={name} className="text-quiet">
            {name}
          </span>,
          ...hours.map((hour) => {
            const place = weekday * 24 + hour;
            const value = looks.hour_money[place] ?? 0;
            const lines = looks.hour_lines[place] ?? 0;
            const { chosen, handlers } = narrowing(`bought:hour=${place}`);
            const said = `${name} ${hour}:00: ${money(value, study.scale, study.currency)}, ${count(lines)} lines`;
            return (
              <span
                key={place}
                {...(lines > 0 ? handlers : {})}
                aria-label={lines > 0 ? said : undefined}
                title={said}
                className={`h-[17px] rounded-[2px] ${lines > 0 ? "cursor-pointer hover:outline-2 hover:outline-teal" : ""} ${chosen ? "outline-2 outline-teal" : ""}`}
                style={{
                  background: lines
                    ? `color-mix(in oklab, var(--color-ink) ${8 + Math.round((72 * Math.max(0, value)) / most)}%, var(--color-card))`
                    : "var(--color-paper)",
                }}
              />
            );
          }),
        ])}
      </PickList>
    </section>
  );
}

function Parts({
  column,
  margins,
}: {
  column: Schemas["SummaryColumn"];
  margins: Schemas["Margins"] | null;
}) {
  const { study } = useStudy();
  const narrowing = useNarrowing();
  const whole = column.parts.reduce((sum, part) => sum + part.money, 0);
  const most = Math.max(1, ...column.parts.map((part) => part.money));
  return (
    <section aria-label={COLUMN_HEADS[column.column]}>
      <h3 className="mb-1 text-13">
        {COLUMN_HEADS[column.column]}{" "}
        <span className="font-normal text-quiet">{count(column.names)}</span>{" "}
        {column.column === "department" && margins && <MarginRates margins={margins} />}
      </h3>
      <PickList label={`${COLUMN_HEADS[column.column]} by money`}>
        {column.parts.map((part) => {
          const { chosen, handlers } = narrowing(`bought:${column.column}=${part.name}`);
          const said = `${part.name}: ${money(part.money, study.scale, study.currency)}, ${count(part.lines)} lines`;
          return (
            <div
              key={part.number}
              {...(part.number >= 0 ? handlers : {})}
              aria-label={said}
              title={said}
              className={`grid grid-cols-[96px_1fr_58px_40px] items-center gap-1.5 rounded-sm border border-dashed border-transparent py-px text-12 ${part.number >= 0 ? "cursor-pointer hover:border-teal" : "text-quiet"} ${chosen ? "font-semibold text-teal" : ""}`}
            >
              <span className="truncate">{part.name}</span>
              <span className="h-3">
                <span
                  className={`block h-full ${chosen ? "bg-teal" : "bg-everyone"}`}
                  style={{ width: `${(100 * Math.max(0, part.money)) / most}%` }}
                />
              </span>
              <span className="text-right">{money(part.money, study.scale, study.currency)}</span>
              <span className="text-right text-quiet">{percent(part.money, whole, 0)}</span>
            </div>
          );
        })}
      </PickList>
    </section>
  );
}

const TALL = 56;

function Newcomers({ newcomers }: { newcomers: Schemas["Newcomers"] }) {
  const narrowing = useNarrowing();
  const [rest, setRest] = useState("");
  const most = Math.max(1, ...newcomers.customers);
  const first = newcomers.starts[0];
  const last = newcomers.starts[newcomers.starts.length - 1];
  if (first === undefined || last === undefined) return null;
  return (
    <section aria-label="New customers">
      <h3 className="mb-1 text-13">
        New customers <span className="font-normal text-quiet">{rest || "by first purchase"}</span>
      </h3>
      <PickList
        label="New customers by month"
        className="flex items-end gap-px"
        style={{ height: TALL }}
      >
        {newcomers.starts.map((start, place) => {
          const value = newcomers.customers[place] ?? 0;
          const { chosen, handlers } = narrowing(
            `began:days=${iso(start)}..${iso(newcomers.ends[place] ?? start)}`,
          );
          const said = `${month(monthOf(start))}: ${count(value)}`;
          return (
            <span
              key={start}
              {...handlers}
              aria-label={`${said} bought for the first time`}
              className="flex h-full flex-1 cursor-pointer items-end hover:bg-paper"
              onMouseEnter={() => setRest(said)}
              onMouseLeave={() => setRest("")}
            >
              <span
                className={`block w-full ${chosen ? "bg-teal" : "bg-everyone"}`}
                style={{ height: Math.max(value > 0 ? 1.5 : 0, (TALL * value) / most) }}
              />
            </span>
          );
        })}
      </PickList>
      <p className="flex justify-between text-11 text-quiet">
        <span>{month(monthOf(first))}</span>
        <span>{month(monthOf(last))}</span>
      </p>
    </section>
  );
}

function Baskets({ baskets }: { baskets: Schemas["Baskets"] }) {
  const { study } = useStudy();
  const narrowing = useNarrowing();
  const most = Math.max(1, ...baskets.purchases);
  const inMoney = (value: number | undefined) => inUnit(value ?? 0, "money", study.currency);
  return (
    <section aria-label="Baskets">
      <h3 className="mb-1 text-13">
        Baskets{" "}
        <span className="font-normal text-quiet">
          half under {study.currency}
          {figure(baskets.median)}, mean {study.currency}
          {figure(baskets.mean)}
        </span>
      </h3>
      <PickList
        label="Purchases by what they come to"
        className="flex items-end gap-px"
        style={{ height: TALL }}
      >
        {baskets.purchases.map((value, place) => {
          // The first and the last bar take what lies beyond.
          const low = place === 0 ? "" : String(baskets.edges[place]);
          const high = place === baskets.purchases.length - 1 ? "" : baskets.edges[place + 1];
          const { chosen, handlers } = narrowing(`bought:basket=${low}..${high}`);
          const said = `${inMoney(baskets.edges[place])} to ${inMoney(baskets.edges[place + 1])}: ${count(value)} purchases`;
          return (
            <span
              key={place}
              {...handlers}
              title={said}
              aria-label={said}
              className="flex h-full flex-1 cursor-pointer items-end hover:bg-paper"
            >
              <span
                className={`block w-full ${chosen ? "bg-teal" : "bg-everyone"}`}
                style={{ height: Math.max(value > 0 ? 1.5 : 0, (TALL * value) / most) }}
              />
            </span>
          );
        })}
      </PickList>
      <p className="flex justify-between text-11 text-quiet">
        <span>{inMoney(baskets.edges[0])}</span>
        <span>{inMoney(baskets.edges[baskets.edges.length - 1])}</span>
      </p>
    </section>
  );
}

function Gaps({ looks }: { looks: Schemas["LedgerSummaries"] }) {
  return (
    <section aria-label="Days without data">
      <h3 className="mb-1 text-13">Days without data</h3>
      {looks.gaps.length === 0 ? (
        <p className="text-12 text-quiet">
          None: no stretch without a line is longer than this log’s usual pauses.
        </p>
      ) : (
        <ul className="grid grid-cols-2 gap-x-6 text-12">
          {looks.gaps.map((gap) => (
            <li key={`${gap.site}${gap.first}`}>
              <b className="font-semibold">{gap.site || "Everywhere"}</b> {dayOfNumber(gap.first)}{" "}
              to {dayOfNumber(gap.last)}, {gap.last - gap.first + 1} days
            </li>
          ))}
          {looks.all_gaps > looks.gaps.length && (
            <li className="text-quiet">and {looks.all_gaps - looks.gaps.length} shorter ones</li>
          )}
        </ul>
      )}
    </section>
  );
}
