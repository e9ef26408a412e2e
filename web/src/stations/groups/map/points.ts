import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, data, Trouble } from "@/api/client";
import type { Schemas } from "@/api/client";
import { readColumns } from "@/charts/arrow";
import { SHAPES } from "@/charts/dots";
import { useLens } from "@/lens/context";
import { HUES } from "@/marks/hues";
import { hexOf } from "@/marks/segment-mark";
import { useStudy } from "@/study/context";

export type Plane = Schemas["PlanePage"];

export interface Cloud {
  number: Int32Array;
  along: Float64Array[];
  group: Int32Array;
  tint: Float64Array;
  inside: Uint8Array;
}

/** The axes of a picture and its points: two requests, so that axes stand before points come. */
export function usePicture(grouping: number, axes: string[], colour: string, most = 20_000) {
  const { study, view } = useStudy();
  const { digest } = useLens();
  const query = { ...view, axes: axes.join(","), colour };
  const path = { path: { study: study.id, grouping } };
  const key = ["study", study.id, "picture", view, grouping, axes.join(","), colour];
  const plane = useQuery({
    queryKey: key,
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/groups/{grouping}/plane", {
          params: { ...path, query },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: axes.length > 0,
  });
  const cloud = useQuery({
    queryKey: [...key, "points", most, digest],
    queryFn: async ({ signal }) => {
      const answer = await api.GET("/api/studies/{study}/groups/{grouping}/points", {
        params: {
          ...path,
          query: { ...query, most, ...(digest && { lens: digest }) },
        },
        parseAs: "arrayBuffer",
        signal,
      });
      if (!answer.data)
        throw new Trouble("The points could not be loaded. Try again.", answer.response.status);
      return readCloud(answer.data, axes.length);
    },
    placeholderData: keepPreviousData,
    enabled: axes.length > 0,
  });
  // What is kept of a former picture does not fit another number of axes.
  const fits = cloud.data?.along.length === axes.length && plane.data?.axes.length === axes.length;
  return {
    plane: fits ? plane.data : undefined,
    cloud: fits ? cloud.data : undefined,
    error: plane.error ?? cloud.error,
  };
}

async function readCloud(bytes: ArrayBuffer, axes: number): Promise<Cloud> {
  const column = await readColumns(bytes);
  return {
    number: column.integers("number"),
    along: Array.from({ length: axes }, (_, n) => column.floats(`a${n}`)),
    group: column.integers("group"),
    tint: column.floats("tint"),
    inside: column.bytes("inside"),
  };
}

export interface Brush {
  fill: string;
  shape: number;
}

/** What an axis is called beside its points: a component without its share. */
export function shortLabel(axis: Plane["axes"][number]): string {
  return axis.key.startsWith("component:") ? (axis.label.split(", ")[0] ?? "") : axis.label;
}

/** The hue of a level: its segment's own, where the groups are in use and points say them. */
export function hueOfLevel(plane: Plane, n: number): string {
  const own = plane.levels[n] === plane.names[n]?.name ? plane.names[n]?.mark : null;
  return own === null || own === undefined ? (HUES[n % HUES.length] ?? "#18212b") : hexOf(own);
}

/** How a point is painted: by level with a shape of its own, or on a ramp of one hue. */
export function brushes(plane: Plane, token: (name: string) => string): (tint: number) => Brush {
  if (plane.levels.length > 0) {
    const none: Brush = { fill: token("--color-everyone"), shape: 0 };
    const known = plane.levels.map((_, n) => ({ fill: hueOfLevel(plane, n), shape: n % SHAPES }));
    return (tint) => known[Math.round(tint) - 1] ?? none;
  }
  const [low, high] = [plane.low ?? 0, plane.high ?? 1];
  const steps = Array.from({ length: 12 }, (_, n) => ({ fill: ramp(n / 11), shape: 0 }));
  const none: Brush = { fill: token("--color-card"), shape: 0 };
  return (tint) =>
    Number.isNaN(tint)
      ? none
      : (steps[
          Math.min(11, Math.max(0, Math.round((11 * (tint - low)) / Math.max(1e-12, high - low))))
        ] ?? none);
}

/** From pale to dark, so that more is darker also in black and white. */
export function ramp(share: number): string {
  const mix = (a: number, b: number) => Math.round(a + (b - a) * share);
  return `rgb(${mix(206, 24)}, ${mix(218, 33)}, ${mix(231, 74)})`;
}
