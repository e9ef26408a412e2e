import { useState } from "react";
import { Link } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day, figure, money } from "@/charts/format";
import { useLens } from "@/lens/context";
import { useSavedFile } from "@/lens/use-saved-file";
import { ALL_LINES, fieldOf, nameOf } from "@/stations/ledger/picked";
import type { PickedLines } from "@/stations/ledger/picked";
import { linesOf, useLines } from "@/stations/ledger/queries";
import { Select } from "@/ui/select";
import { useStudy } from "@/study/context";
import { CustomerLink } from "@/study/customer-link";
import { fileName } from "@/ui/save";
import { Column, Table } from "@/ui/table";
import { useHere } from "@/study/address";

const PAGE = 100;

interface Props {
  picked: PickedLines;
  onPick: (picked: PickedLines) => void;
  page: Schemas["LedgerPage"];
}

/** The lines of the picked month and rule, newest first, with the reason as last column. */
export function Lines({ picked, onPick, page }: Props) {
  const { study, canChange } = useStudy();
  const search = useHere();
  const [after, setAfter] = useState(0);
  const lines = useLines(study.id, picked, after);
  const name = (key: string) => page.rules.find((rule) => rule.key === key)?.name ?? key;
  const what =
    picked.rule === "counted"
      ? "counted lines"
      : picked.rule
        ? `lines: ${name(picked.rule)}`
        : "all lines";
  const total = lines.data?.total ?? 0;
  const save = useSave();
  const lens = useLens();
  const narrow = fieldOf(picked);
  const narrowed = lens.clauses.some((clause) => clause.field === narrow);
  return (
    <div aria-label="Lines" role="region">
      <div className="flex items-baseline gap-2 px-3 pb-2 whitespace-nowrap">
        <h3 className="truncate text-13">
          {picked.when && picked.first !== null && `${nameOf(picked.when, picked.first)}, `}
          {what}
        </h3>
        <span className="flex-1 text-12 text-quiet">{count(total)}</span>
        {narrow && (
          <button
            type="button"
            aria-pressed={narrowed}
            aria-label="narrow the lens to their customers"
            title="The lens holds the customers behind these lines"
            className={`text-12 underline ${narrowed ? "font-semibold" : ""} text-teal`}
            onClick={() => lens.pick(narrow, { value: "yes" }, false)}
          >
            {narrowed ? "in the lens" : "narrow the lens"}
          </button>
        )}
        <PickBy picked={picked} onPick={onPick} names={page.names} />
        {(picked.first !== null || picked.rule || picked.by) && (
          <button
            type="button"
            className="text-12 text-quiet underline"
            onClick={() => onPick(ALL_LINES)}
          >
            all lines
          </button>
        )}
        {canChange && total > 0 && (
          <button
            type="button"
            disabled={save.isPending}
            className="text-12 text-quiet underline hover:text-ink"
            onClick={() => save.mutate(picked)}
          >
            save
          </button>
        )}
        <button
          type="button"
          aria-label="Newer lines"
          disabled={after === 0}
          className="px-1 disabled:opacity-30"
          onClick={() => setAfter(after - PAGE)}
        >
          ‹
        </button>
        <button
          type="button"
          aria-label="Older lines"
          disabled={after + PAGE >= total}
          className="px-1 disabled:opacity-30"
          onClick={() => setAfter(after + PAGE)}
        >
          ›
        </button>
      </div>
      <div className="max-h-[440px] overflow-auto">
        <Table label="Lines" className="w-full border-collapse">
          <thead className="sticky top-0 bg-card text-left text-11 text-quiet">
            <tr>
              {[
                "Date",
                "Card",
                "Item",
                "Department",
                "Pieces",
                study.currency,
                "Why it does not count",
              ].map((head, place) => (
                <Column key={head} figures={place === 4 || place === 5} className="px-2 py-1">
                  {head}
                </Column>
              ))}
            </tr>
          </thead>
          <tbody>
            {lines.data?.lines.map((line) => {
              const reasons = line.reasons.filter(
                (key) => page.rules.find((rule) => rule.key === key)?.on,
              );
              const off = line.reasons.filter((key) => !reasons.includes(key));
              return (
                <tr
                  key={`${line.intake}:${line.number}`}
                  className={`border-t border-line ${reasons.length ? "text-quiet" : ""}`}
                >
                  <td
                    className="px-2 py-1 whitespace-nowrap"
                    title={`line ${count(line.number)} of the file, ${line.time}`}
                  >
                    <Link
                      to={{ pathname: `/study/${study.id}/receipt/${line.receipt}`, search }}
                      className="hover:underline"
                    >
                      {line.day ? day(line.day) : (line.unread.moment ?? "none")}
                    </Link>
                  </td>
                  <td className="px-2 py-1 whitespace-nowrap">
                    {line.customer === null ? (
                      "–"
                    ) : (
                      <CustomerLink number={line.customer}>{line.card}</CustomerLink>
                    )}
                  </td>
                  <td className="px-2 py-1">{line.item || "–"}</td>
                  <td className="max-w-[120px] truncate px-2 py-1">{line.department || "–"}</td>
                  <td className="px-2 py-1 text-right">{figure(line.quantity)}</td>
                  <td className="px-2 py-1 text-right">
                    {line.unread.money ?? money(line.money, study.scale, "", false)}
                  </td>
                  <td className="px-2 py-1">
                    {reasons.map(name).join(", ") || (
                      <span className="text-quiet">
                        {off.map(name).join(", ")
                          ? `counts (${off.map(name).join(", ").toLowerCase()})`
                          : "counts"}
                      </span>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </Table>
        {lines.data && lines.data.lines.length === 0 && (
          <p className="p-4 text-quiet">No matching lines.</p>
        )}
        {lines.isError && <p className="p-4 text-alarm">{lines.error.message}</p>}
      </div>
    </div>
  );
}

/** Only the lines of one department, site or channel. */
function PickBy({
  picked,
  onPick,
  names,
}: Pick<Props, "picked" | "onPick"> & { names: Record<string, string[]> }) {
  const columns = Object.entries(names);
  if (columns.length === 0) return null;
  return (
    <Select
      label="Only lines of"
      value={picked.by ? `${picked.by}:${picked.number}` : ""}
      onChange={(value) => {
        const [by = "", number = "0"] = value.split(":");
        onPick({ ...picked, by, number: Number(number) });
      }}
      className="w-[96px] text-12"
      options={[["", "of any kind"]]}
      groups={columns.map(
        ([column, found]) =>
          [column, found.map((name, number) => [`${column}:${number}`, name] as const)] as const,
      )}
    />
  );
}

/** The lines of this choice as a file, each with the reason why it does not count. */
function useSave() {
  const { study } = useStudy();
  return useSavedFile(
    (picked: PickedLines) =>
      data(
        api.POST("/api/studies/{study}/ledger/lines/file", {
          params: { path: { study: study.id }, query: linesOf(picked) },
        }),
      ),
    (row) => `${count(row.rows)} lines are saved. That stays on record.`,
    (picked) => fileName(`lines ${picked.rule}`.trim(), "csv"),
  );
}
