import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, fixed, inUnit } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { useLens } from "@/lens/context";
import type { Page, Thread } from "@/stations/measures/use-measures";
import { useRows } from "@/stations/measures/use-rows";
import { useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";
import { Select } from "@/ui/select";
import { unit } from "@/study/unit";

const MOST = 7;
const GAP = 8;
const LEFT = 54;
const TOP = 6;

interface Props {
  page: Page;
  numbers: Thread[];
  names: string[];
  onNames: (names: string[]) => void;
  onPair: (x: string, y: string) => void;
}

/** Small pictures of every pair of some measures; the same customers in each. */
export function PairMatrix({ page, numbers, names, onNames, onPair }: Props) {
  const { study } = useStudy();
  const view = useRows();
  const { digest } = useLens();
  const matrix = useQuery({
    queryKey: ["study", study.id, "pairs", view, names, digest, page.made_from],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/pairs", {
          params: {
            path: { study: study.id },
            query: { ...view, names: names.join(","), ...(digest && { lens: digest }) },
          },
          signal,
        }),
      ),
    enabled: names.length >= 2,
    placeholderData: keepPreviousData,
  });
  const free = numbers.filter((thread) => !names.includes(thread.name));
  return (
    <section className="card p-3" aria-label="Pairs">
      <div className="mb-2 flex flex-wrap items-center gap-1.5 text-12">
        {names.map((name) => (
          <span
            key={name}
            className="inline-flex items-center gap-1 rounded-md border border-line px-2 py-0.5"
          >
            {numbers.find((thread) => thread.name === name)?.label ?? name}
            {names.length > 2 && (
              <button
                type="button"
                aria-label={`Take ${name} away`}
                className="text-quiet hover:text-ink"
                onClick={() => onNames(names.filter((each) => each !== name))}
              >
                ×
              </button>
            )}
          </span>
        ))}
        {names.length < MOST && (
          <Select
            label="Add a measure"
            value=""
            look="add"
            onChange={(value) => onNames([...names, value])}
            options={[
              ["", "+ measure"],
              ...free.map((thread) => [thread.name, thread.label] as const),
            ]}
          />
        )}
      </div>
      {matrix.isError ? (
        <Failed words={matrix.error.message} />
      ) : names.length < 2 ? (
        <p className="p-4 text-quiet">Add a measure: a pair takes two.</p>
      ) : matrix.data ? (
        <Field found={matrix.data} onPair={onPair} />
      ) : (
        <Waiting />
      )}
    </section>
  );
}

function Field({
  found,
  onPair,
}: {
  found: Schemas["MatrixPage"];
  onPair: (x: string, y: string) => void;
}) {
  const { study } = useStudy();
  const { names, places, axes, units } = found;
  const n = names.length;
  const size = Math.floor((920 - LEFT - GAP * n) / n);
  const tall = Math.min(size, Math.floor(490 / n));
  const words = (value: number, place: number) => inUnit(value, units[place] ?? "", study.currency);
  const height = TOP + n * (tall + GAP) + 26;
  return (
    <>
      <PickPicture
        viewBox={`0 0 ${LEFT + n * (size + GAP)} ${height}`}
        className="w-full"
        label={`Every pair of ${found.labels.join(", ")}`}
      >
        {names.map((row, i) => {
          const y0 = TOP + i * (tall + GAP);
          return (
            <g key={row}>
              <text x={LEFT - 6} y={y0 + 9} fontSize={11} textAnchor="end" className="fill-quiet">
                {words(axes[i]?.high ?? 0, i)}
              </text>
              <text
                x={LEFT - 6}
                y={y0 + tall}
                fontSize={11}
                textAnchor="end"
                className="fill-quiet"
              >
                {words(axes[i]?.low ?? 0, i)}
              </text>
              {names.map((column, j) => {
                const x0 = LEFT + j * (size + GAP);
                return (
                  <g key={column} transform={`translate(${x0} ${y0})`}>
                    {i === j ? (
                      <Own found={found} place={i} size={size} tall={tall} />
                    ) : i < j ? (
                      <Strength value={found.r[i]?.[j] ?? null} size={size} tall={tall} />
                    ) : (
                      <Small
                        xs={places[j] ?? []}
                        ys={places[i] ?? []}
                        inside={found.inside}
                        size={size}
                        tall={tall}
                        label={`${found.labels[j]} across, ${found.labels[i]} upwards`}
                        onOpen={() => onPair(column, row)}
                      />
                    )}
                  </g>
                );
              })}
            </g>
          );
        })}
        {names.map((name, j) => {
          const x0 = LEFT + j * (size + GAP);
          const y = TOP + n * (tall + GAP) + 8;
          return (
            <g key={name} fontSize={11} className="[&_text]:fill-quiet">
              <text x={x0} y={y}>
                {words(axes[j]?.low ?? 0, j)}
              </text>
              <text x={x0 + size} y={y} textAnchor="end">
                {words(axes[j]?.high ?? 0, j)}
              </text>
              <text x={x0 + size / 2} y={y + 13} textAnchor="middle" fontWeight={600}>
                {found.labels[j]}
              </text>
            </g>
          );
        })}
      </PickPicture>
      <p className="text-11 text-quiet">
        The same {count(found.numbers.length)} of {count(found.customers)} {unit.many} in each, a
        seeded sample; r is Pearson’s, of everyone with both.{" "}
        {axes.some((axis) => axis.log) && "Some axes are log scales. "}
        Pick a picture to see the pair whole.
      </p>
    </>
  );
}

function Own({
  found,
  place,
  size,
  tall,
}: {
  found: Schemas["MatrixPage"];
  place: number;
  size: number;
  tall: number;
}) {
  const shape = found.shapes[place] ?? [];
  const most = Math.max(1, ...shape);
  const step = size / Math.max(1, shape.length);
  return (
    <>
      <rect width={size} height={tall} fill="var(--color-paper)" />
      {shape.map((value, n) => {
        const h = (value / most) * (tall - 24);
        return (
          <rect
            key={n}
            x={n * step}
            y={tall - h}
            width={Math.max(0.5, step - 0.7)}
            height={h}
            fill="var(--color-everyone)"
          />
        );
      })}
      <text x={6} y={14} fontSize={12} fontWeight={600}>
        {found.labels[place]}
        {found.axes[place]?.log && (
          <tspan fontSize={11} fontWeight={400} className="fill-quiet">
            {" "}
            log
          </tspan>
        )}
      </text>
    </>
  );
}

function Strength({ value, size, tall }: { value: number | null; size: number; tall: number }) {
  if (value === null)
    return (
      <text x={size / 2} y={tall / 2} textAnchor="middle" fontSize={12} className="fill-quiet">
        –
      </text>
    );
  const text = fixed(value);
  return (
    <text
      x={size / 2}
      y={tall / 2 + 5}
      textAnchor="middle"
      fontSize={11 + Math.abs(value) * 10}
      fontWeight={Math.abs(value) > 0.5 ? 600 : 400}
      fill={Math.abs(value) < 0.1 ? "var(--color-quiet)" : "var(--color-ink)"}
    >
      r {text}
    </text>
  );
}

interface SmallProps {
  xs: (number | null)[];
  ys: (number | null)[];
  inside: boolean[] | null;
  size: number;
  tall: number;
  label: string;
  onOpen: () => void;
}

function Small({ xs, ys, inside, size, tall, label, onOpen }: SmallProps) {
  const path = (keep: boolean) =>
    xs
      .map((x, n) => {
        const y = ys[n];
        if (x === null || y === null || y === undefined) return "";
        if (inside && inside[n] !== keep) return "";
        return `M${(x * (size - 4) + 2).toFixed(1)},${(tall - 2 - y * (tall - 4)).toFixed(1)}h0`;
      })
      .join("");
  return (
    <g {...pickable({ label: `${label}: see the pair`, onPick: onOpen })}>
      <rect width={size} height={tall} fill="var(--color-card)" stroke="var(--color-line)" />
      {inside && (
        <path
          d={path(false)}
          stroke="var(--color-everyone)"
          strokeWidth={2.6}
          strokeLinecap="round"
          opacity={0.7}
        />
      )}
      <path
        d={path(true)}
        stroke={inside ? "var(--color-teal)" : "var(--color-quiet)"}
        strokeWidth={2.6}
        strokeLinecap="round"
        opacity={inside ? 0.7 : 0.55}
      />
      <title>{label}</title>
    </g>
  );
}
