import type { Schemas } from "@/api/client";
import { pathOf, plane } from "@/charts/areas";
import { count, figure } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { holds, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { ringsOf, useAreas } from "@/study/use-areas";

const WIDTH = 300;

/** Districts on a plane, the darker the more customers a household; a pick narrows the lens. */
export function Districts() {
  const lens = useLens();
  const places = useAreas();
  const drawn = (places.data?.areas ?? []).filter((area) => area.rings.length > 0);
  if (!places.data || drawn.length === 0) return null;
  const trait = places.data.trait;
  const field = `trait:${trait}`;
  const own = lens.clauses.find((clause) => clause.field === field);
  const reach = (area: Schemas["AreaRow"]) =>
    area.households ? area.customers / area.households : null;
  const known = drawn.every((area) => reach(area) !== null);
  const value = (area: Schemas["AreaRow"]) => (known ? (reach(area) ?? 0) : area.customers);
  const most = Math.max(1e-9, ...drawn.map(value));
  const { at, height } = plane(drawn.map(ringsOf), WIDTH, 318);
  return (
    <section aria-label="Places">
      <h3 className="mb-1 text-13">
        Places{" "}
        <span className="font-normal text-quiet">
          {trait
            ? known
              ? "customers in a hundred households"
              : "customers"
            : "no trait names them"}
        </span>
      </h3>
      <div className="flex items-start gap-5">
        <PickPicture width={WIDTH} height={height + 2} label="Districts">
          {drawn.map((area) => {
            const said = `${area.code}: ${count(area.customers)} customers${area.households ? `, ${count(area.households)} households` : ""}`;
            const pick = { value: area.code };
            const chosen = holds(own, pick);
            const tried = valueClause(field, area.code);
            const act = trait && {
              ...pickable({
                pressed: chosen,
                onPick: (more) => lens.pick(field, pick, more),
                onTry: (resting) => lens.preview(resting ? tried : null),
              }),
              className: "cursor-pointer outline-none hover:stroke-teal focus-visible:stroke-teal",
            };
            return (
              <path
                key={area.code}
                d={pathOf(ringsOf(area), at)}
                fillRule="evenodd"
                fill={`color-mix(in oklab, var(--color-ink) ${6 + Math.round((70 * value(area)) / most)}%, var(--color-card))`}
                stroke={chosen ? "var(--color-teal)" : "var(--color-card)"}
                strokeWidth={chosen ? 3 : 1.2}
                {...act}
                aria-label={said}
              >
                <title>{said}</title>
              </path>
            );
          })}
        </PickPicture>
        <ol className="grid min-w-0 flex-1 grid-cols-2 gap-x-4 text-12">
          {[...drawn]
            .sort((a, b) => value(b) - value(a))
            .slice(0, 12)
            .map((area) => (
              <li key={area.code} className="flex justify-between gap-2">
                <span className="truncate">{area.code}</span>
                <span className="text-quiet">
                  {known ? figure(100 * value(area)) : count(area.customers)}
                </span>
              </li>
            ))}
        </ol>
      </div>
      {trait && (places.data.elsewhere > 0 || places.data.without > 0) && (
        <p className="text-11 text-quiet">
          {count(places.data.elsewhere)} customers live elsewhere, of {count(places.data.without)}{" "}
          no district is known.
        </p>
      )}
    </section>
  );
}
