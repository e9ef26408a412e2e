import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, inUnit, percent } from "@/charts/format";
import { Glyph } from "@/charts/picture";
import { Loadings } from "@/stations/groups/map/loadings";
import { Plane } from "@/stations/groups/map/plane";
import { PointMatrix } from "@/stations/groups/map/point-matrix";
import { hueOfLevel, ramp, usePicture } from "@/stations/groups/map/points";
import type { Plane as PlanePage } from "@/stations/groups/map/points";
import { Turned } from "@/stations/groups/map/turned";
import { Widths } from "@/stations/groups/map/widths";
import { useTold } from "@/stations/groups/queries";
import type { Row } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { useAddress, whole, word } from "@/study/address";
import { Button } from "@/ui/button";
import { Empty, Failed, Waiting } from "@/ui/status";
import { TableBehind } from "@/study/table-behind";
import { text, told } from "@/ui/grid";
import type { Grid } from "@/ui/grid";
import { Select } from "@/ui/select";
import { unit } from "@/study/unit";

type Page = Schemas["MapPage"];

const LOOKS = [
  ["components", "Components"],
  ["pair", "Two measures"],
  ["turned", "Three, turned"],
  ["matrix", "Pairs"],
  ["neighbours", "Neighbourhood"],
  ["widths", "Silhouettes"],
] as const;
const MATRIX_POINTS = 3000;
const TURNED_POINTS = 5000;
const MOST_AXES = 8;

const MAPPED = {
  k: whole,
  map: word.withDefault("components"),
  colour: word.withDefault("group"),
};

/** Where the customers of a grouping stand: several pictures of the same, linked by the lens. */
export function MapView({ row, rows, columns }: { row: Row; rows: Row[]; columns: string[] }) {
  const { study, view } = useStudy();
  const [{ map: look, colour }, put] = useAddress(MAPPED);
  const map = useQuery({
    queryKey: ["study", study.id, "map", view, row.id],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups/{grouping}/map", {
          params: { path: { study: study.id, grouping: row.id }, query: view },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.job ? 900 : false),
  });
  if (map.isError) return <Failed words={map.error.message} />;
  if (!map.data) return <Waiting />;
  const page = map.data;
  return (
    <section className="card p-3" aria-label={`Map of ${row.k} groups`}>
      <div className="mb-2 flex flex-wrap items-center gap-1.5">
        <Select
          label="How many groups"
          value={String(row.k)}
          className="mr-1.5 font-semibold"
          onChange={(value) => void put({ k: Number(value) })}
          options={rows.map((each) => [String(each.k), `${each.k} groups`] as const)}
        />
        {LOOKS.map(([key, words]) => (
          <button
            key={key}
            type="button"
            aria-pressed={look === key}
            className={`rounded-full border px-2.5 py-0.5 text-12 ${look === key ? "border-ink font-semibold" : "border-line text-quiet hover:border-quiet hover:text-ink"}`}
            onClick={() => void put({ map: key })}
          >
            {words}
          </button>
        ))}
        <span className="flex-1" />
        {look !== "widths" && (
          <label className="flex items-center gap-1.5 text-12 text-quiet">
            coloured by
            <Select
              value={colour}
              className="max-w-[180px]"
              onChange={(value) => void put({ colour: value })}
              options={page.colours.map((each) => [each.key, each.label] as const)}
            />
          </label>
        )}
      </div>
      {look === "widths" ? (
        <Widths grouping={row.id} field={row.field} />
      ) : look === "neighbours" ? (
        <Neighbourhood page={page} row={row} colour={colour} />
      ) : (
        <Picture page={page} look={look} colour={colour} columns={columns} />
      )}
    </section>
  );
}

interface PictureProps {
  page: Page;
  look: string;
  colour: string;
  columns: string[];
}

function Picture({ page, look, colour, columns }: PictureProps) {
  const measures = page.axes.filter((axis) => axis.kind === "measure");
  const shaping = measures.filter((axis) => columns.includes(axis.key.replace("measure:", "")));
  const usual = (n: number) => (shaping[n] ?? measures[n])?.key ?? "component:1";
  const start: Record<string, string[]> = {
    components: ["component:1", "component:2"].filter((key) =>
      page.axes.some((axis) => axis.key === key),
    ),
    pair: [usual(0), usual(1)],
    turned:
      page.explained.length >= 3
        ? ["component:1", "component:2", "component:3"]
        : [usual(0), usual(1), usual(2)],
    matrix: [0, 1, 2, 3].map(usual).filter((key, n, all) => all.indexOf(key) === n),
  };
  const { study } = useStudy();
  const [chosen, setChosen] = useState<Record<string, string[]>>({});
  const axes = chosen[look] ?? start[look] ?? [];
  const most = look === "matrix" ? MATRIX_POINTS : look === "turned" ? TURNED_POINTS : 20_000;
  const { plane, cloud, error } = usePicture(page.id, axes, colour, most);
  const take = (next: string[]) => setChosen({ ...chosen, [look]: next });
  const pick = (n: number, key: string) => take(axes.map((axis, m) => (m === n ? key : axis)));
  const offered = page.axes.filter((each) => each.kind !== "neighbourhood");
  const free = [...shaping, ...offered].find((each) => !axes.includes(each.key));
  if (error) return <Failed words={error.message} />;
  if (axes.length < 2)
    return (
      <p className="p-6 text-center text-quiet">
        One column alone has no second axis. Pick more measures.
      </p>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_208px] narrow:grid-cols-[minmax(0,1fr)] gap-4">
      <div className="min-w-0">
        {!plane || !cloud ? (
          <Waiting height={420} />
        ) : look === "turned" ? (
          <Turned grouping={page.id} plane={plane} cloud={cloud} />
        ) : look === "matrix" ? (
          <PointMatrix plane={plane} cloud={cloud} />
        ) : (
          <Plane grouping={page.id} plane={plane} cloud={cloud} centres />
        )}
        {plane && <TableBehind name="map" grid={() => mapGrid(plane, study.currency)} />}
      </div>
      <aside className="grid content-start gap-3">
        <div className="grid gap-1">
          {axes.map((axis, n) => (
            <span key={n} className="flex items-center gap-1">
              <Select
                label={`Axis ${n + 1}`}
                value={axis}
                className="min-w-0 flex-1 text-12"
                onChange={(value) => pick(n, value)}
                options={offered.map((each) => [each.key, each.label] as const)}
              />
              {look === "matrix" && axes.length > 2 && (
                <button
                  type="button"
                  aria-label={`Leave axis ${n + 1} out`}
                  className="min-h-[24px] min-w-[24px] text-quiet hover:text-ink"
                  onClick={() => take(axes.filter((_, m) => m !== n))}
                >
                  ×
                </button>
              )}
            </span>
          ))}
          {look === "matrix" && axes.length < MOST_AXES && free && (
            <button
              type="button"
              className="min-h-[24px] text-left text-12 underline"
              onClick={() => take([...axes, free.key])}
            >
              Add an axis
            </button>
          )}
        </div>
        {plane && <Legend plane={plane} numbered={look === "turned"} />}
        {(look === "components" || look === "turned") &&
          axes
            .filter((axis) => axis.startsWith("component:"))
            .slice(0, look === "turned" ? 3 : 2)
            .map((axis) => (
              <Loadings key={axis} page={page} component={Number(axis.split(":")[1]) - 1} />
            ))}
        {plane && <Said plane={plane} most={most} look={look} />}
      </aside>
    </div>
  );
}

/** Where the groups' means stand on the axes of a picture. */
function mapGrid(plane: PlanePage, currency: string): Grid {
  return {
    title: "Means of the groups",
    note: `Of ${count(plane.customers)} ${unit.many}, on the axes of the picture.`,
    heads: ["Group", ...plane.axes.map((axis) => axis.label)],
    rows: plane.names.map((group, n) => [
      text(group.name),
      ...plane.axes.map((axis) => {
        const value = axis.centres[n];
        return told(value, inUnit(value ?? null, axis.unit, currency));
      }),
    ]),
  };
}

function Said({ plane, most, look }: { plane: PlanePage; most: number; look: string }) {
  const shown = Math.min(plane.customers, most);
  return (
    <p className="text-11 text-quiet">
      {shown < plane.customers
        ? `${plane.cells && most >= 20_000 ? `Grey squares: all ${count(plane.customers)}. ` : ""}Points: a seeded sample of ${count(shown)}.`
        : `One point per ${unit.one}, ${count(shown)}.`}{" "}
      {look !== "matrix" &&
        look !== "neighbours" &&
        (plane.names.some((each) => each.mark !== null)
          ? "Marks: the segments’ means. "
          : "Numbered: the groups’ means. ")}
      {look !== "neighbours" && "Axes hold the middle 99%. "}
      {look === "matrix"
        ? "Draw a box to look closer."
        : look === "turned"
          ? "Draw a lasso to look closer."
          : "Draw a box or a lasso to look closer; point at one, or go there with the arrow keys, to see who it is, and press Enter to open it. Shift and arrows draw a box. + and − zoom, 0 shows all."}
    </p>
  );
}

function Legend({ plane, numbered = false }: { plane: PlanePage; numbered?: boolean }) {
  const { study } = useStudy();
  if (plane.levels.length > 0)
    return (
      <ul className="grid grid-cols-2 gap-x-2 gap-y-0.5 text-11">
        {plane.levels.slice(0, 12).map((level, n) => (
          <li key={level} className="flex items-start gap-1.5">
            <Glyph width={11} height={11} viewBox="0 0 11 11" className="mt-0.5 shrink-0">
              <path d={SHAPES[n % 4]} fill={hueOfLevel(plane, n)} />
            </Glyph>
            <span className="min-w-0 break-words">
              {numbered && plane.names[n]?.name === level && `${n + 1} `}
              {level}
            </span>
          </li>
        ))}
        {plane.levels.length > 12 && (
          <li className="text-quiet">and {plane.levels.length - 12} more</li>
        )}
      </ul>
    );
  return (
    <div className="text-11">
      <p className="text-quiet">{plane.colour}</p>
      <span
        className="block h-[8px] rounded"
        style={{ background: `linear-gradient(90deg, ${ramp(0)}, ${ramp(1)})` }}
      />
      <span className="flex justify-between">
        <span>{inUnit(plane.low, plane.colour_unit, study.currency)}</span>
        <span>{inUnit(plane.high, plane.colour_unit, study.currency)}</span>
      </span>
    </div>
  );
}

const SHAPES = [
  "M5.5 1.5a4 4 0 1 0 .01 0z",
  "M2 2h7v7h-7z",
  "M5.5 1l4.5 8.5h-9z",
  "M5.5 0.5l5 5l-5 5l-5 -5z",
];

function Neighbourhood({ page, row, colour }: { page: Page; row: Row; colour: string }) {
  const { study, view, canChange } = useStudy();
  const told = useTold();
  const lay = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/studies/{study}/groups/{grouping}/neighbourhood", {
          params: { path: { study: study.id, grouping: row.id }, query: view },
        }),
      ),
    ...told,
  });
  const axes = page.neighbourhood ? ["neighbour:1", "neighbour:2"] : [];
  const { plane, cloud, error } = usePicture(page.id, axes, colour);
  if (page.job?.state === "failed") return <Failed words={page.job.error} />;
  if (!page.neighbourhood)
    return (
      <Empty
        title={page.job ? "The neighbourhood is being laid out" : "Not laid out yet"}
        action={
          !page.job &&
          canChange && (
            <Button kind="main" disabled={lay.isPending} onClick={() => lay.mutate()}>
              Lay out {count(page.customers)} {unit.many}
            </Button>
          )
        }
      >
        {page.job
          ? `${page.job.stage || "beginning"}${page.job.of > 0 ? `, ${count(page.job.done)} of ${count(page.job.of)}` : ""}`
          : `Here ${unit.many} who are alike in everything that was picked will stand side by side, whatever their groups.`}
      </Empty>
    );
  if (error) return <Failed words={error.message} />;
  if (!plane || !cloud) return <Waiting height={420} />;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_208px] narrow:grid-cols-[minmax(0,1fr)] gap-4">
      <Plane grouping={page.id} plane={plane} cloud={cloud} centres={false} />
      <aside className="grid content-start gap-3">
        <Legend plane={plane} />
        {page.trust !== null && (
          <p className="text-12">
            <b className="font-semibold">Trustworthiness {percent(page.trust, 1, 0)}.</b>{" "}
            <span className="text-quiet">
              {page.trust >= 0.9
                ? "Neighbours on the map are alike. "
                : "Some neighbours on the map are not alike. "}
              Distances between islands mean nothing.
              {!page.trust_exact &&
                " 20,000 were laid out; the others are placed among their nearest neighbours."}
            </span>
          </p>
        )}
        <Said plane={plane} most={20_000} look="neighbours" />
      </aside>
    </div>
  );
}
