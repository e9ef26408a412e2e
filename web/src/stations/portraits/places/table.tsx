import { count, within } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickList } from "@/charts/picture";
import { holds, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import {
  gridOf,
  hueOfLevel,
  ordered,
  partNote,
  shadeWords,
  SORTS,
} from "@/stations/portraits/places/figures";
import type { Sort } from "@/stations/portraits/places/figures";
import { Legend } from "@/stations/portraits/places/map";
import { usePlacesAddress } from "@/stations/portraits/places/use-places";
import type { Page, Place } from "@/stations/portraits/places/use-places";
import { percent } from "@/stations/portraits/threads/cells";
import { useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";
import { Column, RowHead, SortColumn, Table } from "@/ui/table";
import { unit } from "@/study/unit";

/** More rows are in what is taken away. */
const MOST = 200;

/** Places in a table: customers, reach, what they are shaded by, how they are mixed. */
export function PlacesTable({ page, alone }: { page: Page; alone: boolean }) {
  const { study } = useStudy();
  const { sort: asked, put } = usePlacesAddress();
  const sort = SORTS.find((each) => each === asked) ?? "customers";
  const places = ordered(page.places, sort);
  const reach = page.places.some((place) => place.reach !== null);
  const shade = page.shade?.key ?? "";
  const own = shade !== "customers" && shade !== "reach";
  const head = (key: Sort, words: string) => (
    <SortColumn
      figures={key !== "code"}
      className="px-2 py-1 text-quiet first:px-3"
      sorted={sort === key ? (key === "code" ? "up" : "down") : null}
      onSort={() => void put({ sort: key === "customers" ? null : key })}
    >
      {words}
    </SortColumn>
  );
  return (
    <section className="card min-w-0 overflow-hidden" aria-label="Table of the places">
      {alone && (
        <div className="flex justify-end px-3 pt-2">
          <TakeAway name="places" grid={() => gridOf(page, places, study.currency)} />
        </div>
      )}
      <PickList label="Mixes of the places" className="max-h-[270px] overflow-auto">
        <Table label={`${unit.Many} by ${within(page.label)}`} className="w-full border-collapse">
          <thead className="sticky top-0 z-10 bg-card">
            <tr className="align-bottom">
              {head("code", within(page.label))}
              {head("customers", "customers")}
              {reach && head("reach", "of households, 95%")}
              {own && head("value", within(page.shade?.label ?? ""))}
              <Column className="px-3 py-1 text-quiet">mix</Column>
            </tr>
          </thead>
          <tbody>
            {places.slice(0, MOST).map((place) => (
              <Row
                key={place.code}
                page={page}
                place={place}
                reach={reach}
                value={own ? shadeWords(page, place.value, study.currency) : null}
              />
            ))}
          </tbody>
        </Table>
      </PickList>
      <Below page={page} more={places.length - MOST} legend={alone} />
    </section>
  );
}

function Below({ page, more, legend }: { page: Page; more: number; legend: boolean }) {
  const unknown = page.without > 0;
  if (more <= 0 && !unknown && !legend) return null;
  return (
    <div className="border-t border-line px-3 py-1.5 text-11 text-quiet">
      {more > 0 && `And ${count(more)} more; Take away has them all. `}
      {unknown && `Of ${count(page.without)} ${unit.many} no ${within(page.label)} is known.`}
      {legend && <Legend page={page} />}
    </div>
  );
}

function Row(props: { page: Page; place: Place; reach: boolean; value: string | null }) {
  const { page, place, reach, value } = props;
  const lens = useLens();
  const clause = lens.clauses.find((each) => each.field === page.by);
  const chosen = holds(clause, { value: place.code });
  return (
    <tr className={`border-t border-line ${chosen ? "bg-teal/10" : ""}`}>
      <RowHead className="px-3 py-0.5 whitespace-nowrap">
        <button
          type="button"
          aria-pressed={chosen}
          className="min-h-[24px] text-left hover:underline"
          onClick={(event) => lens.pick(page.by, { value: place.code }, event.shiftKey)}
        >
          {place.label}
        </button>
      </RowHead>
      <td className="px-2 text-right">{count(place.customers)}</td>
      {reach && (
        <td className="px-2 text-right whitespace-nowrap">
          {place.reach === null || place.low === null || place.high === null ? (
            "–"
          ) : (
            <>
              {percent(place.reach)}{" "}
              <span className="text-quiet">
                {(100 * place.low).toFixed(0)}–{(100 * place.high).toFixed(0)}
              </span>
            </>
          )}
        </td>
      )}
      {value !== null && <td className="px-2 text-right whitespace-nowrap">{value}</td>}
      <td className="px-3">
        <Parts page={page} place={place} />
      </td>
    </tr>
  );
}

function Parts({ page, place }: { page: Page; place: Place }) {
  const lens = useLens();
  return (
    <span className="flex h-[14px] min-w-[90px]">
      {page.levels.map((level, n) => {
        const share = place.mix[n] ?? 0;
        if (share <= 0) return null;
        const clauses = [valueClause(page.by, place.code), ...level.clauses];
        const note = partNote(page, place, n);
        return (
          <span
            key={level.label}
            {...pickable({ label: note, onPick: (more) => lens.take(clauses, more) })}
            title={note}
            className="cursor-pointer focus-visible:outline-2 focus-visible:outline-teal"
            style={{ flexGrow: share, flexBasis: 0, background: hueOfLevel(page, n) }}
          />
        );
      })}
    </span>
  );
}
