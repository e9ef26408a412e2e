import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { percent, unitWords } from "@/charts/format";
import { Histogram, LevelBars } from "@/lens/bars";
import { included, place, rangeClause, upTo } from "@/lens/clauses";
import type { Clause, Range } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { FindList } from "@/ui/find-list";
import { Input } from "@/ui/input";

/** From so many values on they are looked for by typing. */
const MANY = 9;

/** A field's clause changed: by its bars, by any of its values, or by a range that is typed. */
export function ChangeClause({ field }: { field: string }) {
  const { study, view } = useStudy();
  const lens = useLens();
  const chart = useQuery({
    queryKey: ["study", study.id, "lens", view, lens.digest, field],
    queryFn: () =>
      data(
        api.POST("/api/studies/{study}/lens", {
          params: { path: { study: study.id }, query: view },
          body: { clauses: lens.clauses, charts: [field], preview: null, spend: "" },
        }),
      ),
    placeholderData: (before) => before,
  });
  const row = lens.fields.find((each) => each.field === field);
  const bars = chart.data?.charts[0];
  if (chart.isError) return <p className="text-alarm">{chart.error.message}</p>;
  if (!bars || !row) return null;
  if (bars.edges.length > 0)
    return (
      <>
        <Histogram chart={bars} />
        <p className="mt-1 text-11 text-quiet">Pick a bar, Shift-pick adds, drag takes a range.</p>
        <TypedRange key={lens.digest} row={row} />
      </>
    );
  return bars.levels.length < MANY ? <LevelBars chart={bars} /> : <AnyValue chart={bars} />;
}

/** Any value of a category, found by typing part of it; several can be picked. */
function AnyValue({ chart }: { chart: Schemas["BarChart"] }) {
  const lens = useLens();
  const own = lens.clauses.find((clause) => clause.field === chart.field)?.values ?? [];
  const whole = chart.everyone.reduce((sum, each) => sum + each, chart.everyone_missing);
  const items = chart.levels.map((level, place) => ({
    level,
    name: chart.labels[place] ?? level,
    share: percent(chart.everyone[place] ?? 0, whole, 0),
  }));
  return (
    <FindList
      label={`Find a value of ${chart.label}`}
      placeholder={`Values of ${chart.label}`}
      items={items}
      keyOf={(item) => item.level}
      wordsOf={(item) => item.name}
      picked={(item) => own.includes(item.level)}
      onPick={(item) => lens.pick(chart.field, { value: item.level }, true)}
    >
      {(item) => (
        <span
          className={`flex flex-1 justify-between gap-2 ${own.includes(item.level) ? "font-semibold text-teal" : ""}`}
        >
          <span className="truncate">{item.name}</span>
          <span className="text-quiet">{item.share}</span>
        </span>
      )}
    </FindList>
  );
}

const DAY = 86_400_000;

/** What is typed as a field's own number, and back: shares in per cent, dates as days. */
function typing(unit: string) {
  if (unit === "date")
    return {
      type: "date",
      read: (text: string) => new Date(`${text}T00:00:00Z`).getTime() / DAY,
      write: (value: number) => new Date(value * DAY).toISOString().slice(0, 10),
    };
  const times = unit === "share" ? 100 : 1;
  return {
    type: "number",
    read: (text: string) => Number(text) / times,
    write: (value: number) => String(Number((value * times).toPrecision(12))),
  };
}

/** At least, at most, or between: the ends are typed, and both are included. */
function TypedRange({ row }: { row: Schemas["FieldRow"] }) {
  const { study } = useStudy();
  const lens = useLens();
  const own = lens.clauses.find((clause) => clause.field === row.field);
  const [only] = own?.ranges ?? [];
  const { type, read, write } = typing(row.unit);
  const [low, setLow] = useState(only?.[0] == null ? "" : write(only[0]));
  const [high, setHigh] = useState(only?.[1] == null ? "" : write(included(only[1]) ?? only[1]));
  const wanted: Range = [low === "" ? null : read(low), high === "" ? null : upTo(read(high))];
  const [from, to] = wanted;
  const wrong = from !== null && to !== null && from >= to;
  const clause: Clause = { ...rangeClause(row.field, wanted), negated: own?.negated ?? false };
  const unit = row.unit === "share" ? "%" : unitWords(row.unit, study.currency);
  return (
    <form
      className="mt-2 grid grid-cols-[1fr_1fr_auto] items-end gap-1.5 text-12"
      onSubmit={(event) => {
        event.preventDefault();
        lens.set(place(lens.clauses, clause));
      }}
    >
      <label className="grid min-w-0 gap-0.5">
        at least
        <Input
          type={type}
          step="any"
          className="w-full min-w-0"
          value={low}
          onChange={(event) => setLow(event.target.value)}
        />
      </label>
      <label className="grid min-w-0 gap-0.5">
        at most
        <Input
          type={type}
          step="any"
          className="w-full min-w-0"
          value={high}
          onChange={(event) => setHigh(event.target.value)}
        />
      </label>
      <Button type="submit" disabled={wrong || (from === null && to === null)}>
        Set
      </Button>
      {wrong ? (
        <p role="alert" className="col-span-3 text-alarm">
          The range ends before it begins.
        </p>
      ) : (
        unit && unit !== "date" && <p className="col-span-3 text-11 text-quiet">in {unit}</p>
      )}
    </form>
  );
}
