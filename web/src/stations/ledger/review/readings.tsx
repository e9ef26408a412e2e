import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import type { Mapping } from "@/stations/ledger/review/use-review";
import { Button } from "@/ui/button";
import { Checkbox, Input } from "@/ui/input";
import { Select } from "@/ui/select";

interface Props {
  intake: Schemas["IntakeRow"];
  mapping: Mapping;
  onChange: (next: Mapping) => void;
}

/** Whether somebody has to say which way the dates of a file are written. */
export function asksForOrder(intake: Schemas["IntakeRow"], mapping: Mapping): boolean {
  return mapping.month_first === null && intake.two_orders.length === 3;
}

/** Dates that can be read two ways: only a person can tell which is meant. */
export function DateQuestion({ intake, mapping, onChange }: Props) {
  if (!asksForOrder(intake, mapping)) return null;
  return (
    <fieldset className="mb-3 rounded-md border-2 border-ink p-3">
      <legend className="px-1 font-semibold">A question only you can answer</legend>
      <p>
        Every date of this file can be read two ways. Which day is <b>{intake.two_orders[0]}</b>?
      </p>
      <div className="mt-2 flex gap-2">
        <Button onClick={() => onChange({ ...mapping, month_first: false })}>
          {day(intake.two_orders[1] ?? "")}, day first
        </Button>
        <Button onClick={() => onChange({ ...mapping, month_first: true })}>
          {day(intake.two_orders[2] ?? "")}, month first
        </Button>
      </div>
    </fieldset>
  );
}

/** A word that is taken once it has been typed. */
function Typed({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  return (
    <Input
      key={value}
      size={12}
      maxLength={30}
      defaultValue={value}
      onBlur={(event) => {
        if (event.target.value.trim() !== value) onChange(event.target.value.trim());
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
      }}
    />
  );
}

/** How the file's cells are written: its text, its dates, its amounts, the day it speaks of. */
export function Readings({
  intake,
  mapping,
  onChange,
  onEncoding,
}: Props & { onEncoding: ((encoding: string) => void) | null }) {
  const dated = intake.role === "log" || intake.role === "members";
  return (
    <div className="mt-3 flex flex-wrap gap-x-5 gap-y-2 text-12">
      {intake.encodings.length > 0 && (
        <label className="flex items-center gap-2">
          Text read as
          <Select
            value={intake.encoding}
            disabled={!onEncoding}
            onChange={(encoding) => onEncoding?.(encoding)}
            options={intake.encodings.map((each) => [each.key, each.words] as const)}
          />
        </label>
      )}
      {intake.role === "members" && (
        <span className="flex items-center gap-1.5">
          <label className="flex items-center gap-1.5">
            Each row is a
            <Typed value={mapping.unit ?? ""} onChange={(unit) => onChange({ ...mapping, unit })} />
          </label>
          <label className="flex items-center gap-1.5">
            , several are
            <Typed
              value={mapping.units ?? ""}
              onChange={(units) => onChange({ ...mapping, units })}
            />
          </label>
        </span>
      )}
      {intake.role === "members" && (
        <label className="flex items-center gap-1.5">
          The table speaks of
          <Input
            type="date"
            value={mapping.dated || intake.received_on}
            onChange={(event) => onChange({ ...mapping, dated: event.target.value })}
          />
        </label>
      )}
      {dated && (
        <>
          <label className="flex items-center gap-1.5">
            <Checkbox
              checked={mapping.month_first ?? false}
              onChange={() => onChange({ ...mapping, month_first: !mapping.month_first })}
            />
            Month before day, as 03/14/2026
          </label>
          <label className="flex items-center gap-1.5">
            <Checkbox
              checked={mapping.decimal_comma ?? false}
              onChange={() => onChange({ ...mapping, decimal_comma: !mapping.decimal_comma })}
            />
            Decimal comma, as 12,50
          </label>
        </>
      )}
    </div>
  );
}
