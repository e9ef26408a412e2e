import { useState } from "react";
import type { PointerEvent } from "react";

import { useHandles } from "@/charts/handles";

import { bandAt } from "@/stations/scores/geometry";
import type { Box, Stretch } from "@/stations/scores/geometry";

export interface Fence {
  number: number;
  name: string;
  box: Box;
}

interface Props {
  fences: Fence[];
  columns: Stretch[];
  rows: Stretch[];
  height: number;
  lit: number | null;
  canMove: boolean;
  /** The place of a pointer within the plots. */
  placeOf: (event: PointerEvent) => [number, number];
  onMove: (number: number, box: Box) => void;
  onLand: () => void;
  onLift: () => void;
}

type Corner = "low" | "high";

/** Fences round the plots of each tier, moved by two opposite corners. */
export function Fences(props: Props) {
  const { fences, columns, rows, height, lit, canMove, placeOf, onMove, onLand, onLift } = props;
  const [held, setHeld] = useState(false);
  const { handle: byKeys } = useHandles();
  return (
    <g>
      {fences.map((fence) => {
        const { box } = fence;
        const left = columns[box.across[0] - 1]?.from ?? 0;
        const lastColumn = columns[box.across[1] - 1];
        const right = lastColumn ? lastColumn.from + lastColumn.size : left;
        const foot = height - (rows[box.up[0] - 1]?.from ?? 0);
        const lastRow = rows[box.up[1] - 1];
        const top = lastRow ? height - lastRow.from - lastRow.size : foot;
        const on = lit === fence.number;
        const to = (corner: Corner, c: number, r: number) => {
          const next: Box =
            corner === "low"
              ? {
                  across: [Math.min(c, box.across[1]), box.across[1]],
                  up: [Math.min(r, box.up[1]), box.up[1]],
                }
              : {
                  across: [box.across[0], Math.max(c, box.across[0])],
                  up: [box.up[0], Math.max(r, box.up[0])],
                };
          onMove(fence.number, next);
        };
        const handle = (corner: Corner, x: number, y: number) => (
          <circle
            key={corner}
            cx={x}
            cy={y}
            r={5}
            {...byKeys({
              id: `${corner} ${fence.number}`,
              label: `${corner === "high" ? "Upper" : "Lower"} corner of ${fence.name}`,
              words: `bands ${box.across[0]} to ${box.across[1]} across, ${box.up[0]} to ${box.up[1]} upwards`,
              onMove: (right, up) => {
                const [c, r] =
                  corner === "low" ? [box.across[0], box.up[0]] : [box.across[1], box.up[1]];
                const clamp = (v: number, most: number) => Math.min(most, Math.max(1, v));
                to(corner, clamp(c + right, columns.length), clamp(r + up, rows.length));
              },
              onLand,
            })}
            aria-valuenow={corner === "high" ? box.across[1] : box.across[0]}
            className="handle cursor-move touch-none"
            fill={on ? "var(--color-ink)" : "var(--color-card)"}
            stroke="var(--color-ink)"
            strokeWidth={1.5}
            onPointerDown={(event) => {
              event.stopPropagation();
              event.currentTarget.setPointerCapture(event.pointerId);
              setHeld(true);
              onLift();
            }}
            onPointerMove={(event) => {
              if (!held || !event.currentTarget.hasPointerCapture(event.pointerId)) return;
              const [px, py] = placeOf(event);
              to(corner, bandAt(columns, px), bandAt(rows, height - py));
            }}
            onPointerUp={() => {
              if (held) onLand();
              setHeld(false);
            }}
          />
        );
        return (
          <g key={fence.number}>
            <rect
              x={left + 3}
              y={top + 3}
              width={Math.max(1, right - left - 6)}
              height={Math.max(1, foot - top - 6)}
              rx={6}
              fill={on ? "var(--color-ink)" : "none"}
              fillOpacity={on ? 0.07 : 0}
              stroke="var(--color-ink)"
              strokeWidth={on ? 2.2 : 1.3}
              pointerEvents="none"
            />
            <g pointerEvents="none">
              <rect
                x={left - 1}
                y={(top + foot) / 2 - 7.5}
                width={14}
                height={15}
                rx={4}
                fill="var(--color-ink)"
              />
              <text
                x={left + 6}
                y={(top + foot) / 2 + 4}
                fontSize={11}
                textAnchor="middle"
                style={{ fill: "var(--color-white)" }}
              >
                {fence.number}
              </text>
            </g>
            {canMove && [handle("low", left + 3, foot - 3), handle("high", right - 3, top + 3)]}
          </g>
        );
      })}
    </g>
  );
}
