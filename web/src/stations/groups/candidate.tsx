import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count, fixed, inUnit, money, percent } from "@/charts/format";
import { useLens } from "@/lens/context";
import { Centres } from "@/stations/groups/centres";
import { useTold } from "@/stations/groups/queries";
import type { Row } from "@/stations/groups/queries";
import { useStudy } from "@/study/context";
import { Failed, Waiting } from "@/ui/status";
import { Column, Table } from "@/ui/table";
import { unit } from "@/study/unit";

/** The groups of one candidate, each in a line: what sets it apart, how well it holds. */
export function Candidate({
  row,
  lit,
  onClose,
}: {
  row: Row;
  lit: number | null;
  onClose: () => void;
}) {
  const { study, view, canChange } = useStudy();
  const lens = useLens();
  const told = useTold();
  const path = { params: { path: { study: study.id, grouping: row.id }, query: view } };
  const profile = useQuery({
    queryKey: ["study", study.id, "candidate", view, row.id, row.resampled],
    queryFn: ({ signal }) =>
      data(api.GET("/api/studies/{study}/groups/{grouping}/profile", { ...path, signal })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.job ? 700 : false),
  });
  const open = useMutation({
    mutationFn: () => data(api.POST("/api/studies/{study}/groups/{grouping}/open", path)),
    ...told,
  });
  const place = useRef<HTMLElement>(null);
  const [centres, setCentres] = useState(false);
  const there = profile.data !== undefined;
  useEffect(() => {
    if (there) place.current?.scrollIntoView({ block: "nearest", behavior: "smooth" });
  }, [there, row.id]);
  if (profile.isError) return <Failed words={profile.error.message} />;
  if (!profile.data) return <Waiting height={160} />;
  const found = profile.data;
  const total = found.groups.reduce((sum, group) => sum + group.customers, 0);
  return (
    <section ref={place} className="card p-3" aria-label={`The ${found.k} groups in a line each`}>
      <div className="flex items-baseline gap-3">
        <h2 className="text-14">{found.k} groups, a line each</h2>
        <p className="flex-1 text-12 text-quiet">
          Stability over {found.resampled} resamplings.
          {found.moved > 0.005 &&
            ` ${percent(found.moved, 1, 0)} changed group to be with their nearest centre.`}
        </p>
        {canChange && found.resampled < 100 && (
          <button
            type="button"
            className="text-12 underline"
            disabled={!!found.job || open.isPending}
            onClick={() => open.mutate()}
          >
            {found.job
              ? `Resampling, ${found.job.done} of ${found.job.of}`
              : "Resample a hundred times"}
          </button>
        )}
        <button
          type="button"
          aria-expanded={centres}
          className="text-12 underline"
          onClick={() => setCentres(!centres)}
        >
          {centres ? "Hide the centres" : "Centres"}
        </button>
        <button type="button" className="text-12 underline" onClick={onClose}>
          Close
        </button>
      </div>
      <Table label="Groups" className="mt-1.5 w-full">
        <thead>
          <tr className="text-left text-11 text-quiet">
            <Column className="pr-3">Group</Column>
            <Column>What sets it apart</Column>
            <Column figures className="pl-3">
              {unit.Many}
            </Column>
            <Column figures className="pl-3">
              Money
            </Column>
            <Column figures className="pl-3">
              Returns
            </Column>
            <Column figures className="pl-3">
              Silhouette
            </Column>
            <Column figures className="pl-3">
              Of the error
            </Column>
          </tr>
        </thead>
        <tbody>
          {found.groups.map((group) => (
            <tr
              key={group.group}
              className={`border-t border-line align-top ${lit === group.group - 1 ? "bg-paper" : ""}`}
            >
              <td className="py-1 pr-2">
                <button
                  type="button"
                  className="font-semibold underline decoration-line underline-offset-2 hover:decoration-ink"
                  aria-label={`Look at group ${group.group}`}
                  onClick={(event) =>
                    lens.pick(found.field, { value: String(group.group) }, event.shiftKey)
                  }
                >
                  {group.group}
                </button>
              </td>
              <td className="py-1 pr-3">
                {group.traits.map((trait, n) => (
                  <span key={trait.name}>
                    {n > 0 && "; "}
                    <Trait trait={trait} currency={study.currency} />
                  </span>
                ))}
              </td>
              <td className="whitespace-nowrap py-1 pl-3 text-right">
                {count(group.customers)}{" "}
                <span className="text-quiet">{percent(group.customers, total, 0)}</span>
              </td>
              <td className="py-1 pl-3 text-right">
                {money(group.money, study.scale, study.currency)}
              </td>
              <td className={`py-1 pl-3 text-right ${group.stability <= 0.5 ? "text-copper" : ""}`}>
                {percent(group.stability, 1, 0)}
              </td>
              <td className="py-1 pl-3 text-right">
                {group.silhouette == null ? "–" : fixed(group.silhouette)}
              </td>
              <td className="py-1 pl-3 text-right">
                {group.error_share === null ? "–" : percent(group.error_share, 1, 0)}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      {centres && <Centres grouping={row.id} />}
    </section>
  );
}

function Trait({ trait, currency }: { trait: Schemas["Trait"]; currency: string }) {
  const up = trait.strength > 0;
  const words = trait.level
    ? `${trait.label} ${trait.level} ${percent(trait.here, 1, 0)}`
    : `${trait.label} ${inUnit(trait.here, trait.unit, currency)}`;
  const usual = trait.level
    ? percent(trait.everyone, 1, 0)
    : inUnit(trait.everyone, trait.unit, currency);
  return (
    <span
      className="whitespace-nowrap"
      title={`everyone: ${usual}; ${fixed(trait.strength, 1)} SD`}
    >
      <span className={up ? "text-above" : "text-below"}>{up ? "▴" : "▾"}</span> {words}{" "}
      <span className="text-quiet">({usual})</span>
    </span>
  );
}
