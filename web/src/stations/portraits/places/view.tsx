import { FromTheLedger } from "@/stations/portraits/from-the-ledger";
import { AgainstChoice } from "@/stations/portraits/compared";
import { BesideItsLike } from "@/stations/portraits/places/beside";
import { PlacesMap } from "@/stations/portraits/places/map";
import { PlacesTable } from "@/stations/portraits/places/table";
import { usePicked, usePlaces, usePlacesAddress } from "@/stations/portraits/places/use-places";
import type { Page } from "@/stations/portraits/places/use-places";
import { Stale } from "@/study/status-banner";
import { ringsOf, useAreas } from "@/study/use-areas";
import { Select } from "@/ui/select";
import { Failed, Waiting } from "@/ui/status";
import { unit } from "@/study/unit";

/** What is compared, what places are shaded by, how they are mixed. */
export function PlacesChoices() {
  const { put } = usePlacesAddress();
  const page = usePlaces().data;
  return (
    <div className="flex flex-wrap items-center justify-end gap-x-2 gap-y-1 text-12 text-quiet">
      <AgainstChoice />
      {page?.shade && (
        <>
          {page.options.length > 1 && (
            <>
              places by
              <Select
                look="word"
                label="The trait that places are told by"
                value={page.by}
                options={page.options.map((option) => [option.key, option.label] as const)}
                onChange={(where) => void put({ where })}
              />
            </>
          )}
          shade
          <Select
            look="word"
            label="What places are shaded by"
            value={page.shade.key}
            groups={grouped(page.shades)}
            onChange={(ground) => void put({ ground })}
          />
          strips
          <Select
            look="word"
            label={`How the ${unit.many} of a place are told apart`}
            value={page.mix}
            groups={grouped(page.mixes)}
            onChange={(mix) => void put({ mix })}
          />
        </>
      )}
    </div>
  );
}

function grouped(options: { key: string; label: string; group: string }[]) {
  const groups = [...new Set(options.map((option) => option.group))];
  return groups.map(
    (group) =>
      [
        group,
        options
          .filter((option) => option.group === group)
          .map((option) => [option.key, option.label] as const),
      ] as const,
  );
}

/** Places: districts by reach, money, mix and any measure; one beside its like. */
export function PlacesView() {
  const places = usePlaces();
  if (places.isPending) return <Waiting />;
  if (places.isError) return <Failed words={places.error.message} />;
  const page = places.data;
  if (page.places.length === 0)
    return (
      <FromTheLedger title="No places yet">
        Bring in a {unit.one} table that says where each lives, and outlines of the districts as
        GeoJSON if you have them, with their households. Here stands then who is reached where.
      </FromTheLedger>
    );
  return (
    <Stale status={page.status}>
      <Places page={page} />
    </Stale>
  );
}

function Places({ page }: { page: Page }) {
  const areas = useAreas().data;
  const picked = usePicked(page.by);
  const place = page.places.some((each) => each.code === picked) ? picked : "";
  const outlined = areas && page.by === `trait:${areas.trait}` ? areas.areas : [];
  const shapes = new Map(
    outlined.flatMap((area) =>
      area.rings.length > 0 ? [[area.code, ringsOf(area)] as const] : [],
    ),
  );
  if (shapes.size === 0)
    return (
      <div className="grid grid-cols-[minmax(0,3fr)_minmax(280px,2fr)] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
        <PlacesTable page={page} alone />
        <BesideItsLike page={page} place={place} />
      </div>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] narrow:grid-cols-[minmax(0,1fr)] items-start gap-3">
      <PlacesMap page={page} shapes={shapes} />
      <div className="grid gap-3">
        <PlacesTable page={page} alone={false} />
        <BesideItsLike page={page} place={place} />
      </div>
    </div>
  );
}
