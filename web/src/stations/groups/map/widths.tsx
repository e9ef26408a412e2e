import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import { count, fixed } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import { useLens } from "@/lens/context";
import { SegmentMark } from "@/marks/segment-mark";
import { useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

const W = 560;
const LOW = -400;
const HIGH = 800;
const TICKS = [-400, -200, 0, 200, 400, 600, 800];
const TALL = 420;

/** Silhouettes by customer: each group's own, the largest first, with those who stand wrong. */
export function Widths({ grouping, field }: { grouping: number; field: string }) {
  const { study, view } = useStudy();
  const lens = useLens();
  const widths = useQuery({
    queryKey: ["study", study.id, "widths", view, grouping, lens.digest],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups/{grouping}/widths", {
          params: {
            path: { study: study.id, grouping },
            query: { ...view, ...(lens.digest && { lens: lens.digest }) },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
  if (widths.isError) return <Failed words={widths.error.message} />;
  if (!widths.data) return <Waiting />;
  const found = widths.data;
  const many = found.groups.reduce((sum, group) => sum + group.length, 0);
  const x = (value: number) => ((Math.max(LOW, Math.min(HIGH, value)) - LOW) / (HIGH - LOW)) * W;
  const zero = x(0);
  return (
    <div aria-label={`Silhouettes by ${unit.one}`} role="group">
      <p className="mb-2 text-12 text-quiet">
        One line per {unit.one}: to the right those who fit their group, to the left those nearer to
        another. {found.exact ? "All" : "A seeded sample of"} {count(many)} {unit.many}; mean{" "}
        {fixed(found.mean)}.
      </p>
      <div className="grid gap-1.5">
        {found.groups.map((group, g) => {
          const high = Math.max(10, Math.round((TALL * group.length) / Math.max(1, many)));
          const wrong = group.filter((value) => value < 0).length;
          const step = high / Math.max(1, group.length);
          const line = (keep: (n: number) => boolean) =>
            group
              .map((value, n) =>
                keep(n)
                  ? `M${zero.toFixed(1)} ${((n + 0.5) * step).toFixed(2)}H${x(value).toFixed(1)}`
                  : "",
              )
              .join("");
          const inside = found.inside?.[g];
          return (
            <button
              key={g}
              type="button"
              className="grid grid-cols-[86px_1fr_150px] items-center gap-2 rounded text-left text-12 hover:bg-paper"
              onClick={(event) => lens.pick(field, { value: String(g + 1) }, event.shiftKey)}
            >
              <span className="flex min-w-0 items-center gap-1 font-semibold">
                {typeof found.names[g]?.mark === "number" && (
                  <SegmentMark mark={found.names[g].mark} size={13} />
                )}
                <span className="truncate">{found.names[g]?.name}</span>
              </span>
              <Glyph
                viewBox={`0 0 ${W} ${high}`}
                className="block w-full"
                preserveAspectRatio="none"
                style={{ height: high }}
              >
                <path
                  d={line((n) => !inside || !inside[n])}
                  stroke={inside ? "var(--color-everyone)" : "var(--color-quiet)"}
                  strokeWidth={Math.max(0.4, step)}
                />
                {inside && (
                  <path
                    d={line((n) => inside[n] ?? false)}
                    stroke="var(--color-teal)"
                    strokeWidth={Math.max(0.6, step)}
                  />
                )}
                <line
                  x1={zero}
                  x2={zero}
                  y1={0}
                  y2={high}
                  stroke="var(--color-ink)"
                  vectorEffect="non-scaling-stroke"
                />
              </Glyph>
              <span className="text-quiet">
                mean {found.means[g] == null ? "–" : fixed(found.means[g])}
                {wrong > 0 && `, ${count(wrong)} nearer to another`}
              </span>
            </button>
          );
        })}
      </div>
      <div className="grid grid-cols-[86px_1fr_150px] gap-2 text-11 text-quiet" aria-hidden>
        <div className="relative col-start-2 h-9 text-center">
          {TICKS.map((tick) => (
            <span
              key={tick}
              className="absolute top-0.5 -translate-x-1/2"
              style={{ left: `${(100 * x(tick)) / W}%` }}
            >
              {(tick / 1000).toFixed(1)}
            </span>
          ))}
          <span className="absolute inset-x-0 bottom-0">silhouette</span>
        </div>
      </div>
    </div>
  );
}
