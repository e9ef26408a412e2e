import { useState } from "react";

import { Button } from "@/ui/button";
import { Input } from "@/ui/input";
import { Select } from "@/ui/select";

const SERIES = [
  ["year", "a year apart"],
  ["years", "year by year"],
  ["half-year", "half-year by half-year"],
  ["quarter", "quarter by quarter"],
  ["month", "month by month"],
  ["own", "dates of your own"],
] as const;
type Series = (typeof SERIES)[number][0];
const MOST = 36;

interface Props {
  by: string;
  /** The dates on the screen, from which those of one's own begin. */
  dates: string[];
  onBy: (by: string) => void;
}

/** Which dates are compared: a step between them, or days one by one. */
export function Dates({ by, dates, onBy }: Props) {
  const named = SERIES.find(([key]) => key === by)?.[0] ?? "own";
  const [open, setOpen] = useState(false);
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="flex items-center gap-1.5 text-12">
        <span className="text-quiet" aria-hidden>
          dates
        </span>
        <Select<Series>
          label="Dates"
          value={open ? "own" : named}
          options={SERIES}
          onChange={(next) => {
            setOpen(next === "own");
            if (next !== "own") onBy(next);
          }}
        />
      </span>
      {(open || named === "own") && (
        <Own
          key={by}
          dates={dates}
          onCompare={(days) => {
            setOpen(false);
            onBy(days.join(","));
          }}
        />
      )}
    </div>
  );
}

function Own({ dates, onCompare }: { dates: string[]; onCompare: (days: string[]) => void }) {
  const [days, setDays] = useState(dates.length > 1 ? dates : [...dates, ""]);
  const whole = [...new Set(days.filter(Boolean))].sort();
  return (
    <form
      className="flex flex-wrap items-center gap-1.5 text-12"
      aria-label="Dates of your own"
      onSubmit={(event) => {
        event.preventDefault();
        onCompare(whole);
      }}
    >
      {days.map((each, place) => (
        <span key={place} className="flex items-center">
          <Input
            type="date"
            aria-label={`Date ${place + 1}`}
            value={each}
            onChange={(event) =>
              setDays(days.map((day, at) => (at === place ? event.target.value : day)))
            }
          />
          {days.length > 2 && (
            <Button
              kind="quiet"
              className="min-h-[24px] min-w-[24px] px-1.5! py-0.5!"
              aria-label={`Leave out date ${place + 1}`}
              onClick={() => setDays(days.filter((_, at) => at !== place))}
            >
              ×
            </Button>
          )}
        </span>
      ))}
      {days.length < MOST && (
        <Button className="px-2! py-0.5!" onClick={() => setDays([...days, ""])}>
          + date
        </Button>
      )}
      <Button type="submit" className="px-2! py-0.5!" disabled={whole.length < 2}>
        Compare
      </Button>
    </form>
  );
}
