import { scaleLinear } from "d3-scale";

import type { Schemas } from "@/api/client";
import { count, dayOfNumber, money, month } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { ALL_LINES, monthOf, nameOf, STEPS } from "@/stations/ledger/picked";
import type { PickedLines, Step } from "@/stations/ledger/picked";
import { texture, TextureDefs } from "@/stations/ledger/textures";
import { useStudy } from "@/study/context";
import { useWidth } from "@/ui/use-width";

const ABOVE = 124;
const BELOW = 58;
const AXIS = 20;
const LEFT = 64;
const HEIGHT = 10 + ABOVE + AXIS + BELOW + 10;

interface Props {
  page: Schemas["LedgerPage"];
  unit: "money" | "lines";
  picked: PickedLines;
  onPick: (picked: PickedLines) => void;
  step: Step;
  /** Go by another step, or show the days about this one. */
  onStep: (step: Step, around: number | null) => void;
}

/** Months, weeks or days on a thread: what counts above the line, what was set aside below. */
export function Waterline({ page, unit, picked, onPick, step, onStep }: Props) {
  const { study } = useStudy();
  const [box, width] = useWidth<HTMLDivElement>(960);
  const steps = page.steps;
  if (!steps) return null;
  const shown = steps.step as Step;
  const counted = unit === "money" ? steps.counted_money : steps.counted_lines;
  const aside = unit === "money" ? steps.aside_money : steps.aside_lines;
  const tried =
    page.preview && (unit === "money" ? page.preview.counted_money : page.preview.counted_lines);
  const wide = (width - LEFT - 12) / Math.max(1, steps.starts.length);
  const gap = wide > 8 ? 2 : wide > 3 ? 0.75 : 0.25;
  const up = scaleLinear([0, Math.max(1, ...counted, ...(tried ?? []))], [0, ABOVE]).nice(3);
  const stacks = steps.starts.map((_, m) =>
    aside.reduce((sum, rule) => sum + Math.abs(rule[m] ?? 0), 0),
  );
  const down = scaleLinear([0, Math.max(1, ...stacks)], [0, BELOW]).nice(2);
  const line = 10 + ABOVE;
  const words = (value: number) =>
    unit === "money" ? money(value, study.scale, study.currency) : count(value);
  const chosen = (start: number, rule: string) => picked.first === start && picked.rule === rule;
  const pick = (start: number, rule: string) =>
    onPick(
      chosen(start, rule)
        ? ALL_LINES
        : {
            ...picked,
            first: start,
            last: steps.ends[steps.starts.indexOf(start)] ?? start,
            rule,
            when: shown,
          },
    );
  const act = (start: number, rule: string, label: string) =>
    pickable({ label, pressed: chosen(start, rule), onPick: () => pick(start, rule) });
  return (
    <section className="card p-3 pb-1" aria-label="The waterline">
      <div className="-mb-1 flex items-center gap-3 text-12">
        <div role="group" aria-label="How long a bar is" className="ml-[64px] flex gap-3">
          {STEPS.map((each) => (
            <button
              key={each}
              type="button"
              aria-pressed={step === each}
              onClick={() => onStep(each, picked.first)}
              className={
                step === each
                  ? "border-b-2 border-ink font-semibold"
                  : "border-b-2 border-transparent text-quiet hover:text-ink"
              }
            >
              by {each}
            </button>
          ))}
        </div>
        {(steps.earlier || steps.later) && (
          <span className="ml-auto flex items-center gap-2 pr-3">
            <button
              type="button"
              aria-label="Earlier days"
              disabled={!steps.earlier}
              className="px-1 disabled:opacity-30"
              onClick={() => onStep(step, (steps.starts[0] ?? 0) - 1)}
            >
              ‹
            </button>
            {dayOfNumber(steps.starts[0] ?? 0)} to{" "}
            {dayOfNumber(steps.starts[steps.starts.length - 1] ?? 0)}
            <button
              type="button"
              aria-label="Later days"
              disabled={!steps.later}
              className="px-1 disabled:opacity-30"
              onClick={() => onStep(step, (steps.starts[steps.starts.length - 1] ?? 0) + 1)}
            >
              ›
            </button>
          </span>
        )}
      </div>
      <div ref={box} className="min-w-0">
        <PickPicture
          width={width}
          height={HEIGHT}
          viewBox={`0 0 ${width} ${HEIGHT}`}
          preserveAspectRatio="xMinYMin meet"
          className="block w-0 min-w-full"
          label={`${unit} by ${shown}, counted and set aside`}
        >
          <TextureDefs />
          <Scale up={up} line={line} width={width} words={words} />
          {[
            ["set aside", line + AXIS + BELOW / 2],
            [words(down.domain()[1] ?? 0), line + AXIS + BELOW + 4],
          ].map(([text, y]) => (
            <text
              key={y}
              x={LEFT - 8}
              y={y}
              textAnchor="end"
              fontSize={11}
              style={{ fill: "var(--color-quiet)" }}
            >
              {text}
            </text>
          ))}
          <line
            x1={LEFT}
            x2={width - 12}
            y1={line + AXIS + BELOW}
            y2={line + AXIS + BELOW}
            stroke="var(--color-line)"
            strokeDasharray="2 3"
          />
          {steps.starts.map((start, place) => {
            const x = LEFT + place * wide;
            const value = counted[place] ?? 0;
            const name = nameOf(shown, start);
            const label = `${name}: ${words(value)} count`;
            let y = line + AXIS;
            return (
              <g key={start}>
                <g {...act(start, "counted", label)}>
                  <title>{label}</title>
                  <rect x={x} y={10} width={wide} height={ABOVE} fill="transparent" />
                  <rect
                    x={x + gap}
                    y={line - up(Math.max(0, value))}
                    width={Math.max(0.8, wide - 2 * gap)}
                    height={up(Math.max(0, value))}
                    fill={chosen(start, "counted") ? "var(--color-ink)" : "var(--color-everyone)"}
                  />
                </g>
                {tried && (
                  <rect
                    x={x + gap * 0.75}
                    y={line - up(Math.max(0, tried[place] ?? 0))}
                    width={Math.max(0.8, wide - 1.5 * gap)}
                    height={up(Math.max(0, tried[place] ?? 0))}
                    fill="none"
                    stroke="var(--color-ink)"
                    strokeDasharray="3 2"
                    strokeWidth={wide > 8 ? 1 : 0.6}
                    pointerEvents="none"
                  />
                )}
                {page.rules.map((rule, number) => {
                  const part = aside[number]?.[place] ?? 0;
                  if (part === 0 && !(steps.aside_lines[number]?.[place] ?? 0)) return null;
                  const tall = Math.max(2, down(Math.abs(part)));
                  const top = y;
                  y += tall;
                  const on = chosen(start, rule.key);
                  const said = `${name}, ${rule.name}: ${words(part)} set aside`;
                  return (
                    <g key={rule.key} {...act(start, rule.key, said)}>
                      <title>{said}</title>
                      <rect
                        x={x + gap}
                        y={top}
                        width={Math.max(0.8, wide - 2 * gap)}
                        height={tall}
                        fill={texture(rule.key)}
                        stroke={on ? "var(--color-ink)" : "var(--color-quiet)"}
                        strokeWidth={on ? 2 : wide > 8 ? 0.6 : 0.2}
                      />
                    </g>
                  );
                })}
                <Mark
                  step={shown}
                  start={start}
                  first={place === 0}
                  empty={(steps.counted_lines[place] ?? 0) === 0}
                  x={x}
                  wide={wide}
                  y={line + AXIS / 2}
                />
              </g>
            );
          })}
          <line
            x1={LEFT}
            x2={width - 12}
            y1={line + 0.5}
            y2={line + 0.5}
            stroke="var(--color-ink)"
          />
        </PickPicture>
      </div>
      <p className="-mt-1 pb-1 text-11 text-quiet">
        {unit === "money" ? `Money, ${study.currency}` : "Lines"}. Below the line on a scale of its
        own, sizes without sign.
        {page.undated > 0 && ` ${count(page.undated)} lines have no date and are not drawn.`} Pick a
        bar to see its lines.
      </p>
    </section>
  );
}

function Scale(props: {
  up: ReturnType<typeof scaleLinear<number, number>>;
  line: number;
  width: number;
  words: (value: number) => string;
}) {
  return props.up.ticks(3).map((tick) => (
    <g key={tick}>
      <line
        x1={LEFT}
        x2={props.width - 12}
        y1={props.line - props.up(tick)}
        y2={props.line - props.up(tick)}
        stroke="var(--color-line)"
      />
      <text
        x={LEFT - 8}
        y={props.line - props.up(tick) + 4}
        textAnchor="end"
        fontSize={11}
        style={{ fill: "var(--color-quiet)" }}
      >
        {props.words(tick)}
      </text>
    </g>
  ));
}

interface MarkProps {
  step: Step;
  start: number;
  first: boolean;
  empty: boolean;
  x: number;
  wide: number;
  y: number;
}

/** A step on the thread: named at the turn of a year (days: of a month), else a bead. */
function Mark({ step, start, first, empty, x, wide, y }: MarkProps) {
  const turn = step === "day" ? isFirst(start) : yearTurns(step, start);
  if (turn || (first && !turnsSoon(step, start, wide)))
    return (
      <text
        x={x + 1}
        y={y + 4}
        fontSize={11}
        stroke="var(--color-card)"
        strokeWidth={4}
        paintOrder="stroke"
      >
        {month(monthOf(start + (step === "week" ? 6 : 0)))}
      </text>
    );
  if (!empty && (wide < 9 || covered(step, start, wide))) return null;
  if (empty && covered(step, start, wide)) return null;
  return (
    <circle
      cx={x + wide / 2}
      cy={y}
      r={empty ? Math.min(2.6, wide / 2 + 0.6) : 2}
      fill={empty ? "var(--color-card)" : "var(--color-quiet)"}
      stroke={empty ? "var(--color-alarm)" : "none"}
    />
  );
}

const NAME = 52;

function isFirst(start: number): boolean {
  return new Date(start * 86_400_000).getUTCDate() === 1;
}

/** Whether the year turns within this step. */
function yearTurns(step: Step, start: number): boolean {
  if (step === "month") return monthOf(start) % 12 === 0;
  const date = new Date((start + 6) * 86_400_000);
  return date.getUTCMonth() === 0 && date.getUTCDate() <= 7;
}

/** Whether a name follows so closely that another one before it would run into it. */
function turnsSoon(step: Step, start: number, wide: number): boolean {
  const long = step === "month" ? 30.4 : step === "week" ? 7 : 1;
  for (let next = 1; next * wide < NAME; next += 1) {
    const at = Math.round(start + next * long);
    if (step === "day" ? isFirst(at) : yearTurns(step, step === "month" ? at + 3 : at)) return true;
  }
  return false;
}

/** Whether a name that stands before this step reaches into it. */
function covered(step: Step, start: number, wide: number): boolean {
  const long = step === "month" ? 30.4 : step === "week" ? 7 : 1;
  for (let back = 1; back * wide < NAME; back += 1) {
    const at = Math.round(start - back * long);
    if (step === "day" ? isFirst(at) : yearTurns(step, step === "month" ? at + 3 : at)) return true;
  }
  return false;
}
