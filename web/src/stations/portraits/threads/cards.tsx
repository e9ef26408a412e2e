import type { Schemas } from "@/api/client";
import { count, inUnit, within } from "@/charts/format";
import { SEGMENT } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { SegmentMark } from "@/marks/segment-mark";
import { Naming } from "@/stations/portraits/threads/naming";
import type { SegmentBody } from "@/stations/portraits/use-segment-change";
import { MoneyCurve } from "@/stations/portraits/threads/money-curve";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";

interface Props {
  page: Schemas["PortraitsPage"];
  segment: Schemas["SegmentHead"];
  onChange: (body: SegmentBody) => Promise<unknown>;
}

/** The chosen segment: its name and why, who is typical, who stands on the border. */
export function SegmentCards({ page, segment, onChange }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const rival = page.segments.find((other) => other.number === segment.border_towards);
  const rows = page.numeric.filter((row) => row.shaped).slice(0, 3);
  const places = rows.map((row) => page.numeric.indexOf(row));
  return (
    <div
      className={`grid gap-3 narrow:grid-cols-[repeat(auto-fit,minmax(min(240px,100%),1fr))] ${page.curve ? "grid-cols-[1.3fr_1fr_1fr_1.1fr]" : "grid-cols-[1.3fr_1fr_1fr]"}`}
    >
      <Naming key={segment.id} segment={segment} onChange={onChange} />
      <section className="card p-3">
        <h2 className="text-14">Most typical</h2>
        <ul className="mt-1">
          {segment.typical.map((customer) => (
            <li key={customer.card} className="border-t border-line py-1 first:border-t-0">
              <span className="font-semibold">{customer.card}</span>{" "}
              <span className="text-12 text-quiet">
                {rows
                  .map(
                    (row, index) =>
                      `${within(row.label)} ${inUnit(customer.values[places[index] ?? 0], row.unit, study.currency)}`,
                  )
                  .join(", ")}
              </span>
            </li>
          ))}
        </ul>
      </section>
      <section className="card flex flex-col p-3">
        <h2 className="text-14">On the border</h2>
        <p className="mt-1 flex-1">
          {segment.border === 0 ? (
            <>Nobody of {segment.name} stands almost as close to another group.</>
          ) : (
            <>
              <b className="font-semibold">
                {count(segment.border)} of {count(segment.customers)}
              </b>{" "}
              stand almost as close to another group
              {rival && (
                <>
                  , most of them ({count(segment.border_towards_customers)}) to{" "}
                  <span className="inline-flex items-center gap-1 align-bottom">
                    <SegmentMark mark={rival.mark} size={14} /> {rival.name}
                  </span>
                </>
              )}
              .
            </>
          )}
        </p>
        <Button
          className="mt-2 w-fit"
          onClick={(event) => lens.pick(SEGMENT, { value: String(segment.number) }, event.shiftKey)}
        >
          Look at these {count(segment.customers)}
        </Button>
      </section>
      <MoneyCurve page={page} />
    </div>
  );
}
