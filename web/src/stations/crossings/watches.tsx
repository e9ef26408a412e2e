import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import { rangeWords } from "@/stations/crossings/figures";
import { useWatching } from "@/stations/crossings/use-watching";
import { FiresForm } from "@/stations/crossings/watch-this";
import { useStudy } from "@/study/context";
import { StatusBanner } from "@/study/status-banner";
import { Button } from "@/ui/button";
import { Failed } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";

type Row = Schemas["WatchRow"];
type Reading = Schemas["ReadingRow"];

/** What is watched: each date at which it was read, and whether it fired. */
export function Watches() {
  const { study, canChange } = useStudy();
  const { drop } = useWatching();
  const watches = useQuery({
    queryKey: ["study", study.id, "watches"],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/watches", {
          params: { path: { study: study.id } },
          signal,
        }),
      ),
  });
  if (watches.isPending) return null;
  if (watches.isError) return <Failed words={watches.error.message} />;
  const { rows, status, retired } = watches.data;
  if (rows.length === 0 && retired === 0) return null;
  return (
    <section className="card min-w-0 p-3" aria-label="Watches">
      <h2 className="text-14">Watched</h2>
      {status.state !== "empty" && <StatusBanner status={status} />}
      {rows.length > 0 && (
        <Table label="Watches" className="mt-1 w-full">
          <thead>
            <tr className="text-11 text-quiet">
              <Column>what</Column>
              <Column>fires</Column>
              <Column>read at each date</Column>
              <Column figures>last</Column>
              <Column className="pl-3">
                <span className="sr-only">state</span>
              </Column>
              {canChange && (
                <Column>
                  <span className="sr-only">change</span>
                </Column>
              )}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.id} className="border-t border-line">
                <RowHead className="py-1 pr-3">{row.name}</RowHead>
                <td className="pr-3 text-quiet">{ruleWords(row)}</td>
                <td>
                  <Readings row={row} />
                </td>
                <Last reading={row.readings.at(-1)} />
                {canChange && (
                  <td className="text-right whitespace-nowrap">
                    <Change row={row} />
                    <Button
                      kind="quiet"
                      className="min-h-[24px] min-w-[24px] px-1.5! py-0.5!"
                      aria-label={`Watch ${row.name} no longer`}
                      onClick={() => drop.mutate(row)}
                    >
                      ×
                    </Button>
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      {retired > 0 && (
        <p className="mt-1.5 text-11 text-quiet">
          {retired === 1 ? "One watch speaks" : `${retired} watches speak`} of groups that are no
          longer in use, and {retired === 1 ? "is" : "are"} not read.
        </p>
      )}
    </section>
  );
}

function ruleWords(row: Row): string {
  if (row.rule === "beyond chance")
    return row.kind === "size" ? "beyond chance, either way" : "beyond chance";
  return `${row.rule === "at least" ? "from" : "down to"} ${count(row.number ?? 0)} customers`;
}

function Last({ reading }: { reading: Reading | undefined }) {
  if (!reading)
    return (
      <td colSpan={2} className="pl-3 text-right text-quiet">
        not read yet
      </td>
    );
  if (reading.customers === null)
    return (
      <td colSpan={2} className="pl-3 text-right text-quiet">
        {reading.words}
      </td>
    );
  return (
    <>
      <td className="text-right whitespace-nowrap">
        <b className="font-semibold">{count(reading.customers)}</b>
        {reading.low !== null && reading.high !== null && (
          <span className="text-quiet">
            {reading.seen !== reading.customers && `, of ${count(reading.seen ?? 0)} told`}, chance{" "}
            {rangeWords({ mean: 0, low: reading.low, high: reading.high })}
          </span>
        )}
      </td>
      <td className="pl-3 whitespace-nowrap">
        {reading.fired ? (
          <span className="font-semibold text-above">fired {day(reading.to)}</span>
        ) : (
          <span className="text-quiet">quiet {day(reading.to)}</span>
        )}
      </td>
    </>
  );
}

const STEP = 14;

/** A dot a date: full where it fired, a ring where it did not, a line where nothing was read. */
function Readings({ row }: { row: Row }) {
  const said = row.readings
    .map((each) => `${day(each.to)}: ${each.words || `${count(each.customers ?? 0)} customers`}`)
    .join("; ");
  return (
    <span title={said}>
      <Glyph width={Math.max(1, row.readings.length) * STEP} height={16}>
        {row.readings.map((each, place) => {
          const x = STEP * (place + 0.5);
          return each.customers === null ? (
            <line
              key={each.to}
              x1={x - 4}
              x2={x + 4}
              y1={8}
              y2={8}
              stroke="var(--color-quiet)"
              strokeDasharray="2 2"
            />
          ) : (
            <circle
              key={each.to}
              cx={x}
              cy={8}
              r={4.2}
              fill={each.fired ? "var(--color-above)" : "var(--color-card)"}
              stroke={each.fired ? "var(--color-above)" : "var(--color-quiet)"}
              strokeWidth={1.4}
            />
          );
        })}
      </Glyph>
    </span>
  );
}

function Change({ row }: { row: Row }) {
  const [open, setOpen] = useState(false);
  const { change } = useWatching();
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button
          kind="quiet"
          className="min-h-[24px] min-w-[24px] px-1.5! py-0.5!"
          aria-label={`Change ${row.name}`}
        >
          change
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label={`Change ${row.name}`}
          className="card z-40 w-80 p-3 shadow-lg"
        >
          <FiresForm
            begin={{
              name: row.name,
              rule: row.rule,
              number: row.number ?? row.readings.at(-1)?.customers ?? null,
            }}
            told={row.told}
            size={row.kind === "size"}
            words="Change"
            busy={change.isPending}
            onDone={(body) => change.mutate({ row, body }, { onSuccess: () => setOpen(false) })}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
