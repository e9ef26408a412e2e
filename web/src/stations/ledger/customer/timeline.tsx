import { scaleLinear, scaleUtc } from "d3-scale";

import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import { Picture } from "@/charts/picture";
import { useMoney, useStudy } from "@/study/context";

const WIDTH = 690;
const HEIGHT = 96;
const FOOT = 18;
/** Half a month's label: nearer to an end it would be cut off. */
const MARGIN = 28;

interface Props {
  receipts: Schemas["CustomerReceipt"][];
  behind: Set<string>;
}

/** Receipts as stems on a thread of time, as tall as their totals; those behind a measure dark. */
export function Timeline({ receipts, behind }: Props) {
  const { window } = useStudy();
  const dated = receipts.filter((receipt) => receipt.day && receipt.day < "2100");
  const days = dated.map((receipt) => Date.parse(receipt.day));
  const to = window ? Date.parse(window.to) : 0;
  const time = scaleUtc()
    .domain([Math.min(...days), Math.max(to, ...days)])
    .range([12, WIDTH - 12]);
  const most = Math.max(1, ...dated.map((receipt) => Math.abs(receipt.money)));
  const tall = scaleLinear()
    .domain([0, most])
    .range([0, HEIGHT - FOOT - 22]);
  const line = HEIGHT - FOOT - 8;
  const fits = (tick: Date) => time(tick) >= MARGIN && time(tick) <= WIDTH - MARGIN;
  const inMoney = useMoney("exact");
  return (
    <section className="card p-3" aria-label="Timeline">
      <h2 className="text-14">Receipts over time</h2>
      <p className="text-12 text-quiet">
        Height: what counts of the receipt, up to {inMoney(most)}. Hollow: no purchase.
      </p>
      <Picture
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="mt-1 w-full"
        label={`${dated.length} receipts from ${day(dated.at(-1)?.day ?? "")} to ${day(dated[0]?.day ?? "")}`}
      >
        {window?.first && <Span from={time(Date.parse(window.first))} to={time(to)} />}
        <line x1={8} x2={WIDTH - 8} y1={line} y2={line} stroke="var(--color-everyone)" />
        {dated.map((receipt, place) => {
          const x = time(Date.parse(receipt.day));
          const up = line - tall(Math.max(0, receipt.money));
          const dark = behind.has(receipt.key);
          const hue = dark ? "var(--color-ink)" : "var(--color-quiet)";
          return (
            <g key={`${receipt.key}${place}`} opacity={dark ? 1 : 0.6}>
              <title>{`${day(receipt.day)}: ${inMoney(receipt.money)}${receipt.purchase ? "" : ", no purchase"}`}</title>
              <line x1={x} x2={x} y1={line} y2={up} stroke={hue} strokeWidth={dark ? 2 : 1} />
              <circle
                cx={x}
                cy={up}
                r={dark ? 3.5 : 2.5}
                fill={receipt.purchase ? hue : "var(--color-card)"}
                stroke={hue}
              />
            </g>
          );
        })}
        {time
          .ticks(6)
          .filter(fits)
          .map((tick) => (
            <text
              key={tick.toISOString()}
              x={time(tick)}
              y={HEIGHT - 4}
              fontSize={11}
              textAnchor="middle"
              style={{ fill: "var(--color-quiet)" }}
            >
              {tick.toLocaleDateString("en-GB", {
                month: "short",
                year: "numeric",
                timeZone: "UTC",
              })}
            </text>
          ))}
      </Picture>
    </section>
  );
}

/** The window in view, behind the stems. */
function Span({ from, to }: { from: number; to: number }) {
  const left = Math.max(8, from);
  return (
    <rect
      x={left}
      y={2}
      width={Math.max(0, to - left)}
      height={HEIGHT - FOOT - 6}
      fill="var(--color-paper)"
    />
  );
}
