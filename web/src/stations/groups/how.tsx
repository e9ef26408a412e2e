import { useState } from "react";

import { OwnCentres } from "@/stations/groups/own-centres";
import type { Draft, Recipe } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { Input } from "@/ui/input";
import { Select } from "@/ui/select";
import { Switch } from "@/ui/switch";

const METHODS = [
  ["", "the one that fits"],
  ["k-means", "k-means"],
  ["k-prototypes", "k-prototypes"],
  ["k-modes", "k-modes"],
  ["hierarchical", "hierarchical"],
  ["k-medoids", "k-medoids"],
] as const;
const LINKAGES = ["ward", "average", "complete", "single"] as const;
/** Method, starts, seed and how far the rows go. */
export function How({
  recipe,
  draft,
  onChange,
}: {
  recipe: Recipe;
  draft: Draft;
  onChange: (part: Partial<Draft>, words: string) => void;
}) {
  const { canChange } = useStudy();
  const { method } = recipe;
  const byCentres = method !== "hierarchical" && method !== "k-medoids";
  const [open, setOpen] = useState(false);
  const number = (
    key: "starts" | "seed" | "least" | "most" | "passes",
    low: number,
    high: number,
    words: string,
  ) => (
    <label className="flex items-center justify-between">
      {words}
      <Input
        type="number"
        min={low}
        max={high}
        key={draft[key]}
        defaultValue={draft[key]}
        className="w-16"
        onBlur={(event) => {
          const value = Number(event.target.value);
          if (Number.isInteger(value) && value >= low && value <= high && value !== draft[key])
            onChange({ [key]: value }, `${words}: ${value}.`);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
        }}
      />
    </label>
  );
  return (
    <div className="mt-2 text-12">
      <button
        type="button"
        aria-expanded={open}
        className="flex w-full items-baseline justify-between gap-2 text-left hover:underline"
        onClick={() => setOpen(!open)}
      >
        <span>
          <b className="font-semibold">Method</b> {method}
          <span className="block text-11 text-quiet">
            {draft.least} to {draft.most} groups,{" "}
            {byCentres && draft.centres ? "own centres" : `${draft.starts} starts`}
          </span>
        </span>
        <span aria-hidden className="text-11 text-quiet">
          {open ? "▴" : "▾"}
        </span>
      </button>
      {open && (
        <fieldset disabled={!canChange} className="mt-1.5 grid gap-1.5">
          <Select
            label="Method"
            value={draft.method}

            onChange={(value) =>
              onChange({ method: value }, `Grouped by ${value || "the method that fits best"}.`)
            }
            options={METHODS}
          />
          {draft.method === "hierarchical" && (
            <>
              <Select
                label="Linkage"
                value={draft.linkage}

                onChange={(value) => onChange({ linkage: value }, `Joined by ${value} linkage.`)}
                options={LINKAGES.map(
                  (key) => [key, `${key === "ward" ? "Ward" : key} linkage`] as const,
                )}
              />
              <label className="flex items-center justify-between">
                Gower&rsquo;s distance
                <Switch
                  on={draft.distance === "gower"}
                  label="Gower's distance"
                  onChange={(on) =>
                    onChange({ distance: on ? "gower" : "euclidean" }, "Distance changed.")
                  }
                />
              </label>
            </>
          )}
          {(method === "k-prototypes" || method === "k-modes") && (
            <label className="flex items-center justify-between">
              Seed in dense regions
              <Switch
                on={draft.seeding === "dense"}
                label="Seed in dense regions"
                onChange={(on) => onChange({ seeding: on ? "dense" : "far" }, "Seeding changed.")}
              />
            </label>
          )}
          {number("least", 1, draft.most, "Smallest k")}
          {number("most", Math.max(2, draft.least), 20, "Largest k")}
          {number("starts", 1, 50, "Starts per k")}
          {byCentres && number("passes", 1, 1000, "Most passes")}
          {byCentres && <OwnCentres recipe={recipe} draft={draft} onChange={onChange} />}
          {number("seed", 0, 2 ** 31 - 1, "Seed")}
          <label className="flex items-center justify-between">
            Weight categories by relevance
            <Switch
              on={draft.relevance}
              label="Weight categories by relevance"
              onChange={(relevance) => onChange({ relevance }, "Weights of categories changed.")}
            />
          </label>
          <label className="flex items-center justify-between">
            Pool values under 1%
            <Switch
              on={draft.pool > 0}
              label="Pool values under 1%"
              onChange={(on) => onChange({ pool: on ? 0.01 : 0 }, "Pooling changed.")}
            />
          </label>
          <label className="flex items-center justify-between">
            Also the gap statistic
            <Switch
              on={draft.gap}
              label="Also the gap statistic"
              onChange={(gap) =>
                onChange({ gap }, gap ? "Gap statistic added." : "Gap statistic left out.")
              }
            />
          </label>
        </fieldset>
      )}
    </div>
  );
}
