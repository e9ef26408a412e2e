import { useRef, useState } from "react";
import type { PointerEvent } from "react";

import { count, percent } from "@/charts/format";
import { useHandles } from "@/charts/handles";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { Ends } from "@/stations/campaigns/ends";
import type { ForkPoint, Result, Row } from "@/stations/campaigns/types";

const WIDTH = 960;
const HEIGHT = 262;
const TOP = 40;
const DEEP = 124;
const LEFT = 8;
const BLOCK = 62;
const FORK = 424;
const ARMS = 536;
const APART = 26;
const NARROWEST = 3;
/** Letters of a line below a step. */
const WIDEST = 10;

interface Props {
  row: Row;
  result: Result | null;
  /** What the share that is being dragged would prove. */
  fork: ForkPoint | null;
  onTry: (share: number | null) => void;
  onShare?: ((share: number) => void) | undefined;
}

/** The audience as one stream: what falls away drops downward, the rest forks into two arms. */
export function Stream({ row, result, fork, onTry, onShare }: Props) {
  const lens = useLens();
  const pick = (value: string) => lens.set([valueClause(`campaign:${row.id}`, value)]);
  const falls = Object.entries(row.fell_away).filter(([, gone]) => gone > 0);
  const nobody = Object.entries(row.fell_away).filter(([, gone]) => gone === 0);
  const step = Math.min(66, (FORK - LEFT - BLOCK) / Math.max(falls.length, 1));
  const scale = (value: number) => (row.lens ? (value / row.lens) * DEEP : 0);
  const thick = (value: number) => Math.max(scale(value), value ? NARROWEST : 0);
  const written = fork?.written ?? row.written;
  const held = fork?.held ?? row.held;
  let left = row.lens;
  const pieces = falls.map(([name, gone], place) => {
    left -= gone;
    return { name, gone, after: left, x: LEFT + BLOCK + place * step };
  });
  const drawn = row.state !== "draft";
  const top = TOP - 6;
  const below = top + thick(written) + APART;
  const middles = { written: top + thick(written) / 2, held: below + thick(held) / 2 };
  const last = pieces.at(-1);
  const end = last ? last.x + step : LEFT + BLOCK;
  return (
    <div>
      <PickPicture
        width="100%"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        label={`${count(row.lens)} ${row.brought_in ? "on the list" : "in the lens"}, ${falls.map(([name, gone]) => `${count(gone)} ${name}`).join(", ")}, ${count(written)} written to, ${count(held)} held out`}
      >
        <text x={LEFT} y={14} fontSize={11} style={{ fill: "var(--color-quiet)" }}>
          {row.brought_in ? "on the list" : "in the lens"}
        </text>
        <text x={LEFT} y={30} fontSize={14} fontWeight={600}>
          {count(row.lens)}
        </text>
        <rect
          x={LEFT}
          y={TOP}
          width={BLOCK}
          height={scale(row.lens)}
          fill="var(--color-teal)"
          opacity={0.85}
        />
        <path
          d={bandOf(pieces, LEFT + BLOCK, scale(row.lens), scale, step)}
          fill="var(--color-everyone)"
        />
        {pieces.map((piece) => (
          <Fall
            key={piece.name}
            {...piece}
            at={TOP + scale(piece.after)}
            deep={scale(piece.gone)}
            onPick={() => pick(piece.name)}
          />
        ))}
        <rect
          x={end}
          y={TOP}
          width={Math.max(0, FORK - end)}
          height={scale(left)}
          fill="var(--color-everyone)"
        />
        <Arm
          d={band(FORK, TOP, thick(written), ARMS, top)}
          fill="var(--color-ink)"
          opacity={0.75}
          words={`${count(written)} written to`}
          onPick={drawn ? () => pick("written to") : undefined}
        />
        <Arm
          d={band(FORK, TOP + scale(written), thick(held), ARMS, below)}
          fill="var(--color-quiet)"
          opacity={0.45}
          words={`${count(held)} held out`}
          onPick={drawn ? () => pick("held out") : undefined}
        />
        <text
          x={ARMS - 6}
          y={thick(written) > 22 ? top + thick(written) - 9 : top - 6}
          textAnchor="end"
          fontSize={12}
          fontWeight={600}
          pointerEvents="none"
          style={{ fill: thick(written) > 22 ? "#fff" : "var(--color-ink)" }}
        >
          {count(written)} written to
        </text>
        <text
          x={ARMS - 6}
          y={below + thick(held) + 16}
          textAnchor="end"
          fontSize={12}
          fontWeight={600}
          pointerEvents="none"
        >
          {count(held)} held out
          {!drawn && (
            <tspan fontWeight={400} style={{ fill: "var(--color-quiet)" }}>
              , {percent(held, written + held, 0)}
            </tspan>
          )}
        </text>
        <Ends row={row} result={result} fork={fork} middles={middles} left={ARMS} width={WIDTH} />
        {onShare && row.fork.length > 0 && left > 0 && (
          <Fork
            share={row.holdout}
            shares={row.fork.map((each) => each.share)}
            deep={scale(left)}
            words={`${count(held)} held out, ${percent(held, written + held, 0)}`}
            onTry={onTry}
            onShare={onShare}
          />
        )}
      </PickPicture>
      {nobody.length > 0 && !row.brought_in && (
        <p className="-mt-1 text-11 text-quiet">
          Nobody falls away for{" "}
          {nobody
            .map(([name]) => name)
            .join(", ")
            .replace(/, ([^,]*)$/, " or $1")}
          .
        </p>
      )}
    </div>
  );
}

interface Piece {
  name: string;
  gone: number;
  after: number;
  x: number;
}

/** The stream, which grows thinner where somebody falls away. */
function bandOf(
  pieces: Piece[],
  x: number,
  deep: number,
  scale: (value: number) => number,
  step: number,
): string {
  let path = `M${x} ${TOP}`;
  const last = pieces.at(-1);
  path += `H${last ? last.x + step : x}`;
  for (const piece of [...pieces].reverse()) {
    path += `V${TOP + scale(piece.after)}H${piece.x}`;
  }
  return `${path}V${TOP + deep}Z`;
}

function Fall({
  name,
  gone,
  x,
  at,
  deep,
  onPick,
}: Piece & { at: number; deep: number; onPick: () => void }) {
  const thick = Math.max(2, deep);
  const foot = Math.max(at + thick + 18, Math.min(HEIGHT - 62, at + 46));
  return (
    <g {...pickable({ label: `${count(gone)} ${name}`, onPick })}>
      <path
        d={`M${x} ${at}C${x + 22} ${at} ${x + 16} ${foot} ${x + 24} ${foot}H${x + 24 - Math.min(thick, 14)}C${x + 4} ${foot} ${x + 8} ${at + thick} ${x} ${at + thick}Z`}
        fill="var(--color-line)"
        stroke="var(--color-everyone)"
        strokeWidth={0.6}
      />
      <rect x={x} y={HEIGHT - 58} width={60} height={52} fill="transparent" />
      <text x={x + 2} y={HEIGHT - 44} fontSize={12} fontWeight={600}>
        {count(gone)}
      </text>
      {linesOf(name).map((line, n) => (
        <text
          key={n}
          x={x + 2}
          y={HEIGHT - 30 + 13 * n}
          fontSize={11}
          style={{ fill: "var(--color-quiet)" }}
        >
          {line}
        </text>
      ))}
    </g>
  );
}

/** Words below each other, none wider than a step of the stream. */
function linesOf(words: string): string[] {
  const lines: string[] = [];
  for (const word of words.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + word.length < WIDEST)
      lines.splice(-1, 1, `${last} ${word}`);
    else lines.push(word);
  }
  return lines;
}

function Arm({
  d,
  fill,
  opacity,
  words,
  onPick,
}: {
  d: string;
  fill: string;
  opacity: number;
  words: string;
  onPick?: (() => void) | undefined;
}) {
  if (!onPick) return <path d={d} fill={fill} opacity={opacity} />;
  return <path d={d} fill={fill} opacity={opacity} {...pickable({ label: words, onPick })} />;
}

interface ForkProps {
  share: number;
  shares: number[];
  deep: number;
  words: string;
  onTry: (share: number | null) => void;
  onShare: (share: number) => void;
}

/** Where the stream forks: dragged up, more are held out. */
function Fork({ share, shares, deep, words, onTry, onShare }: ForkProps) {
  const along = useRef<SVGRectElement>(null);
  const [moving, setMoving] = useState<number | null>(null);
  const now = moving ?? share;
  const at = TOP + deep * (1 - now);
  const most = shares.at(-1) ?? 0;
  const nearest = (wanted: number) =>
    shares.reduce(
      (best, each) => (Math.abs(each - wanted) < Math.abs(best - wanted) ? each : best),
      0,
    );
  const move = (next: number | null) => {
    setMoving(next);
    onTry(next);
  };
  const follow = (event: PointerEvent) => {
    if (!along.current || !event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const frame = along.current.getBoundingClientRect();
    move(nearest((frame.bottom - event.clientY) / frame.height));
  };
  const { handle } = useHandles();
  const go = (next: number | undefined) => next !== undefined && onShare(next);
  return (
    <g
      {...handle({
        id: "share",
        label: "Share held out",
        words,
        onMove: (right, up) => go(shares[shares.indexOf(nearest(now)) + right + up]),
        onEnd: (way) => go(way < 0 ? shares[0] : most),
      })}
      aria-orientation="vertical"
      aria-valuenow={Math.round(100 * now)}
      aria-valuemin={0}
      aria-valuemax={Math.round(100 * most)}
      className="handle cursor-ns-resize touch-none"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        move(nearest(now));
      }}
      onPointerMove={follow}
      onPointerUp={() => {
        if (moving !== null && moving !== share) onShare(moving);
        move(null);
      }}
      onPointerCancel={() => move(null)}
    >
      <title>Drag to hold out more or fewer</title>
      <rect ref={along} x={FORK - 1} y={TOP} width={2} height={deep} fill="var(--color-card)" />
      <rect x={FORK - 16} y={at - 14} width={32} height={28} fill="transparent" />
      <circle
        cx={FORK}
        cy={at}
        r={9}
        fill="var(--color-card)"
        stroke="var(--color-ink)"
        strokeWidth={1.5}
      />
      <path
        d={`M${FORK - 3.5} ${at - 2}l3.5 -3.5l3.5 3.5M${FORK - 3.5} ${at + 2}l3.5 3.5l3.5 -3.5`}
        fill="none"
        stroke="var(--color-ink)"
        strokeWidth={1.4}
      />
    </g>
  );
}

function band(x1: number, y1: number, deep: number, x2: number, y2: number): string {
  const middle = (x1 + x2) / 2;
  return `M${x1} ${y1}C${middle} ${y1} ${middle} ${y2} ${x2} ${y2}V${y2 + deep}C${middle} ${y2 + deep} ${middle} ${y1 + deep} ${x1} ${y1 + deep}Z`;
}
