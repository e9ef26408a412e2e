import type { Schemas } from "@/api/client";
import { count, day, money } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import type { PickedCrossing, Unit } from "@/stations/crossings";
import { rowOf } from "@/stations/crossings/figures";
import { useStudy } from "@/study/context";
import { Column, RowHead, Table } from "@/ui/table";

interface Props {
  page: Schemas["CrossingsPage"];
  step: Schemas["StepTable"];
  number: number;
  unit: Unit;
  hidden: boolean;
  picked: PickedCrossing;
  onPick: (picked: PickedCrossing) => void;
}

/** The matrix of one step: shares of each row, with what stood there at the start. */
export function Matrix({ page, step, number, unit, hidden, picked, onPick }: Props) {
  const { study } = useStudy();
  const k = page.states.length - 3;
  const rows = page.states
    .map((_, state) => state)
    .filter((state) => total(rowOf(step, unit, hidden, state)) > 0);
  const columns = page.states
    .map((_, state) => state)
    .filter(
      (state) => state < k || rows.some((row) => (rowOf(step, unit, hidden, row)[state] ?? 0) > 0),
    );
  const words = (value: number) =>
    unit === "customers" ? count(value) : money(value, study.scale, study.currency);
  return (
    <section className="card min-w-0 p-3" aria-label="Matrix">
      <div className="flex items-baseline gap-3">
        <h2 className="flex-1 text-14">
          {day(step.from_to)} → {day(step.to)}, % of each row
        </h2>
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
      </div>
      <div className="overflow-x-auto">
        <Table label="Crossings from segment to segment" className="mt-1 w-full border-collapse">
          <thead>
            <tr className="text-11 text-quiet">
              <Column className="py-1">from ↓ to →</Column>
              <Column figures className="px-2">
                at start
              </Column>
              {columns.map((state) => (
                <Column key={state} figures className="px-1" title={page.states[state]?.name}>
                  {state < k ? (
                    <SegmentMark mark={page.states[state]?.mark ?? 0} size={14} />
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
                    const share = sum ? value / sum : 0;
                    const chosen =
                      picked.step === number &&
                      picked.origin === origin &&
                      picked.target === target;
                    const stays = origin === target;
                    const said = `${state?.name} → ${page.states[target]?.name}: ${words(value)}`;
                    return (
                      <td key={target} className="p-px">
                        <button
                          type="button"
                          disabled={value === 0}
                          onClick={() => onPick({ step: number, origin, target })}
                          title={said}
                          aria-label={said}
                          className={`w-full min-w-9 px-1 py-1 text-right ${chosen ? "outline-2 outline-teal" : ""} ${stays ? "font-semibold" : ""}`}
                          style={{
                            background: value
                              ? `color-mix(in srgb, var(${stays ? "--color-everyone" : "--color-above"}) ${(stays ? 30 : Math.min(70, share * 150)).toFixed(0)}%, transparent)`
                              : undefined,
                          }}
                        >
                          {value === 0 ? "·" : share < 0.005 ? "<1" : (100 * share).toFixed(0)}
                        </button>
                      </td>
                    );
                  })}
                </tr>
              );
            })}
          </tbody>
        </Table>
      </div>
    </section>
  );
}

function total(row: number[]): number {
  return row.reduce((a, b) => a + b, 0);
}
