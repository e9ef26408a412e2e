import { Popover } from "radix-ui";

import { count, figure, inUnit } from "@/charts/format";
import { heads } from "@/stations/scores/heads";
import { measuresOf } from "@/stations/scores/use-scores";
import type { Banded, MeasureDraft, Page } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";
import { Switch } from "@/ui/switch";
import { Select } from "@/ui/select";
import { Input } from "@/ui/input";
import { RowHead, Table } from "@/ui/table";

const CUTS = [
  ["equal customers", "equal numbers of customers"],
  ["equal widths", "equal widths"],
  ["own cuts", "own cuts"],
] as const;
const MOST = 8;

interface Props {
  page: Page;
  onMeasures: (next: (measures: MeasureDraft[]) => MeasureDraft[], words: string) => void;
  onGaps: (close: boolean) => void;
}

/** The measures that are scored, each with its bands, direction and weight. */
export function MeasureChips({ page, onMeasures, onGaps }: Props) {
  const { canChange } = useStudy();
  const drafts = measuresOf(page);
  const free = page.scorable.filter((each) => !drafts.some((draft) => draft.name === each.name));
  return (
    <div className="flex flex-wrap items-center gap-2" aria-label="Scored measures" role="group">
      {page.measures.map((measure) => (
        <Popover.Root key={measure.name}>
          <Popover.Trigger className="card flex items-baseline gap-1.5 px-2.5 py-1 hover:border-quiet">
            <b className="font-semibold">{measure.label}</b>
            <span className="text-12 text-quiet">
              {measure.bands.length} bands
              {measure.weight !== 1 && ` × ${figure(measure.weight)}`}
              {measure.empty > 0 && <span className="text-below"> · {measure.empty} lost</span>}
            </span>
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content
              align="start"
              sideOffset={4}
              className="card z-40 w-[340px] max-w-[94vw] p-3 shadow-lg"
            >
              <MeasureMenu
                measure={measure}
                of={page.of}
                last={drafts.length === 1}
                onChange={(change, words) =>
                  onMeasures(
                    (now) =>
                      now.map((draft) =>
                        draft.name === measure.name ? { ...draft, ...change } : draft,
                      ),
                    words,
                  )
                }
                onDrop={() =>
                  onMeasures(
                    (now) => now.filter((draft) => draft.name !== measure.name),
                    `${measure.label} is no longer scored.`,
                  )
                }
              />
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      ))}
      {canChange && free.length > 0 && drafts.length < MOST && (
        <Select
          label="Score another measure"
          className="text-12"
          look="add"
          value=""
          onChange={(value) => {
            const picked = free.find((each) => each.name === value);
            if (picked)
              onMeasures(
                (now) => [
                  ...now,
                  {
                    name: picked.name,
                    higher_is_better: null,
                    bands: 5,
                    weight: 1,
                    cut: "equal customers",
                    own: [],
                  },
                ],
                `${picked.label} is scored as well.`,
              );
          }}
          options={[["", "+ measure"], ...free.map((each) => [each.name, each.label] as const)]}
        />
      )}
      {(page.draft.close_gaps || page.measures.some((measure) => measure.empty > 0)) && (
        <span className="flex items-center gap-1.5 text-12">
          <Switch
            on={page.draft.close_gaps}
            label="Close the gaps"
            disabled={!canChange}
            onChange={onGaps}
          />
          close the gaps
        </span>
      )}
    </div>
  );
}

/** Why bands are not as asked for, in words; empty where they are. */
export function lost(measure: Banded, currency: string, of: string): string {
  if (!measure.lopsided) return "";
  const value =
    measure.tied === null
      ? ""
      : ` ${heads(measure.tied_customers, of)} share ${inUnit(measure.tied, measure.unit, currency)}`;
  const why = measure.cut === "equal customers" ? `${value}, and equal values are never split` : "";
  return measure.empty > 0
    ? `${measure.empty} of ${measure.bands.length} bands stay empty:${why || " nobody's value lies there"}.`
    : `Bands differ in size${why ? `:${why}` : " as the values do"}.`;
}

interface MenuProps {
  measure: Banded;
  /** The trait whose levels are scored; empty for customers. */
  of: string;
  last: boolean;
  onChange: (change: Partial<MeasureDraft>, words: string) => void;
  onDrop: () => void;
}

function MeasureMenu({ measure, of, last, onChange, onDrop }: MenuProps) {
  const { canChange, study } = useStudy();
  const span = (low: number | null, high: number | null) =>
    low === null
      ? "nobody"
      : low === high
        ? inUnit(low, measure.unit, study.currency)
        : `${inUnit(low, measure.unit, study.currency)} to ${inUnit(high, measure.unit, study.currency)}`;
  const label = measure.label;
  return (
    <div className="grid gap-2.5">
      <p className="text-12 text-quiet">{measure.definition}</p>
      <fieldset disabled={!canChange} className="grid gap-2 text-12">
        <label className="flex items-center justify-between">
          Bands
          <Input
            type="number"
            min={2}
            max={10}
            key={measure.asked}
            defaultValue={measure.asked}
            disabled={measure.cut === "own cuts"}
            className="w-16 text-13"
            onChange={(event) => {
              const bands = Number(event.target.value);
              if (Number.isInteger(bands) && bands >= 2 && bands <= 10)
                onChange({ bands }, `${label} has ${bands} bands.`);
            }}
          />
        </label>
        <label className="flex items-center justify-between">
          Cut into
          <Select
            value={measure.cut}
            className="text-13"
            onChange={(value) => {
              const cut = value;
              onChange(
                { cut, own: cut === "own cuts" ? measure.cuts : [] },
                `${label} is cut into ${value}.`,
              );
            }}
            options={CUTS}
          />
        </label>
        {measure.cut === "own cuts" && <OwnCuts measure={measure} onChange={onChange} />}
        <span className="flex items-center justify-between">
          More is better
          <Switch
            on={measure.higher_is_better}
            label={`More ${label} is better`}
            onChange={(higher_is_better) =>
              onChange(
                { higher_is_better },
                `${label}: ${higher_is_better ? "more" : "less"} is better.`,
              )
            }
          />
        </span>
        <label className="flex items-center justify-between">
          Weight in the total
          <Input
            type="number"
            min={0}
            max={100}
            step={0.5}
            key={measure.weight}
            defaultValue={measure.weight}
            className="w-16 text-13"
            onBlur={(event) => {
              const weight = Number(event.target.value);
              if (weight !== measure.weight && weight >= 0)
                onChange({ weight }, `${label} weighs ${weight}.`);
            }}
          />
        </label>
      </fieldset>
      <Table label={`Bands of ${measure.label}`} className="w-full">
        <tbody>
          {[...measure.bands].reverse().map((band) => (
            <tr key={band.band} className="border-t border-line">
              <RowHead strong className="w-6 py-0.5">
                {band.band}
              </RowHead>
              <td className="text-quiet">{span(band.low, band.high)}</td>
              <td className="text-right">{count(band.customers)}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      {measure.lopsided && (
        <p className="text-12 text-quiet">{lost(measure, study.currency, of)}</p>
      )}
      {measure.missing > 0 && (
        <p className="text-12 text-quiet">
          {count(measure.missing)} lack it: no band, no code, no total.
        </p>
      )}
      {canChange && !last && (
        <button type="button" className="justify-self-start text-12 underline" onClick={onDrop}>
          Remove from the scores
        </button>
      )}
    </div>
  );
}

/** The cuts as figures, for those who have them written down. */
function OwnCuts({ measure, onChange }: Pick<MenuProps, "measure" | "onChange">) {
  return (
    <label className="grid gap-1">
      <span className="text-quiet">Cut points, separated by spaces</span>
      <Input
        key={measure.cuts.join(" ")}
        defaultValue={measure.cuts.join(" ")}
        className="text-13"
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
        }}
        onBlur={(event) => {
          const own = event.target.value.trim().split(/\s+/).map(Number).filter(Number.isFinite);
          const rising = [...new Set(own)].sort((a, b) => a - b);
          if (rising.length > 0 && rising.length <= 9 && rising.join() !== measure.cuts.join())
            onChange(
              { own: rising, cut: "own cuts" },
              `${measure.label} has ${rising.length + 1} bands.`,
            );
        }}
      />
    </label>
  );
}
