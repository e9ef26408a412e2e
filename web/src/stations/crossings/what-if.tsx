import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import { useMoney } from "@/study/context";
import { Button } from "@/ui/button";
import { Select } from "@/ui/select";

type Page = Schemas["AheadPage"];

/** A way that is wondered about, and the share that goes it. */
export interface Wonder {
  origin: number;
  target: number;
  rate: number;
}

/** One way's rate by hand, and what it would make of sizes and money. */
export function WhatIf({
  page,
  way,
  seen,
  touched,
  wondered,
  onWay,
  onRate,
  onBack,
}: {
  page: Page;
  way: Wonder;
  seen: number;
  touched: boolean;
  wondered: Schemas["Wondered"] | null;
  onWay: (way: { origin: number; target: number }) => void;
  onRate: (rate: number) => void;
  onBack: () => void;
}) {
  const inMoney = useMoney("short");
  const segments = page.states.length - 3;
  const options = (states: number[]) =>
    states.map((state): [string, string] => [String(state), page.states[state]?.name ?? ""]);
  const from = [...Array(segments).keys()];
  const to = [...from.filter((state) => state !== way.origin), segments + 1];
  const span = page.months === 12 ? "a year" : `in ${page.months} months`;
  return (
    <div className="mt-2 border-t border-line pt-2" role="group" aria-label="What if">
      <div className="flex flex-wrap items-center gap-2">
        <span>What if</span>
        <Mark page={page} state={way.origin} />
        <Select
          look="word"
          label="From"
          value={String(way.origin)}
          options={options(from)}
          onChange={(state) => {
            const origin = Number(state);
            onWay({ origin, target: way.target === origin ? segments + 1 : way.target });
          }}
        />
        →
        <Mark page={page} state={way.target} />
        <Select
          look="word"
          label="To"
          value={String(way.target)}
          options={options(to)}
          onChange={(state) => onWay({ origin: way.origin, target: Number(state) })}
        />
        went from <b className="font-semibold">{share(seen)}</b> to
        <input
          type="range"
          min={0}
          max={Math.min(1, Math.max(0.2, Math.ceil(20 * seen) / 10))}
          step={0.005}
          value={way.rate}
          aria-label="Share that goes this way"
          aria-valuetext={share(way.rate)}
          className="w-56 accent-teal"
          onChange={(event) => onRate(Number(event.target.value))}
        />
        <b className="w-12 font-semibold">{share(way.rate)}</b> {span}?
        {touched && (
          <Button kind="quiet" className="px-2! py-0.5!" onClick={onBack}>
            as it was
          </Button>
        )}
      </div>
      {touched && wondered && (
        <p className="mt-1" aria-live="polite">
          <Fewer page={page} wondered={wondered} />{" "}
          {wondered.money.low * wondered.money.high > 0 ? (
            <>
              worth {inMoney(Math.round(wondered.money.mean))} {span} (
              {inMoney(Math.round(wondered.money.low))} to{" "}
              {inMoney(Math.round(wondered.money.high))}).
            </>
          ) : (
            <>
              but whether that is worth money, the log cannot tell (
              {inMoney(Math.round(wondered.money.low))} to{" "}
              {inMoney(Math.round(wondered.money.high))} {span}).
            </>
          )}
        </p>
      )}
    </div>
  );
}

function Fewer({ page, wondered }: { page: Page; wondered: Schemas["Wondered"] }) {
  const { fewer, target } = wondered;
  const word = fewer.mean >= 0 ? "fewer" : "more";
  const [low, high] = [Math.abs(fewer.low), Math.abs(fewer.high)].sort((a, b) => a - b);
  return (
    <>
      <b className="font-semibold">
        {count(Math.abs(Math.round(fewer.mean)))} {word}
      </b>{" "}
      would be in {page.states[target]?.name} on {day(page.coming.at(-1) ?? "")} (
      {count(Math.round(low ?? 0))} to {count(Math.round(high ?? 0))}),
    </>
  );
}

function Mark({ page, state }: { page: Page; state: number }) {
  const mark = page.states[state]?.mark;
  return mark === null || mark === undefined ? null : <SegmentMark mark={mark} size={14} />;
}

function share(value: number): string {
  return `${(100 * value).toFixed(value < 0.1 ? 1 : 0)}%`;
}
