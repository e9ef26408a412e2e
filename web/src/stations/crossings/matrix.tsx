import type { Schemas } from "@/api/client";
import { count, day, money } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import type { PickedCrossing, Unit } from "@/stations/crossings/picked";
import {
  beyond,
  cellOf,
  chanceOf,
  rangeWords,
  rowOf,
  verdictOf,
} from "@/stations/crossings/figures";
import { useStudy } from "@/study/context";
import { Select } from "@/ui/select";
import { Column, RowHead, Table } from "@/ui/table";

/** Of more steps than these one is chosen from a list. */
const FEW = 4;

interface Props {
  page: Schemas["CrossingsPage"];
  step: Schemas["StepTable"];
  number: number;
  unit: Unit;
  hidden: boolean;
  picked: PickedCrossing;
  onPick: (picked: PickedCrossing, more?: boolean) => void;
  /** Look at those of a segment who have gone silent by the later date. */
  onSilent: (state: number) => void;
}

/** The matrix of one step: shares of each row, with what stood there at the start. */
export function Matrix({ page, step, number, unit, hidden, picked, onPick, onSilent }: Props) {
  const { study } = useStudy();
  const k = page.states.length - 3;
  const rows = page.states
    .map((_, state) => state)
    .filter((state) => total(step.customers[state] ?? []) > 0);
  const columns = page.states
    .map((_, state) => state)
    .filter((state) => state < k || rows.some((row) => (step.customers[row]?.[state] ?? 0) > 0));
  const told = step.chance.moves.length > 0;
  const silent = page.dates.find((date) => date.to === step.to)?.silent;
  const words = (value: number) =>
    unit === "customers" ? count(value) : money(value, study.scale, study.currency);
  const most = Math.max(
    1,
    ...rows.flatMap((origin) => columns.map((target) => beyond(step, origin, target))),
  );
  return (
    <section className="card min-w-0 p-3" aria-label="Matrix">
      <div className="flex items-baseline gap-3">
        <h2 className="flex-1 text-14">
          {page.steps.length <= FEW && `${day(step.from_to)} → ${day(step.to)}, `}
          {unit === "change"
            ? "change of spend"
            : unit === "spend"
              ? "% of spend before"
              : "% of each row"}
        </h2>
        {page.steps.length > FEW ? (
          <Select
            label="Step"
            value={String(number)}
            options={page.steps.map((other, place): [string, string] => [
              String(place),
              `${day(other.from_to)} → ${day(other.to)}`,
            ])}
            onChange={(place) => onPick({ ...picked, step: Number(place) })}
          />
        ) : (
          <span className="flex gap-1">
            {page.steps.map((other, place) => (
              <button
                key={other.to}
                type="button"
                aria-pressed={place === number}
                onClick={() => onPick({ ...picked, step: place })}
                className={`rounded border px-1.5 text-11 ${place === number ? "border-ink" : "border-line text-quiet"}`}
              >
                to {day(other.to).slice(0, -5)}
              </button>
            ))}
          </span>
        )}
      </div>
      <div className="overflow-x-auto">
        <Table label="Crossings from segment to segment" className="mt-1 w-full border-collapse">
          <thead>
            <tr className="text-11 text-quiet">
              <Column className="py-1">from ↓ to →</Column>
              <Column figures className="px-2">
                {unit === "change" ? "together" : "at start"}
              </Column>
              {columns.map((state) => (
                <Column
                  key={state}
                  figures
                  className="px-1"
                  title={page.states[state]?.name}
                  aria-label={page.states[state]?.name}
                >
                  {state < k ? (
                    <span className="flex justify-end">
                      <SegmentMark mark={page.states[state]?.mark ?? 0} size={14} />
                    </span>
                  ) : (
                    page.states[state]?.short
                  )}
                </Column>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((origin) => {
              const row = rowOf(step, unit, hidden, origin);
              const sum = total(row);
              const state = page.states[origin];
              return (
                <tr key={origin} className="border-t border-line">
                  <RowHead className="max-w-[150px] truncate py-1">
                    <span className="inline-flex items-center gap-1.5">
                      {state?.mark !== null && <SegmentMark mark={state?.mark ?? 0} size={14} />}
                      {state?.name}
                    </span>
                  </RowHead>
                  <td className="px-2 text-right text-quiet">{words(sum)}</td>
                  {columns.map((target) => {
                    const value = row[target] ?? 0;
                    const crossed = cellOf(step, "customers", hidden, origin, target);
                    const share = sum ? value / sum : 0;
                    const chosen =
                      picked.step === number &&
                      picked.origin === origin &&
                      picked.target === target;
                    const stays = origin === target;
                    const chance = chanceOf(step, origin, target);
                    const verdict = verdictOf(step, origin, target);
                    const against = chance && !stays ? `; chance ${rangeWords(chance)}` : "";
                    const said = `${state?.name} → ${page.states[target]?.name}: ${words(value)}${against}`;
                    return (
                      <td key={target} className="p-px">
                        <button
                          type="button"
                          disabled={crossed === 0}
                          onClick={(event) =>
                            onPick({ step: number, origin, target }, event.shiftKey)
                          }
                          title={said}
                          aria-label={said}
                          data-verdict={verdict}
                          className={`w-full min-w-9 px-1 py-1 text-right ${chosen ? "outline-2 outline-teal" : ""} ${stays ? "font-semibold" : told && verdict !== "more" ? "text-quiet" : ""}`}
                          style={{
                            background: tint(
                              stays,
                              told,
                              beyond(step, origin, target) / most,
                              share,
                            ),
                          }}
                        >
                          {crossed === 0
                            ? "·"
                            : unit === "change"
                              ? words(value)
                              : share < 0.005
                                ? "<1"
                                : (100 * share).toFixed(0)}
                        </button>
                      </td>
                    );
                  })}
                </tr>
              );
            })}
          </tbody>
          {unit === "customers" && (
            <tfoot className="text-quiet">
              <tr className="border-t-2 border-line">
                <RowHead className="py-1">at the end</RowHead>
                <td />
                {columns.map((target) => (
                  <td key={target} className="px-1 text-right">
                    {count(atEnd(step, target))}
                  </td>
                ))}
              </tr>
              <tr>
                <RowHead className="py-1">came less went</RowHead>
                <td />
                {columns.map((target) => (
                  <td key={target} className="px-1 text-right">
                    {signed(atEnd(step, target) - total(step.customers[target] ?? []))}
                  </td>
                ))}
              </tr>
              {silent && silent.some((many) => many > 0) && (
                <tr>
                  <RowHead className="py-1">gone silent</RowHead>
                  <td />
                  {columns.map((target) => (
                    <td key={target} className="p-px text-right">
                      {target < k && (silent[target] ?? 0) > 0 ? (
                        <button
                          type="button"
                          className="w-full px-1 text-right hover:underline"
                          aria-label={`${count(silent[target] ?? 0)} of ${page.states[target]?.name} have gone silent`}
                          onClick={() => onSilent(target)}
                        >
                          {count(silent[target] ?? 0)}
                        </button>
                      ) : (
                        ""
                      )}
                    </td>
                  ))}
                </tr>
              )}
            </tfoot>
          )}
        </Table>
      </div>
      <p className="mt-1.5 text-11 text-quiet">
        {told
          ? "Violet: more crossed than chance would move. Quiet: no more than chance makes, or chance has no figure. Grey: stayed."
          : page.only !== null && page.only !== undefined
            ? "Shares of each row, of the customers of the lens alone."
            : "Shares of each row; how much of it is chance is being told."}
        {silent &&
          " Gone silent: away longer than three of their own usual gaps. Of customers who never change, 27 in 100 are at any time where they come 4 times a year, 17 where they come 12 times, 4 where they come 40."}
      </p>
    </section>
  );
}

/** Customers in a state at the later date. */
function atEnd(step: Schemas["StepTable"], target: number): number {
  return total(step.customers.map((row) => row[target] ?? 0));
}

function signed(value: number): string {
  return value === 0 ? "0" : `${value > 0 ? "+" : "−"}${count(Math.abs(value))}`;
}

/** Only what lies beyond chance has a colour; before chance is told, nothing has. */
function tint(stays: boolean, told: boolean, extra: number, share: number): string | undefined {
  const mix = (token: string, percent: number) =>
    `color-mix(in srgb, var(${token}) ${percent.toFixed(0)}%, transparent)`;
  if (stays) return share > 0 ? mix("--color-everyone", 30) : undefined;
  return told && extra > 0 ? mix("--color-above", 15 + 50 * extra) : undefined;
}

function total(row: number[]): number {
  return row.reduce((a, b) => a + b, 0);
}
