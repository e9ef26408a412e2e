import { valueAt } from "@/charts/axis";
import { count, inUnit, unitWords } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import type { Clause, Range } from "@/lens/clauses";
import { rangeClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { columnHue, ColumnShape } from "@/marks/column-mark";
import { customersOf } from "@/stations/portraits/compared";
import type { Box, Page, Panel, Scale } from "@/stations/portraits/spread/use-spread";
import { useStudy } from "@/study/context";

const WIDTH = 320;
const LEFT = 104;
const RIGHT = 12;
const TOP = 30;
const HILL = 22;
const ROW = 21;
const LETTERS = 13;

/** Places along the panel, 0 to 1, of what a box tells. */
export function placesOf(box: Box, scale: Scale): (number | null)[] {
  return scale === "own"
    ? box.places
    : box.among.map((share) => (share === null ? null : share / 100));
}

/** One measure: everyone above in grey, then a box for every column. */
export function SpreadPanel({ page, panel, scale }: { page: Page; panel: Panel; scale: Scale }) {
  const { study } = useStudy();
  const lens = useLens();
  const foot = TOP + HILL + page.columns.length * ROW + 8;
  const inner = WIDTH - LEFT - RIGHT;
  const x = (place: number) => LEFT + place * inner;
  const told = (value: number | null | undefined) => inUnit(value, panel.unit, study.currency);
  const unit = unitWords(panel.unit, study.currency);
  const after = panel.unit.startsWith("money") ? "" : unit && ` ${unit}`;
  const ends =
    scale === "own"
      ? [
          told(panel.low),
          `${told(panel.high)}${after}${panel.beyond ? " and beyond" : ""}${panel.log ? ", log" : ""}`,
        ]
      : ["0", "100, among everyone"];
  const most = Math.max(1, ...panel.everyone);
  const bins = panel.everyone.length;
  const edge = (bin: number) =>
    bin <= 0 || bin >= bins ? null : Number(valueAt(bin / bins, panel).toPrecision(6));
  return (
    <PickPicture
      viewBox={`0 0 ${WIDTH} ${foot + 18}`}
      className="w-full"
      label={`${panel.label}: everyone, and a box for each of ${page.columns.length} columns`}
    >
      <text x={0} y={13} fontSize={13} fontWeight={600}>
        {panel.label}
      </text>
      <text x={WIDTH - RIGHT} y={13} fontSize={11} textAnchor="end" style={QUIET}>
        {scale === "own" ? "everyone above, in grey" : "percentiles"}
      </text>
      {scale === "own" &&
        panel.everyone.map((value, bin) => {
          const height = (value / most) * HILL;
          const range: Range = [edge(bin), edge(bin + 1)];
          const mine = rangeClause(panel.field, range);
          const words = `${told(range[0] ?? panel.low)} to ${told(range[1] ?? panel.high)}`;
          return (
            <rect
              key={bin}
              x={x(bin / bins)}
              width={inner / bins + 0.3}
              y={TOP + HILL - 4 - height}
              height={Math.max(height, value > 0 ? 1 : 0)}
              fill="var(--color-everyone)"
              {...pickable({
                label: `${panel.label} ${words}: ${count(value)} of everyone`,
                reached: value > 0,
                onPick: (more) => lens.pick(panel.field, { range }, more),
                onTry: (resting) => lens.preview(resting ? mine : null),
              })}
            />
          );
        })}
      {page.columns.map((head, n) => {
        const box = panel.boxes[n];
        const y = TOP + HILL + (n + 0.5) * ROW;
        const name = head.mark === null ? head.name : head.short || head.name;
        return (
          <g key={head.number}>
            <text x={LEFT - 26} y={y + 4} fontSize={11} textAnchor="end" style={QUIET}>
              {name.length > LETTERS ? `${name.slice(0, LETTERS - 1)}…` : name}
            </text>
            <ColumnShape head={head} x={LEFT - 14} y={y} size={14} />
            {box && (
              <BoxShape
                box={box}
                places={placesOf(box, scale)}
                hue={columnHue(head)}
                x={x}
                y={y}
                hill={scale === "own"}
                mark={pickable({
                  label: `${panel.label}, ${head.name}: ${boxWords(box, told, scale)}`,
                  onPick: (more) => lens.take(boxClauses(panel, head, box), more),
                  onTry: (resting) =>
                    lens.preview(resting ? (boxClauses(panel, head, box).at(-1) ?? null) : null),
                })}
              />
            )}
          </g>
        );
      })}
      <line x1={LEFT} x2={WIDTH - RIGHT} y1={foot} y2={foot} stroke="var(--color-line)" />
      {ends.map((words, place) => (
        <text
          key={place}
          x={x(place)}
          y={foot + 13}
          fontSize={11}
          textAnchor={place ? "end" : "start"}
          style={QUIET}
        >
          {words}
        </text>
      ))}
    </PickPicture>
  );
}

const QUIET = { fill: "var(--color-quiet)" };

/** The middle half of a column, as a lens. */
function boxClauses(panel: Panel, head: Page["columns"][number], box: Box): Clause[] {
  const [, low = null, , high = null] = box.five;
  return [...customersOf(head), rangeClause(panel.field, [low, high])];
}

function boxWords(box: Box, told: (value: number | null | undefined) => string, scale: Scale) {
  if (box.five[2] === null || box.five[2] === undefined) return "nobody has a value";
  const rank = (place: number) => (box.among[place] ?? 0).toFixed(0);
  const words = `median ${told(box.five[2])}, middle half ${told(box.five[1])} to ${told(box.five[3])}, nine in ten ${told(box.five[0])} to ${told(box.five[4])}, of ${count(box.customers)}`;
  return scale === "own"
    ? words
    : `${words}; among everyone median at ${rank(2)}, middle half ${rank(1)} to ${rank(3)} of 100`;
}

function BoxShape(props: {
  box: Box;
  places: (number | null)[];
  hue: string;
  x: (place: number) => number;
  y: number;
  hill: boolean;
  mark: ReturnType<typeof pickable>;
}) {
  const { box, places, hue, x, y, hill, mark } = props;
  const [low, lower, middle, upper, high] = places;
  if (low === null || low === undefined) return null;
  const at = (place: number | null | undefined) => x(place ?? 0);
  const most = Math.max(1, ...box.bins);
  const outline = box.bins
    .map((value, bin) => `L${x((bin + 0.5) / box.bins.length)},${y + 8 - (value / most) * 15}`)
    .join("");
  return (
    <g {...mark}>
      <rect x={x(0)} width={x(1) - x(0)} y={y - ROW / 2} height={ROW} fill="transparent" />
      {hill && (
        <path d={`M${x(0)},${y + 8}${outline}L${x(1)},${y + 8}Z`} fill={hue} opacity={0.13} />
      )}
      <line x1={at(low)} x2={at(high)} y1={y} y2={y} stroke={hue} strokeWidth={1.3} opacity={0.8} />
      <rect
        x={at(lower)}
        width={Math.max(2, at(upper) - at(lower))}
        y={y - 5}
        height={10}
        rx={1.5}
        fill={hue}
        opacity={0.32}
      />
      <line x1={at(middle)} x2={at(middle)} y1={y - 7} y2={y + 7} stroke={hue} strokeWidth={2.4} />
    </g>
  );
}
