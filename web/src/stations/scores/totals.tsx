import { useRef, useState } from "react";
import type { PointerEvent } from "react";

import { figure, money } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { useLens } from "@/lens/context";
import { heads } from "@/stations/scores/heads";
import type { Page } from "@/stations/scores/use-scores";
import { useStudy } from "@/study/context";
import { unit } from "@/study/unit";

const W = 620;
const H = 118;
const FOOT = 20;

interface Props {
  page: Page;
  /** Lower bounds of the tiers, best first, as they are being moved; null where endless. */
  lows: (number | null)[];
  canMove: boolean;
  onMove: (place: number, low: number) => void;
  onLand: () => void;
}

/** Customers by the total of their bands, with the fences between tiers where they go by totals. */
export function Totals({ page, lows, canMove, onMove, onLand }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const frame = useRef<SVGGElement>(null);
  const [held, setHeld] = useState<number | null>(null);
  const totals = page.totals;
  const first = totals[0]?.total ?? 0;
  const last = totals.at(-1)?.total ?? 1;
  const step =
    totals.length > 1
      ? Math.min(...totals.slice(1).map((row, n) => row.total - (totals[n]?.total ?? 0)))
      : 1;
  const span = last - first + step;
  const most = Math.max(1, ...totals.map((row) => row.customers));
  const at = (total: number) => ((total - first) / span) * W;
  const wide = (step / span) * W;
  const snap = (event: PointerEvent) => {
    const box = frame.current?.getBoundingClientRect();
    if (!box) return first;
    const share = Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
    return Number((first + Math.round((share * span) / step) * step).toPrecision(10));
  };
  const fences = page.ladder?.kind === "boxes" ? [] : lows;
  const pick = (total: number, more: boolean) => {
    if (page.of) return;
    lens.pick("total:now", { range: [total, total + step / 2] }, more);
  };
  return (
    <PickPicture
      viewBox={`0 0 ${W} ${H + FOOT}`}
      className="block w-full select-none"
      label={`${unit.Many} by the total of their bands`}
    >
      <g ref={frame}>
        <rect width={W} height={H} fill="transparent" />
        {totals.map((row) => {
          const tall = (row.customers / most) * (H - 16);
          const words = `Total ${figure(row.total)}: ${heads(row.customers, page.of)}, ${money(row.money, study.scale, study.currency)}`;
          return (
            <rect
              key={row.total}
              x={at(row.total) + 1}
              y={H - tall}
              width={Math.max(1, wide - 2)}
              height={tall}
              fill="var(--color-everyone)"
              {...pickable({ label: words, onPick: (more) => pick(row.total, more) })}
            >
              <title>{words}</title>
            </rect>
          );
        })}
      </g>
      <line x1={0} x2={W} y1={H} y2={H} stroke="var(--color-quiet)" />
      <g fontSize={11} className="[&_text]:fill-quiet">
        {totals
          .filter((_, n) => n % Math.ceil(totals.length / 16) === 0)
          .map((row) => (
            <text key={row.total} x={at(row.total) + wide / 2} y={H + 14} textAnchor="middle">
              {figure(row.total)}
            </text>
          ))}
      </g>
      {fences.map((low, n) => {
        if (low === null || n === fences.length - 1) return null;
        const x = at(low);
        const movable = canMove && page.ladder?.kind === "totals";
        const name = page.ladder?.tiers[n]?.name ?? "";
        return (
          <g
            key={n}
            role={movable ? "slider" : undefined}
            tabIndex={movable ? 0 : undefined}
            aria-label={`${name} from a total of`}
            aria-valuenow={low}
            aria-valuemin={first}
            aria-valuemax={last}
            className={movable ? "cursor-ew-resize touch-none" : ""}
            onPointerDown={(event) => {
              if (!movable) return;
              event.currentTarget.setPointerCapture(event.pointerId);
              setHeld(n);
            }}
            onPointerMove={(event) => {
              if (held === n) onMove(n, snap(event));
            }}
            onPointerUp={() => {
              setHeld(null);
              if (held === n) onLand();
            }}
            onKeyDown={(event) => {
              const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
              if (!movable) return;
              if (event.key === "Enter") onLand();
              if (!way) return;
              event.preventDefault();
              onMove(n, low + way * step);
            }}
            onBlur={movable ? onLand : undefined}
          >
            <rect x={x - 7} y={0} width={14} height={H} fill="transparent" />
            <line x1={x} x2={x} y1={4} y2={H} stroke="var(--color-ink)" strokeWidth={1.6} />
            <rect x={x + 2} y={2} width={16} height={14} rx={4} fill="var(--color-ink)" />
            <text
              x={x + 10}
              y={13}
              fontSize={11}
              textAnchor="middle"
              style={{ fill: "var(--color-white)" }}
            >
              {n + 1}
            </text>
          </g>
        );
      })}
    </PickPicture>
  );
}
