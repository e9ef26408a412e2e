import { count, within } from "@/charts/format";
import { ColumnMark } from "@/marks/column-mark";
import { NONE, useBeside, usePlacesAddress } from "@/stations/portraits/places/use-places";
import type { Beside, Page } from "@/stations/portraits/places/use-places";
import { percent } from "@/stations/portraits/threads/cells";
import { Failed, Waiting } from "@/ui/status";
import { Column, RowHead, Table } from "@/ui/table";
import { unit } from "@/study/unit";

type Line = Beside["lines"][number];

/** The picked place beside those that are like it. */
export function BesideItsLike({ page, place }: { page: Page; place: string }) {
  const beside = useBeside(place);
  if (place === "")
    return (
      <section className="card p-3 text-12 text-quiet" aria-label="Beside its like">
        Pick a {within(page.label)}, and it stands here beside the five that are most like it: what
        it lacks, and what it has more of.
      </section>
    );
  if (beside.isError) return <Failed words={beside.error.message} />;
  if (beside.isPending || beside.data?.place !== place) return <Waiting />;
  return <Found page={page} found={beside.data} />;
}

function Found({ page, found }: { page: Page; found: Beside }) {
  const told = found.lines.filter((line) => line.told);
  return (
    <section className="card p-3" aria-label="Beside its like">
      <h2 className="text-14">
        {page.label} {found.label} beside its like
      </h2>
      <AlikeBy found={found} />
      {found.like.length === 0 ? (
        <p className="mt-1 text-12">
          No other {within(page.label)} has 20 {unit.many} whose traits are known.
        </p>
      ) : (
        <>
          <p className="text-12 text-quiet">Most like it: {found.like.join(", ")}.</p>
          <Lines page={page} lines={found.lines} />
          <Reach page={page} found={found} />
          <p className="mt-1 text-11 text-quiet">
            {told.length > 0 ? "Bold stands out" : "Nothing stands out"} against chance and against
            each of them. Looking through 20 places where nothing is going on, one would.
          </p>
        </>
      )}
    </section>
  );
}

function AlikeBy({ found }: { found: Beside }) {
  const { put } = usePlacesAddress();
  const on = found.traits.filter((trait) => trait.on).map((trait) => trait.key);
  return (
    <div className="my-1 flex flex-wrap items-center gap-1 text-11 text-quiet">
      alike by
      {found.traits.map((trait) => (
        <button
          key={trait.key}
          type="button"
          aria-pressed={trait.on}
          className={`min-h-[24px] rounded-md border px-1.5 ${trait.on ? "border-ink text-ink" : "border-dashed border-quiet"}`}
          onClick={() => {
            const next = trait.on ? on.filter((key) => key !== trait.key) : [...on, trait.key];
            void put({ alike: next.length > 0 ? next.join(",") : NONE });
          }}
        >
          {trait.label}
        </button>
      ))}
    </div>
  );
}

function Lines({ page, lines }: { page: Page; lines: Line[] }) {
  return (
    <Table label="Here and in the places like it" className="mt-1 w-full border-collapse">
      <thead>
        <tr>
          <Column className="py-1 text-quiet">share of</Column>
          <Column figures className="px-2 py-1 text-quiet">
            here
          </Column>
          <Column figures className="px-2 py-1 text-quiet">
            its like
          </Column>
          <Column figures className="py-1 pl-2 text-quiet">
            its like less here, 95%
          </Column>
        </tr>
      </thead>
      <tbody>
        {lines.map((line) => {
          const head = page.columns.find((column) => column.number === line.column);
          return (
            <tr
              key={`${line.of} ${line.label}`}
              className={`border-t border-line ${line.told ? "font-semibold" : ""}`}
            >
              <RowHead strong={line.told} className="py-0.5">
                <span className="flex items-center gap-1.5">
                  {head && <ColumnMark head={head} size={13} />}
                  {line.of === "households" ? `households who are ${unit.many}` : line.label}
                </span>
              </RowHead>
              <td className="px-2 text-right">{percent(line.here)}</td>
              <td
                className="px-2 text-right"
                title={`from ${percent(line.least)} to ${percent(line.greatest)} in each`}
              >
                {percent(line.like)}
              </td>
              <td className={`pl-2 text-right ${line.told ? "" : "text-quiet"}`}>
                {points(line.low)} to {points(line.high)} pt
              </td>
            </tr>
          );
        })}
      </tbody>
    </Table>
  );
}

const points = (share: number) => {
  const value = (100 * share)
    .toFixed(1)
    .replace(/^-(0\.0)$/, "$1")
    .replace("-", "−");
  return share > 0 && value !== "0.0" ? `+${value}` : value;
};

/** What the reach of its like would mean in customers. */
function Reach({ page, found }: { page: Page; found: Beside }) {
  const { more } = found;
  if (!more) return null;
  const mostly = page.columns.find((column) => column.number === more.mostly);
  const fewer = more.customers < 0;
  const [from, to] = fewer ? [-more.high, -more.low] : [more.low, more.high];
  return (
    <p className="mt-2 text-12">
      <b className="font-semibold">
        Reach of its like would be {count(Math.round(Math.abs(more.customers)))} {unit.many}{" "}
        {fewer ? "fewer" : "more"}
      </b>{" "}
      ({count(Math.round(from))} to {count(Math.round(to))})
      {mostly && `, most of them ${mostly.name}`}.
    </p>
  );
}
