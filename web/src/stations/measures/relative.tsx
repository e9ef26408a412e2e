import type { Schemas } from "@/api/client";
import { placeOf } from "@/charts/axis";
import { count, fixed, inUnit } from "@/charts/format";
import { Picture } from "@/charts/picture";
import type { Page, Thread } from "@/stations/measures/use-measures";
import { useStudy } from "@/study/context";
import { PAIRED } from "@/stations/measures/paired";
import { useAddress } from "@/study/address";
import { unit } from "@/study/unit";

const W = 250;
const H = 150;

/** The measure most like this one: some customers by both. */
export function RelativePlot({
  thread,
  relative,
  page,
  onGo,
}: {
  thread: Thread;
  relative: Schemas["Relative"];
  page: Page;
  onGo: (name: string) => void;
}) {
  const { study } = useStudy();
  const [, put] = useAddress(PAIRED);
  const other = page.threads.find((each) => each.name === relative.name);
  const xAxis = thread.numbers?.axis ?? { low: 0, high: 1, log: false };
  const yAxis = other?.numbers?.axis ?? { low: 0, high: 1, log: false };
  const words = (value: number, unit: string) => inUnit(value, unit, study.currency);
  return (
    <figure>
      <figcaption className="mb-1">
        Most like{" "}
        <button
          type="button"
          className="font-semibold underline"
          onClick={() => onGo(relative.name)}
        >
          {relative.label}
        </button>
        <span className="text-quiet"> (rank correlation {fixed(relative.r)})</span>
      </figcaption>
      <Picture
        viewBox={`-34 -4 ${W + 40} ${H + 34}`}
        className="w-full"
        label={`${thread.label} across, ${relative.label} upwards`}
      >
        <line x1={0} x2={W} y1={H} y2={H} stroke="var(--color-quiet)" />
        <line x1={0} x2={0} y1={0} y2={H} stroke="var(--color-quiet)" />
        {relative.x.map((x, n) => (
          <circle
            key={n}
            cx={placeOf(x, xAxis) * W}
            cy={H - placeOf(relative.y[n] ?? 0, yAxis) * H}
            r={1.6}
            fill={relative.inside[n] ? "var(--color-quiet)" : "var(--color-everyone)"}
            opacity={0.55}
          />
        ))}
        <g fontSize={11} className="[&_text]:fill-quiet">
          <text x={0} y={H + 13}>
            {words(xAxis.low, thread.unit)}
          </text>
          <text x={W} y={H + 13} textAnchor="end">
            {words(xAxis.high, thread.unit)}
          </text>
          <text x={W / 2} y={H + 26} textAnchor="middle">
            {thread.label}
            {xAxis.log && ", log"}
          </text>
          <text x={-3} y={8} textAnchor="end">
            {words(yAxis.high, relative.unit)}
          </text>
          <text x={-3} y={H} textAnchor="end">
            {words(yAxis.low, relative.unit)}
          </text>
        </g>
      </Picture>
      <button
        type="button"
        className="text-11 text-quiet underline"
        onClick={() => void put({ look: "pairs", x: thread.name, y: relative.name })}
      >
        {relative.x.length < relative.customers
          ? `${count(relative.x.length)} of ${count(relative.customers)} ${unit.many} shown: see the pair`
          : "See the pair"}
      </button>
    </figure>
  );
}
