import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { SEGMENT } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { ColumnMark, columnHue, ColumnShape } from "@/marks/column-mark";
import { useOffersAddress } from "@/stations/portraits/offers/use-offers";
import type { Page } from "@/stations/portraits/offers/use-offers";
import { percent } from "@/stations/portraits/threads/cells";
import { Select } from "@/ui/select";
import { useWidth } from "@/ui/use-width";

const ROW = 24;
const ANY = "any";

/** A next mailing put together from what past offers had: who can be expected to take it. */
export function NextMailing({ page }: { page: Page }) {
  const { mailing, put } = useOffersAddress();
  const lens = useLens();
  const [frame, width] = useWidth<HTMLDivElement>(600);
  const rows = [...page.expected].sort((one, other) => (other.share ?? -1) - (one.share ?? -1));
  const top = Math.max(0.05, ...rows.map((row) => row.high ?? 0));
  const x = (share: number) => 8 + (share / top) * (width - 16);
  const like = rows[0]?.like ?? 0;
  return (
    <section className="card p-3" aria-label="Next mailing">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h2 className="text-14">Next mailing</h2>
        {page.attributes
          .filter((attribute) => attribute.values.length > 0)
          .map((attribute) => (
            <label key={attribute.name} className="flex items-center gap-1.5 text-12 text-quiet">
              {attribute.label.toLowerCase()}
              <Select
                look="word"
                value={mailing[attribute.name] ?? ANY}
                options={[
                  [ANY, "any"],
                  ...attribute.values.map((value) => [value, value] as const),
                ]}
                onChange={(value) => {
                  const kept = Object.entries(mailing).filter(([name]) => name !== attribute.name);
                  const next = Object.fromEntries(
                    value === ANY ? kept : [...kept, [attribute.name, value] as const],
                  );
                  void put({ mailing: Object.keys(next).length ? next : null });
                }}
              />
            </label>
          ))}
        <span className="flex-1" />
        <span className="text-11 text-quiet">
          expected take-up; line: where one such offer comes out 95 times in 100
        </span>
      </div>
      <div className="mt-2 grid grid-cols-[minmax(120px,180px)_minmax(0,1fr)_110px] items-start gap-3">
        <ul>
          {rows.map((row) => {
            const head = page.columns.find((column) => column.number === row.number);
            return (
              <li
                key={row.number}
                className="flex items-center gap-1.5 truncate text-12"
                style={{ height: ROW }}
              >
                {head && <ColumnMark head={head} size={14} />} {head?.name}
              </li>
            );
          })}
        </ul>
        <div ref={frame}>
          <PickPicture
            width={width}
            height={rows.length * ROW}
            className="block"
            label="Expected take-up of the next mailing, the highest first"
          >
            {rows.map((row, n) => {
              const head = page.columns.find((column) => column.number === row.number);
              const y = (n + 0.5) * ROW;
              const { share, low, high } = row;
              if (!head || share === null || low === null || high === null) return null;
              const pick = { value: String(head.number) };
              const mark =
                head.mark === null
                  ? {}
                  : pickable({
                      label: `${head.name}: ${percent(share)} expected, ${percent(low)} to ${percent(high)}`,
                      onPick: (more) => lens.pick(SEGMENT, pick, more),
                    });
              return (
                <g key={row.number} {...mark}>
                  <rect x={0} width={width} y={y - ROW / 2} height={ROW} fill="transparent" />
                  <line x1={8} x2={width - 8} y1={y} y2={y} stroke="var(--color-line)" />
                  <line
                    x1={x(low)}
                    x2={x(high)}
                    y1={y}
                    y2={y}
                    stroke={columnHue(head)}
                    strokeWidth={2}
                  />
                  <ColumnShape head={head} x={x(share)} y={y} size={15} />
                </g>
              );
            })}
          </PickPicture>
        </div>
        <ul className="text-12">
          {rows.map((row) => (
            <li
              key={row.number}
              className="flex items-center justify-between gap-2"
              style={{ height: ROW }}
            >
              {row.share === null || row.low === null || row.high === null ? (
                <span className="text-quiet">too few offers</span>
              ) : (
                <>
                  <span>{percent(row.share)}</span>
                  <span className="text-quiet">
                    {percent(row.low)} to {percent(row.high)}
                  </span>
                </>
              )}
            </li>
          ))}
        </ul>
      </div>
      <p className="mt-1 text-11 text-quiet">
        {Object.keys(page.chosen).length > 0
          ? `${like} past ${like === 1 ? "offer is" : "offers are"} like it; the segment’s mean counts as three more.`
          : "The mean of all past offers. Choose what the next one is like."}{" "}
        Pick a row, and the segment is the lens; Shift adds another.
      </p>
    </section>
  );
}
