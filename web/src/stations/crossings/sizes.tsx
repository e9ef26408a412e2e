import type { Schemas } from "@/api/client";
import { count, day } from "@/charts/format";
import { SegmentMark } from "@/marks/segment-mark";
import type { PickedCrossing } from "@/stations/crossings/picked";

interface Props {
  page: Schemas["CrossingsPage"];
  step: Schemas["StepTable"];
  number: number;
  onPick: (picked: PickedCrossing, more?: boolean) => void;
}

const CLEAR = 0.05;

/** Whether sizes changed by more than chance makes, and which ways are taken more often than back. */
export function Sizes({ page, step, number, onPick }: Props) {
  const { customers, since, p, one_way: ways, untold } = step.sizes;
  return (
    <section className="card p-3" aria-label="Sizes">
      <h2 className="text-14">Did the sizes change?</h2>
      {untold ? (
        <p className="mt-1 text-12 text-quiet">It cannot be told: {untold}.</p>
      ) : (
        <>
          <p className="mt-1">
            {p === null
              ? "Nobody has moved"
              : p < CLEAR
                ? "Yes, by more than chance makes"
                : "No more than chance makes"}
            <span className="text-quiet">
              , of the {count(customers)} who bought before {day(since)} already and are in a
              segment at both dates{p !== null && ` (${chance(p)})`}.
            </span>
          </p>
          <ul className="mt-1 grid gap-0.5">
            {ways.map((way) => (
              <li key={`${way.one}>${way.other}`}>
                <button
                  type="button"
                  className="flex w-full items-center gap-1.5 text-left text-12 hover:underline"
                  onClick={(event) =>
                    onPick({ step: number, origin: way.one, target: way.other }, event.shiftKey)
                  }
                >
                  <Name page={page} place={way.one} /> <span aria-hidden>→</span>
                  <span className="sr-only">to</span> <Name page={page} place={way.other} />
                  <span className="ml-auto whitespace-nowrap text-quiet">
                    {count(way.there)}, back {count(way.back)}
                  </span>
                </button>
              </li>
            ))}
          </ul>
          {p !== null && ways.length === 0 && (
            <p className="mt-1 text-12 text-quiet">
              Between no two segments do more go one way than the other, as far as chance lets one
              tell.
            </p>
          )}
        </>
      )}
    </section>
  );
}

function Name({ page, place }: { page: Schemas["CrossingsPage"]; place: number }) {
  const state = page.states[place];
  return (
    <span className="inline-flex min-w-0 items-center gap-1 truncate">
      {state?.mark !== null && state?.mark !== undefined && (
        <SegmentMark mark={state.mark} size={14} />
      )}
      {state?.name}
    </span>
  );
}

/** How often chance alone changes sizes as much. */
function chance(p: number): string {
  if (p < 0.001) return "chance alone: less than once in 1,000 times";
  return `chance alone: ${p < 0.1 ? (100 * p).toFixed(1) : (100 * p).toFixed(0)} times in 100`;
}
