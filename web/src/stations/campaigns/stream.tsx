import { count, percent } from "@/charts/format";
import { Picture } from "@/charts/picture";
import { SegmentMark } from "@/marks/segment-mark";
import type { Row } from "@/stations/campaigns";
import { RowHead, Table } from "@/ui/table";

const WIDTH = 960;
const HEIGHT = 230;
const TOP = 34;
const DEEP = 120;
const LEFT = 10;
const NARROWEST = 3;

const share = (part: number) => percent(part, 1, 0);

/** The audience as one stream: what falls away drops downward, the rest forks into two arms. */
export function Stream({ row }: { row: Row }) {
  const falls = Object.entries(row.fell_away);
  const step = (WIDTH - 330) / (falls.length + 1);
  const scale = (value: number) => (row.lens ? (value / row.lens) * DEEP : 0);
  let left = row.lens;
  const pieces = falls.map(([name, gone], place) => {
    const before = left;
    left -= gone;
    return { name, gone, before, after: left, x: LEFT + 90 + place * step };
  });
  const audience = row.written + row.held;
  const fork = LEFT + 90 + falls.length * step;
  const writtenDeep = Math.max(scale(row.written), row.written ? NARROWEST : 0);
  const heldDeep = Math.max(scale(row.held), row.held ? NARROWEST : 0);
  const end = WIDTH - 190;
  return (
    <section className="card p-3" aria-label="From the lens to the arms">
      <Picture
        width="100%"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        label={`${row.lens} in the lens, ${falls.map(([name, gone]) => `${gone} ${name}`).join(", ")}, ${row.written} written to, ${row.held} held out`}
      >
        <text x={LEFT} y={14} fontSize={12} style={{ fill: "var(--color-quiet)" }}>
          in the lens
        </text>
        <text x={LEFT} y={29} fontSize={14} fontWeight={600}>
          {count(row.lens)}
        </text>
        <rect
          x={LEFT}
          y={TOP}
          width={90}
          height={scale(row.lens)}
          fill="var(--color-teal)"
          opacity={0.8}
        />
        {pieces.map((piece) => {
          const keep = scale(piece.after);
          const gone = Math.max(scale(piece.gone), piece.gone ? 1 : 0);
          return (
            <g key={piece.name}>
              <rect x={piece.x} y={TOP} width={step} height={keep} fill="var(--color-everyone)" />
              {piece.gone > 0 && (
                <path
                  d={`M${piece.x} ${TOP + keep}H${piece.x + 10}Q${piece.x + 26} ${TOP + keep} ${piece.x + 30} ${HEIGHT - 44}H${piece.x + 30 - Math.max(2, gone / 3)}Q${piece.x + 12} ${TOP + keep + gone} ${piece.x} ${TOP + keep + gone}Z`}
                  fill="var(--color-line)"
                  stroke="var(--color-quiet)"
                  strokeWidth={0.5}
                />
              )}
              <text x={piece.x + 8} y={HEIGHT - 26} fontSize={12}>
                <tspan fontWeight={600}>{count(piece.gone)}</tspan>
              </text>
              <text
                x={piece.x + 8}
                y={HEIGHT - 11}
                fontSize={11}
                style={{ fill: "var(--color-quiet)" }}
              >
                {piece.name}
              </text>
            </g>
          );
        })}
        <rect x={fork} y={TOP} width={40} height={scale(audience)} fill="var(--color-everyone)" />
        <path
          d={band(fork + 40, TOP, writtenDeep, end, TOP - 4)}
          fill="var(--color-ink)"
          opacity={0.75}
        />
        <path
          d={band(fork + 40, TOP + scale(row.written), heldDeep, end, TOP + writtenDeep + 42)}
          fill="var(--color-quiet)"
          opacity={0.45}
        />
        <text x={end + 10} y={TOP + 10} fontSize={14} fontWeight={600}>
          {count(row.written)}
        </text>
        <text x={end + 10} y={TOP + 25} fontSize={12} style={{ fill: "var(--color-quiet)" }}>
          written to
        </text>
        <text x={end + 10} y={TOP + writtenDeep + 52} fontSize={14} fontWeight={600}>
          {count(row.held)}
        </text>
        <text
          x={end + 10}
          y={TOP + writtenDeep + 67}
          fontSize={12}
          style={{ fill: "var(--color-quiet)" }}
        >
          held out, {percent(row.held, audience)}
        </text>
      </Picture>
      <p className="border-t border-line pt-2">
        {row.state === "draft"
          ? proof(row)
          : `Drawn with seed ${row.seed}; who is held out is kept until the result is read.`}
      </p>
      {row.offer && <Offered offer={row.offer} />}
      {row.arms.length > 1 && (
        <Table label="Written to and held out, by segment" className="mt-2">
          <tbody>
            {row.arms.map((arm) => (
              <tr key={arm.segment}>
                <RowHead className="pr-4">
                  <span className="inline-flex items-center gap-1.5">
                    {arm.mark !== null && <SegmentMark mark={arm.mark} size={14} />}
                    {arm.segment}
                  </span>
                </RowHead>
                <td className="pr-4 text-right">{count(arm.written)} written to</td>
                <td className="pr-4 text-right text-quiet">{count(arm.held)} held out</td>
                {row.offer && (
                  <td className="text-right">
                    {arm.expected === null ? (
                      <span className="text-quiet">not told</span>
                    ) : (
                      `${share(arm.expected)} expected to take it`
                    )}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </Table>
      )}
    </section>
  );
}

/** What is offered, and what its like were taken up by. */
function Offered({ offer }: { offer: NonNullable<Row["offer"]> }) {
  const { share: all, low, high, like, outside } = offer;
  const told = all !== null && low !== null && high !== null;
  return (
    <p className="mt-1" role="note" aria-label="The offer">
      Offered:{" "}
      <b className="font-semibold">
        {offer.attributes.map((each) => `${each.label.toLowerCase()} ${each.value}`).join(", ")}
      </b>
      .{" "}
      {told
        ? `${share(all)} of those written to can be expected to take it up; one such offer comes out between ${share(low)} and ${share(high)}, 95 times in 100.`
        : "Its take-up cannot be told: a segment has received too few offers."}{" "}
      <span className="text-quiet">
        {like === 1 ? "One past offer is" : `${count(like)} past offers are`} like it.
        {outside > 0 &&
          ` ${count(outside)} of those written to are in no segment and not counted here.`}{" "}
        Not an effect: who received past offers was chosen.
      </span>
    </p>
  );
}

function band(x1: number, y1: number, deep: number, x2: number, y2: number): string {
  const middle = (x1 + x2) / 2;
  return `M${x1} ${y1}C${middle} ${y1} ${middle} ${y2} ${x2} ${y2}V${y2 + deep}C${middle} ${y2 + deep} ${middle} ${y1 + deep} ${x1} ${y1 + deep}Z`;
}

function proof(row: Row): string {
  if (row.written + row.held === 0)
    return "Nobody is left to write to. Widen the lens and plan again.";
  if (row.smallest_effect === null)
    return row.held === 0
      ? "This cannot be measured: nobody is held out. Hold out some."
      : row.base_rate === null
        ? `How large a rise this finds cannot be told: ${row.untold}.`
        : `This cannot be measured: ${count(row.written)} written to and ${count(row.held)} held out are too few to tell any rise. Widen the lens, or hold out more.`;
  const points = (100 * row.smallest_effect).toFixed(1);
  const share = (value: number | null) => (100 * (value ?? 0)).toFixed(1);
  const base = ` Of ${count(row.learnt_from)} in the same lens one horizon earlier, ${share(row.base_rate)} in 100 came unasked (95%: ${share(row.base_low)} to ${share(row.base_high)}).`;
  return `This fork finds a rise of ${points} points or more, 8 times in 10.${base}`;
}
