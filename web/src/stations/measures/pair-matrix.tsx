import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { placeOf } from "@/charts/axis";
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
        <Field found={matrix.data} numbers={numbers} onPair={onPair} />
      ) : (
        <Waiting />
      )}
    </section>
  );
}

function Field({
  found,
  numbers,
  onPair,
}: {
  found: Schemas["MatrixPage"];
  numbers: Thread[];
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
                      <Own
                        found={found}
                        place={i}
                        thread={numbers.find((thread) => thread.name === row)}
                        size={size}
                        tall={tall}
                      />
                    ) : i < j ? (
                      <Bracket value={found.r[i]?.[j] ?? null} size={size} tall={tall} />
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
        seeded sample. On its own thread each measure shows its middle half and median. A bracket
        closes as two say the same: violet, they rise together; ochre, one rises as the other falls;
        r is Pearson’s, of everyone with both.{" "}
        {axes.some((axis) => axis.log) && "Some axes are log scales. "}
        Pick a picture to see the pair whole.
      </p>
    </>
  );
}

interface OwnProps {
  found: Schemas["MatrixPage"];
  place: number;
  thread: Thread | undefined;
  size: number;
  tall: number;
}

/** A measure on its own: how it is spread, hanging on its thread with the middle half thickened. */
function Own({ found, place, thread, size, tall }: OwnProps) {
  const shape = found.shapes[place] ?? [];
  const axis = found.axes[place];
  const figures = thread?.numbers?.figures;
  const line = tall - 12;
  const most = Math.max(1, ...shape);
  const step = size / Math.max(1, shape.length);
  const points = shape.map(
    (value, n) =>
      `L${((n + 0.5) * step).toFixed(1)} ${(line - 3 - (value / most) * (line - 24)).toFixed(1)}`,
  );
  const at = (value: number | null | undefined) =>
    axis && value !== null && value !== undefined ? size * placeOf(value, axis) : null;
  const [low, middle, high] = [figures?.quartile_1, figures?.median, figures?.quartile_3].map(at);
  return (
    <>
      <path
        d={`M0 ${line - 3}${points.join("")}L${size} ${line - 3}Z`}
        fill="var(--color-everyone)"
        opacity={0.8}
      />
      <line x2={size} y1={line} y2={line} stroke="var(--color-line)" strokeWidth={1.5} />
      {typeof low === "number" && typeof high === "number" && (
        <line x1={low} x2={high} y1={line} y2={line} stroke="var(--color-quiet)" strokeWidth={5} />
      )}
      {typeof middle === "number" && (
        <line
          x1={middle}
          x2={middle}
          y1={line - 6}
          y2={line + 6}
          stroke="var(--color-ink)"
          strokeWidth={2.5}
        />
      )}
      <text x={2} y={12} fontSize={12} fontWeight={600}>
        {found.labels[place]}
        {axis?.log && (
          <tspan fontSize={11} fontWeight={400} className="fill-quiet">
            {" "}
            log
          </tspan>
        )}
      </text>
    </>
  );
}

const JAW = 6;

/** How alike two measures are: a bracket that closes as they come to say the same. */
function Bracket({ value, size, tall }: { value: number | null; size: number; tall: number }) {
  const middle = size / 2;
  if (value === null)
    return (
      <text x={middle} y={tall / 2} textAnchor="middle" fontSize={11} className="fill-quiet">
        too little in common
      </text>
    );
  const strength = Math.abs(value);
  const high = Math.min(26, tall / 2 - 14);
  const y = tall / 2 - 8;
  const away = JAW + 1 + (1 - strength) * (middle - JAW - 8);
  const colour = value < 0 ? "var(--color-below)" : "var(--color-above)";
  const jaw = (way: 1 | -1) => {
    const x = middle + way * away;
    const inner = x - way * JAW;
    return `M${inner} ${y - high / 2}H${x}V${y + high / 2}H${inner}`;
  };
  return (
    <g>
      <line
        x1={middle - away}
        x2={middle + away}
        y1={y}
        y2={y}
        stroke="var(--color-line)"
        strokeDasharray="2 3"
      />
      <path
        d={`${jaw(-1)}${jaw(1)}`}
        fill="none"
        stroke={colour}
        strokeWidth={strength >= 0.1 ? 2.5 : 1.2}
      />
      <text x={middle} y={y + high / 2 + 16} textAnchor="middle" fontSize={11}>
        {value < 0 ? "▾" : "▴"} r {fixed(value)}
      </text>
    </g>
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
