import { within } from "@/charts/format";
import { useRef } from "react";

import { middleOf, pathOf, plane } from "@/charts/areas";
import type { Corner } from "@/charts/areas";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { holds, valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import {
  groundOf,
  gridOf,
  hueOfLevel,
  noteOf,
  ordered,
  shadesOf,
  shadeWords,
} from "@/stations/portraits/places/figures";
import type { Page, Place } from "@/stations/portraits/places/use-places";
import { useStudy } from "@/study/context";
import { TakeAway } from "@/study/take-away";
import { useWidth } from "@/ui/use-width";

const HIGHEST = 420;
const STRIP = { width: 44, height: 7 };
/** A place's strip is left out where it would reach beyond. */
const ROOM = 1.15;

interface Props {
  page: Page;
  /** Outlines by the code of the place. */
  shapes: Map<string, Corner[][]>;
}

/** Districts, shaded, each with its strip; a pick narrows the lens. */
export function PlacesMap({ page, shapes }: Props) {
  const { study } = useStudy();
  const lens = useLens();
  const picture = useRef<HTMLDivElement>(null);
  const [frame, width] = useWidth<HTMLDivElement>(480);
  const field = page.by;
  const own = lens.clauses.find((clause) => clause.field === field);
  const shades = shadesOf(page);
  const { at, height } = plane([...shapes.values()], width - 4, HIGHEST);
  const drawn = page.places.flatMap((place) => {
    const rings = shapes.get(place.code);
    return rings ? [{ place, rings, middle: middleOf(rings, at) }] : [];
  });
  const label = page.shade?.label ?? "";
  // What is picked is drawn last, so that no neighbour's line lies over its own.
  const picked = (place: Place) => holds(own, { value: place.code });
  const sorted = [...drawn].sort((a, b) => Number(picked(a.place)) - Number(picked(b.place)));
  return (
    <section className="card p-3" aria-label="Map of the places">
      <div className="mb-2 flex items-center justify-between gap-2">
        <h2 className="text-14">{label}</h2>
        <TakeAway
          name="places"
          grid={() => gridOf(page, ordered(page.places, "code"), study.currency)}
          picture={() => picture.current}
        />
      </div>
      <div ref={frame}>
        <div ref={picture}>
          <PickPicture
            width={width}
            height={height + 4}
            className="block"
            label={`${page.label}, shaded by ${within(label)}`}
          >
            <g transform="translate(2 2)">
              {sorted.map(({ place, rings }) => {
                const chosen = picked(place);
                const part = shades.of(place);
                const said = noteOf(page, place, study.currency);
                const act = pickable({
                  label: said,
                  pressed: chosen,
                  onPick: (more) => lens.pick(field, { value: place.code }, more),
                  onTry: (resting) => lens.preview(resting ? valueClause(field, place.code) : null),
                });
                return (
                  <path
                    key={place.code}
                    {...act}
                    d={pathOf(rings, at)}
                    fillRule="evenodd"
                    fill={part === null ? "var(--color-card)" : groundOf(part)}
                    stroke={
                      chosen
                        ? "var(--color-teal)"
                        : part === null
                          ? "var(--color-line)"
                          : "var(--color-card)"
                    }
                    strokeWidth={chosen ? 3 : 1.4}
                    className="cursor-pointer outline-none hover:stroke-teal focus-visible:stroke-teal"
                  >
                    <title>{said}</title>
                  </path>
                );
              })}
              {drawn.map(({ place, middle }) =>
                place.customers > 0 && middle.width > STRIP.width * ROOM ? (
                  <Strip key={place.code} page={page} place={place} x={middle.x} y={middle.y} />
                ) : null,
              )}
            </g>
          </PickPicture>
        </div>
      </div>
      <Scale page={page} />
      <Legend page={page} />
    </section>
  );
}

function Scale({ page }: { page: Page }) {
  const { study } = useStudy();
  const { low, high } = shadesOf(page);
  const words = (value: number | null) => shadeWords(page, value, study.currency);
  if (low === high && !page.shade?.counted)
    return (
      <p className="mt-1.5 text-11 text-quiet">
        The places differ by no more than chance makes: {words(page.whole)} everywhere.
      </p>
    );
  return (
    <p className="mt-1.5 flex items-center gap-1.5 text-11 text-quiet">
      {words(low)}
      <span
        aria-hidden
        className="inline-block h-2 w-20 shrink-0 rounded-sm"
        style={{ background: `linear-gradient(to right, ${groundOf(0)}, ${groundOf(1)})` }}
      />
      {words(high)}
      <span className="ml-1">
        {page.shade?.counted
          ? "A total says above all how large a place is."
          : `Drawn towards the whole (${words(page.whole)}) where it rests on few people.`}
      </span>
    </p>
  );
}

function Strip(props: { page: Page; place: Place; x: number; y: number }) {
  const { page, place, x, y } = props;
  const whole = place.mix.reduce<number>((sum, part) => sum + (part ?? 0), 0);
  const left = x - STRIP.width / 2;
  const lengths = place.mix.map((part) => (whole > 0 ? ((part ?? 0) / whole) * STRIP.width : 0));
  const from = (n: number) => lengths.slice(0, n).reduce((sum, length) => sum + length, left);
  return (
    <g pointerEvents="none">
      <rect
        x={left - 1}
        y={y - STRIP.height / 2 - 1}
        width={STRIP.width + 2}
        height={STRIP.height + 2}
        fill="var(--color-card)"
      />
      {lengths.map((length, n) => (
        <rect
          key={n}
          x={from(n)}
          y={y - STRIP.height / 2}
          width={length}
          height={STRIP.height}
          fill={hueOfLevel(page, n)}
        />
      ))}
    </g>
  );
}

/** What the colours of the strips are. */
export function Legend({ page }: { page: Page }) {
  return (
    <ul className="mt-1 flex flex-wrap gap-x-3 gap-y-0.5 text-11 text-quiet">
      {page.levels.map((level, n) => (
        <li key={level.label} className="flex items-center gap-1">
          <span
            aria-hidden
            className="inline-block h-2 w-2"
            style={{ background: hueOfLevel(page, n) }}
          />
          {level.label}
        </li>
      ))}
    </ul>
  );
}
