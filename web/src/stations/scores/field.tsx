import { useMemo, useRef } from "react";
import type { PointerEvent } from "react";

import { PickPicture } from "@/charts/picture";
import { BandNames, Counts, Picked, Stripes } from "@/stations/scores/field-parts";
import { Fences } from "@/stations/scores/fences";
import type { Fence } from "@/stations/scores/fences";
import { bandAt, H, sizesOf, stretches, W } from "@/stations/scores/geometry";
import type { Box } from "@/stations/scores/geometry";
import { dotFor, Plots, rangeOf } from "@/stations/scores/plots";
import { DEEP, Ruler } from "@/stations/scores/ruler";
import { usePicking } from "@/stations/scores/use-picking";
import type { Banded, Page } from "@/stations/scores/use-scores";

const LEFT = 118;
const TOP = 6;
const NAMES = 18;

interface Props {
  page: Page;
  fences: Fence[];
  lit: number | null;
  canChange: boolean;
  onFence: (number: number, box: Box) => void;
  onLand: () => void;
  onLift: () => void;
  onCuts: (measure: Banded, cuts: number[]) => void;
}

/** Two measures as plots of their real sizes between their rulers, with the fences of the ladder. */
export function Field(props: Props) {
  const { page, fences, lit, canChange, onFence, onLand, onLift, onCuts } = props;
  const { across, up, columns, rows, range } = useMemo(() => layOut(page), [page]);
  const picking = usePicking(page, across, up);
  const area = useRef<SVGRectElement>(null);
  if (!page.field || !across || !up) return null;
  const at = (event: PointerEvent): [number, number] => {
    const frame = area.current?.getBoundingClientRect();
    if (!frame) return [0, 0];
    return [
      Math.min(W, Math.max(0, ((event.clientX - frame.left) / frame.width) * W)),
      Math.min(H, Math.max(0, ((event.clientY - frame.top) / frame.height) * H)),
    ];
  };
  const plot = (event: PointerEvent): [number, number] => {
    const [x, y] = at(event);
    return [bandAt(columns, x), bandAt(rows, H - y)];
  };
  const shown = picking.box;
  return (
    <PickPicture
      viewBox={`0 0 ${LEFT + W + 4} ${TOP + H + NAMES + DEEP}`}
      className="block w-full select-none"
      label={`${across.label} across, ${up.label} upwards`}
    >
      <defs>
        <pattern
          id="gap"
          width="7"
          height="7"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <line x1="0" y1="0" x2="0" y2="7" stroke="var(--color-below)" strokeWidth="2" />
        </pattern>
        <pattern
          id="overlap"
          width="7"
          height="7"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(-45)"
        >
          <line x1="0" y1="0" x2="0" y2="7" stroke="var(--color-above)" strokeWidth="2" />
        </pattern>
      </defs>
      <g transform={`translate(${LEFT} ${TOP})`}>
        <g
          className="cursor-crosshair touch-none"
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            picking.begin(plot(event));
          }}
          onPointerMove={(event) => picking.go(plot(event))}
          onPointerUp={(event) => picking.end(event.shiftKey)}
          onPointerCancel={picking.leave}
        >
          <Plots
            field={page.field}
            shade={page.shade}
            columns={columns}
            rows={rows}
            height={H}
            each={dotFor(page.scored)}
            range={range}
          />
          <Stripes page={page} columns={columns} rows={rows} />
          <rect ref={area} width={W} height={H} fill="transparent" />
          <Counts
            page={page}
            across={across}
            up={up}
            columns={columns}
            rows={rows}
            pick={picking.pick}
          />
        </g>
        {page.ladder?.kind === "boxes" && (
          <Fences
            fences={fences}
            columns={columns}
            rows={rows}
            height={H}
            lit={lit}
            canMove={canChange}
            placeOf={at}
            onMove={onFence}
            onLand={onLand}
            onLift={onLift}
          />
        )}
        {shown && <Picked page={page} box={shown} columns={columns} rows={rows} />}
      </g>
      <g transform={`translate(${LEFT} ${TOP + H})`}>
        <BandNames
          measure={across}
          of={page.of}
          bands={columns}
          pick={(band, more) => picking.line("across", band, more)}
        />
        <g transform={`translate(0 ${NAMES})`}>
          <Ruler
            measure={across}
            bands={columns}
            length={W}
            onCuts={canChange ? (cuts) => onCuts(across, cuts) : undefined}
          />
        </g>
      </g>
      <g transform={`translate(${LEFT} ${TOP})`}>
        <BandNames
          measure={up}
          of={page.of}
          bands={rows}
          upright
          pick={(band, more) => picking.line("up", band, more)}
        />
        <g transform={`translate(${-NAMES} 0)`}>
          <Ruler
            measure={up}
            bands={rows}
            length={H}
            upright
            onCuts={canChange ? (cuts) => onCuts(up, cuts) : undefined}
          />
        </g>
      </g>
    </PickPicture>
  );
}

function layOut(page: Page) {
  const across = page.measures.find((measure) => measure.name === page.across);
  const up = page.measures.find((measure) => measure.name === page.up);
  return {
    across,
    up,
    columns: across ? stretches(sizesOf(across), W) : [],
    rows: up ? stretches(sizesOf(up), H) : [],
    range: page.field ? rangeOf([page.field], page.shade) : ([0, 1] as [number, number]),
  };
}
