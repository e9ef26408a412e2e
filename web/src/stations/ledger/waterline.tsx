import { scaleLinear } from "d3-scale";
import { useLayoutEffect, useState } from "react";
import type { KeyboardEvent } from "react";

import type { Schemas } from "@/api/client";
import { count, money, month } from "@/charts/format";
import type { PickedLines } from "@/stations/ledger";
import { texture, TextureDefs } from "@/stations/ledger/textures";
import { useStudy } from "@/study/context";

const ABOVE = 132;
const BELOW = 62;
const AXIS = 20;
const LEFT = 64;
const HEIGHT = 10 + ABOVE + AXIS + BELOW + 14;

interface Props {
  page: Schemas["LedgerPage"];
  unit: "money" | "lines";
  picked: PickedLines;
  onPick: (picked: PickedLines) => void;
}

/** Months on a thread: what counts above the line, what was set aside below, one texture a rule. */
export function Waterline({ page, unit, picked, onPick }: Props) {
  const { study } = useStudy();
  const [box, width] = useWidth();
  const months = page.months;
  if (!months) return null;
  const counted = unit === "money" ? months.counted_money : months.counted_lines;
  const aside = unit === "money" ? months.aside_money : months.aside_lines;
  const tried =
    page.preview && (unit === "money" ? page.preview.counted_money : page.preview.counted_lines);
  const step = (width - LEFT - 12) / Math.max(1, months.months.length);
  const up = scaleLinear([0, Math.max(1, ...counted, ...(tried ?? []))], [0, ABOVE]).nice(3);
  const stacks = months.months.map((_, m) =>
    aside.reduce((sum, rule) => sum + Math.abs(rule[m] ?? 0), 0),
  );
  const down = scaleLinear([0, Math.max(1, ...stacks)], [0, BELOW]).nice(2);
  const line = 10 + ABOVE;
  const words = (value: number) =>
    unit === "money" ? money(value, study.scale, study.currency) : count(value);
  const pick = (m: number, rule: string) => {
    const same = picked.month === m && picked.rule === rule;
    onPick(same ? { month: null, rule: "" } : { month: m, rule });
  };
  const act = (m: number, rule: string, label: string) => ({
    tabIndex: 0,
    role: "button",
    "aria-label": label,
    "aria-pressed": picked.month === m && picked.rule === rule,
    className: "cursor-pointer",
    onClick: () => pick(m, rule),
    onKeyDown: (event: KeyboardEvent) => {
      if (event.key === "Enter") pick(m, rule);
    },
  });
  return (
    <section className="card p-3 pb-1" ref={box} aria-label="The waterline">
      <svg
        width={width}
        height={HEIGHT}
        role="group"
        aria-label={`${unit} by month, counted and set aside`}
      >
        <TextureDefs />
        {up.ticks(3).map((tick) => (
          <g key={tick}>
            <line
              x1={LEFT}
              x2={width - 12}
              y1={line - up(tick)}
              y2={line - up(tick)}
              stroke="var(--color-line)"
            />
            <text
              x={LEFT - 8}
              y={line - up(tick) + 4}
              textAnchor="end"
              fontSize={11}
              style={{ fill: "var(--color-quiet)" }}
            >
              {words(tick)}
            </text>
          </g>
        ))}
        <text
          x={LEFT - 8}
          y={line + AXIS + BELOW / 2}
          textAnchor="end"
          fontSize={11}
          style={{ fill: "var(--color-quiet)" }}
        >
          set aside
        </text>
        <text
          x={LEFT - 8}
          y={line + AXIS + BELOW + 4}
          textAnchor="end"
          fontSize={11}
          style={{ fill: "var(--color-quiet)" }}
        >
          {words(down.domain()[1] ?? 0)}
        </text>
        <line
          x1={LEFT}
          x2={width - 12}
          y1={line + AXIS + BELOW}
          y2={line + AXIS + BELOW}
          stroke="var(--color-line)"
          strokeDasharray="2 3"
        />
        {months.months.map((m, place) => {
          const x = LEFT + place * step;
          const value = counted[place] ?? 0;
          const label = `${month(m)}: ${words(value)} count`;
          let y = line + AXIS;
          return (
            <g key={m}>
              <g {...act(m, "counted", label)}>
                <title>{label}</title>
                <rect x={x} y={10} width={step} height={ABOVE} fill="transparent" />
                <rect
                  x={x + 2}
                  y={line - up(Math.max(0, value))}
                  width={Math.max(1, step - 4)}
                  height={up(Math.max(0, value))}
                  fill={
                    picked.month === m && picked.rule === "counted"
                      ? "var(--color-ink)"
                      : "var(--color-everyone)"
                  }
                />
              </g>
              {tried && (
                <rect
                  x={x + 1.5}
                  y={line - up(Math.max(0, tried[place] ?? 0))}
                  width={step - 3}
                  height={up(Math.max(0, tried[place] ?? 0))}
                  fill="none"
                  stroke="var(--color-ink)"
                  strokeDasharray="3 2"
                  pointerEvents="none"
                />
              )}
              {page.rules.map((rule, number) => {
                const part = aside[number]?.[place] ?? 0;
                if (part === 0 && !(months.aside_lines[number]?.[place] ?? 0)) return null;
                const tall = Math.max(2, down(Math.abs(part)));
                const top = y;
                y += tall;
                const chosen = picked.month === m && picked.rule === rule.key;
                const said = `${month(m)}, ${rule.name}: ${words(part)} set aside`;
                return (
                  <g key={rule.key} {...act(m, rule.key, said)}>
                    <title>{said}</title>
                    <rect
                      x={x + 2}
                      y={top}
                      width={Math.max(1, step - 4)}
                      height={tall}
                      fill={texture(number)}
                      stroke={chosen ? "var(--color-ink)" : "var(--color-quiet)"}
                      strokeWidth={chosen ? 2 : 0.6}
                    />
                  </g>
                );
              })}
              {m % 12 === 0 || place === 0 ? (
                <text
                  x={x + 1}
                  y={line + AXIS / 2 + 4}
                  fontSize={11}
                  stroke="var(--color-card)"
                  strokeWidth={4}
                  paintOrder="stroke"
                >
                  {month(m)}
                </text>
              ) : place > 0 && labelled(months.months[place - 1]) ? null : (
                <circle
                  cx={x + step / 2}
                  cy={line + AXIS / 2}
                  r={value === 0 ? 2.6 : 2}
                  fill={value === 0 ? "var(--color-card)" : "var(--color-quiet)"}
                  stroke={value === 0 ? "var(--color-alarm)" : "none"}
                />
              )}
            </g>
          );
        })}
        <line x1={LEFT} x2={width - 12} y1={line + 0.5} y2={line + 0.5} stroke="var(--color-ink)" />
      </svg>
      <p className="-mt-1 pb-1 text-11 text-quiet">
        {unit === "money" ? `Money, ${study.currency}` : "Lines"} by month. Below the line on a
        larger scale, sizes without sign.
        {page.undated > 0 && ` ${count(page.undated)} lines have no month and are not drawn.`} Pick
        a bar to see its lines.
      </p>
    </section>
  );
}

/** Years are named at their January, and the name covers the next month's place. */
function labelled(m: number | undefined): boolean {
  return m !== undefined && m % 12 === 0;
}

function useWidth(): [(node: HTMLElement | null) => void, number] {
  const [width, setWidth] = useState(960);
  const [node, setNode] = useState<HTMLElement | null>(null);
  useLayoutEffect(() => {
    if (!node) return;
    const observer = new ResizeObserver(
      ([entry]) => entry && setWidth(Math.floor(entry.contentRect.width)),
    );
    observer.observe(node);
    return () => observer.disconnect();
  }, [node]);
  return [setNode, width];
}
