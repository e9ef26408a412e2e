import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { useLedgerChange } from "@/stations/ledger/queries";
import { queueWrite } from "@/study/write-queue";
import type { Mark } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Failed } from "@/ui/status";
import { Select } from "@/ui/select";

const WHAT: Record<string, string> = {
  log: "A transaction log",
  members: "A table of customers",
  responses: "Who received and took which offers",
  offers: "A table of offers",
  areas: "Districts",
};

const NOUNS: Record<string, string> = {
  log: "lines",
  members: "customers",
  responses: "answers",
  offers: "offers",
  areas: "districts",
};

const ROLE_WORDS: Record<string, string> = {
  customer: "customer or card",
  receipt: "receipt number",
  moment: "date and time",
  site: "site",
  channel: "channel",
  item: "item",
  department: "department",
  quantity: "pieces",
  price: "price of one",
  total: "line total",
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

type Mapping = Schemas["MappingBody"];

/** The same mapping with one column given another role; a role has one column at most. */
function remapped(kind: string, mapping: Mapping, column: string, role: string): Mapping {
  if (kind === "members") return { ...mapping, types: { ...mapping.types, [column]: role } };
  const roles = Object.fromEntries(
    Object.entries(mapping.roles ?? {}).filter(([key, name]) => key !== role && name !== column),
  );
  return { ...mapping, roles: role === "out" ? roles : { ...roles, [role]: column } };
}

/** A file under review: each column's role with its reason, and the first rows as they will be read. */
export function Review({ intake }: { intake: Schemas["IntakeRow"] }) {
  const { study } = useStudy();
  const path = { params: { path: { study: study.id, intake: intake.id } } };
  const changed = <T,>(send: (headers: Mark) => Promise<T>) =>
    queueWrite(`intake ${intake.id}`, intake.revision, send);
  const map = useLedgerChange((mapping: Mapping) =>
    changed((headers) =>
      data(
        api.PUT("/api/studies/{study}/intakes/{intake}", {
          ...path,
          body: { mapping },
          headers,
        }),
      ),
    ),
  );
  const tally = useLedgerChange(() =>
    changed((headers) =>
      data(api.POST("/api/studies/{study}/intakes/{intake}/count", { ...path, headers })),
    ),
  );
  const drop = useLedgerChange(() =>
    changed((headers) =>
      data(api.DELETE("/api/studies/{study}/intakes/{intake}", { ...path, headers })),
    ),
  );
  const readAs = useLedgerChange((role: string) =>
    changed((headers) =>
      data(
        api.PUT("/api/studies/{study}/intakes/{intake}/role", { ...path, body: { role }, headers }),
      ),
    ),
  );
  const readIn = useLedgerChange((encoding: string) =>
    changed((headers) =>
      data(
        api.PUT("/api/studies/{study}/intakes/{intake}/encoding", {
          ...path,
          body: { encoding },
          headers,
        }),
      ),
    ),
  );
  const apart = useLedgerChange(() =>
    changed((headers) =>
      data(api.POST("/api/studies/{study}/intakes/{intake}/apart", { ...path, headers })),
    ),
  );
  // Each change goes on from the one before, even where the server has not answered that yet.
  const [draft, setDraft] = useState<Mapping | null>(null);
  const mapping = draft ?? intake.mapping;
  const remap = (next: Mapping) => {
    setDraft(next);
    map.mutate(next, { onError: () => setDraft(null) });
  };
  const asked = mapping.month_first === null && intake.two_orders.length === 3;
  const noun = NOUNS[intake.role] ?? "rows";
  const dated = intake.role === "log" || intake.role === "members";
  return (
    <section className="card p-4" aria-label={`Review of ${intake.name}`}>
      <div className="mb-3 flex items-center gap-3">
        <div className="flex-1">
          <h2 className="text-14">{intake.name}</h2>
          <p className="text-12 text-quiet">
            {intake.replaces === null && !intake.heads ? (
              <Select
                label={`What ${intake.name} is`}
                className="mr-1"
                value={intake.role}
                disabled={readAs.isPending}
                onChange={(value) => {
                  setDraft(null);
                  readAs.mutate(value);
                }}
                options={Object.entries(WHAT).map(([role, words]) => [role, words] as const)}
              />
            ) : (
              `${WHAT[intake.role] ?? intake.role}.`
            )}{" "}
            {intake.lines > 0 && intake.role !== "areas" && `About ${count(intake.lines)} rows. `}
            {intake.replaces === null
              ? "Nothing is imported yet: check how each column will be read."
              : "Until you import it again, it counts as it was read before."}
          </p>
        </div>
        <Button onClick={() => drop.mutate(undefined)}>Discard</Button>
        <Button
          kind="main"
          disabled={tally.isPending || asked || intake.lacks !== ""}
          onClick={() => tally.mutate(undefined)}
        >
          Import these {intake.lines > 0 && intake.role !== "areas" && `${count(intake.lines)} `}
          {noun}
        </Button>
      </div>
      {intake.state === "failed" && <Failed words={intake.error} />}
      {intake.lacks !== "" && (
        <p role="alert" className="mb-2 text-12 font-semibold">
          {intake.lacks}
        </p>
      )}
      {intake.notes.map((note) => (
        <p key={note} className="mb-2 text-12">
          {note}
        </p>
      ))}
      {intake.heads && (
        <p className="mb-2 text-12">
          The heads of its receipts are in <b className="font-semibold">{intake.heads}</b>; both are
          read as one.{" "}
          <button
            type="button"
            className="text-quiet underline hover:text-ink"
            onClick={() => apart.mutate(undefined)}
          >
            Read each file on its own
          </button>
        </p>
      )}
      {asked && (
        <fieldset className="mb-3 rounded-md border-2 border-ink p-3">
          <legend className="px-1 font-semibold">A question only you can answer</legend>
          <p>
            Every date of this file can be read two ways. Which day is <b>{intake.two_orders[0]}</b>
            ?
          </p>
          <div className="mt-2 flex gap-2">
            <Button onClick={() => remap({ ...mapping, month_first: false })}>
              {day(intake.two_orders[1] ?? "")}, day first
            </Button>
            <Button onClick={() => remap({ ...mapping, month_first: true })}>
              {day(intake.two_orders[2] ?? "")}, month first
            </Button>
          </div>
        </fieldset>
      )}
      <div className="overflow-x-auto">
        <table className="w-full border-collapse text-12">
          <thead>
            <tr className="text-left text-11 text-quiet">
              <th className="py-1 pr-3 font-normal">Column</th>
              <th className="py-1 pr-3 font-normal">is read as</th>
              <th className="py-1 pr-3 font-normal">because</th>
              <th className="py-1 font-normal" colSpan={3}>
                first rows, as they will be read
              </th>
            </tr>
          </thead>
          <tbody>
            {intake.columns.map((column) => (
              <tr key={column.column} className="border-t border-line">
                <td className="py-1.5 pr-3 font-semibold whitespace-nowrap">{column.column}</td>
                <td className="py-1 pr-3">
                  <Select
                    label={`How ${column.column} is read`}
                    value={column.role}
                    onChange={(value) =>
                      remap(remapped(intake.role, mapping, column.column, value))
                    }
                    className={`rounded-md border bg-card px-1.5 py-1 ${column.role === "out" ? "border-line text-quiet" : "border-quiet"}`}
                    options={intake.roles.map((role) => [role, ROLE_WORDS[role] ?? role] as const)}
                  />
                </td>
                <td className="max-w-[250px] py-1.5 pr-3 text-quiet">
                  {column.role === column.guessed ? column.reason : "your choice"}
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
        </table>
      </div>
      {intake.kind_words.length > 0 && (
        <div className="mt-3 text-12">
          <h3 className="text-13">What the words for a line mean</h3>
          <div className="mt-1 flex flex-wrap gap-x-5 gap-y-1.5">
            {intake.kind_words.map((word) => (
              <label key={word.word} className="flex items-center gap-1.5">
                <span className="font-semibold">{word.word}</span>
                <Select
                  label={`What ${word.word} means`}
                  value={word.kind}

                  onChange={(value) =>
                    remap({
                      ...mapping,
                      kinds: { ...mapping.kinds, [word.word]: value },
                    })
                  }
                  options={[
                    ["sale", "a sale"],
                    ["return", "a return"],
                    ["void", "voided"],
                    ["other", "not a sale"],
                  ]}
                />
              </label>
            ))}
          </div>
        </div>
      )}
      {intake.role === "members" && <Orders intake={intake} mapping={mapping} onChange={remap} />}
      <div className="mt-3 flex flex-wrap gap-x-5 gap-y-2 text-12">
        {intake.encodings.length > 0 && (
          <label className="flex items-center gap-2">
            Text read as
            <Select
              value={intake.encoding}
              disabled={readIn.isPending || intake.heads !== ""}
              onChange={(encoding) => {
                setDraft(null);
                readIn.mutate(encoding);
              }}
              options={intake.encodings.map((each) => [each.key, each.words] as const)}
            />
          </label>
        )}
        {intake.role === "members" && (
          <label className="flex items-center gap-1.5">
            The table speaks of
            <input
              type="date"
              value={mapping.dated || intake.received_on}
              onChange={(event) => remap({ ...mapping, dated: event.target.value })}
              className="rounded-md border border-line bg-card px-1.5 py-0.5"
            />
          </label>
        )}
        {dated && (
          <>
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={mapping.month_first ?? false}
                onChange={() => remap({ ...mapping, month_first: !mapping.month_first })}
              />
              Month before day, as 03/14/2026
            </label>
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={mapping.decimal_comma ?? false}
                onChange={() => remap({ ...mapping, decimal_comma: !mapping.decimal_comma })}
              />
              Decimal comma, as 12,50
            </label>
          </>
        )}
      </div>
    </section>
  );
}

/** Levels of categories with an order, lowest first; one is put up or down by its arrows. */
function Orders({
  intake,
  mapping,
  onChange,
}: {
  intake: Schemas["IntakeRow"];
  mapping: Mapping;
  onChange: (next: Mapping) => void;
}) {
  const levels = intake.orders;
  const ordered = intake.columns
    .map((column) => [column.column, levels[column.column] ?? []] as const)
    .filter(([, found]) => found.length > 0);
  if (ordered.length === 0) return null;
  const swap = (column: string, levels: string[], place: number, by: number) => {
    const next = [...levels];
    const [moved = ""] = next.splice(place, 1);
    next.splice(place + by, 0, moved);
    onChange({ ...mapping, orders: { ...mapping.orders, [column]: next } });
  };
  return (
    <div className="mt-3 grid gap-1.5 text-12">
      <h3 className="text-13">From low to high</h3>
      {ordered.map(([column, shown]) => {
        const levels = mapping.orders?.[column] ?? [...shown];
        return (
          <p key={column} className="flex flex-wrap items-center gap-1.5">
            <span className="font-semibold">{column}</span>
            {levels.map((level, place) => (
              <span key={level} className="flex items-center rounded-md border border-line">
                <button
                  type="button"
                  aria-label={`${level} lower`}
                  disabled={place === 0}
                  className="px-1 text-quiet disabled:opacity-30"
                  onClick={() => swap(column, levels, place, -1)}
                >
                  ‹
                </button>
                {level}
                <button
                  type="button"
                  aria-label={`${level} higher`}
                  disabled={place === levels.length - 1}
                  className="px-1 text-quiet disabled:opacity-30"
                  onClick={() => swap(column, levels, place, 1)}
                >
                  ›
                </button>
              </span>
            ))}
          </p>
        );
      })}
    </div>
  );
}
