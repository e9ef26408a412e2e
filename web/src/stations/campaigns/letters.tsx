import { useQuery } from "@tanstack/react-query";

import { api, data } from "@/api/client";
import { count, moment } from "@/charts/format";
import { pickable } from "@/charts/pickable";
import { PickPicture } from "@/charts/picture";
import { valueClause } from "@/lens/clauses";
import { useLens } from "@/lens/context";
import { useSavedFile } from "@/lens/use-saved-file";
import { ResponseFile } from "@/stations/campaigns/response-file";
import type { Departure, Letters, Row } from "@/stations/campaigns/types";
import { inHundred } from "@/stations/campaigns/words";
import { useStudy } from "@/study/context";
import { fileName } from "@/ui/save";
import { SaveMenu } from "@/ui/save-menu";

const WIDTH = 560;
const LINE = 24;
const FROM = 92;
const TO = 430;

/** What left of a campaign, and what became of it. */
export function WhatBecameOfIt({ row, moved }: { row: Row; moved: string }) {
  const { study, canChange } = useStudy();
  const found = useQuery({
    queryKey: ["study", study.id, "campaign letters", row.id, row.revision, moved],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/campaigns/{campaign}/letters", {
          params: { path: { study: study.id, campaign: row.id } },
          signal,
        }),
      ),
  });
  if (!found.data) return null;
  const { departures, counts, written } = found.data;
  if (departures.length === 0 && !row.brought_in && row.state !== "handed over") return null;
  return (
    <section className="card p-3" aria-label="The letters">
      <div className="flex items-baseline justify-between gap-3">
        <h2 className="text-14">The letters</h2>
        {canChange && <ResponseFile row={row} />}
      </div>
      {departures.length === 0 && (
        <p className="mt-1 text-12 text-quiet">No record here of what left.</p>
      )}
      <ul className="mt-1 grid gap-1.5">
        {departures.map((departure) => (
          <Left key={departure.id} row={row} departure={departure} canChange={canChange} />
        ))}
      </ul>
      {counts.length > 0 ? (
        <Became row={row} counts={counts} written={written} />
      ) : (
        <p className="mt-1 text-12 text-quiet">
          Nothing is told of the letters yet: no delivery, no opening. Purchases are found in the
          log by themselves.
        </p>
      )}
    </section>
  );
}

function Left({
  row,
  departure,
  canChange,
}: {
  row: Row;
  departure: Departure;
  canChange: boolean;
}) {
  const { study } = useStudy();
  const again = useSavedFile<"csv" | "xlsx" | "parquet">(
    (kind) =>
      data(
        api.POST("/api/studies/{study}/campaigns/{campaign}/left/{departure}", {
          params: { path: { study: study.id, campaign: row.id, departure: departure.id } },
          body: { kind },
        }),
      ),
    () => "Saved exactly as it left.",
    (kind) => fileName(`${row.name} as it left`, kind),
  );
  return (
    <li className="flex items-start justify-between gap-3">
      <div className="text-12">
        <p>{leftWords(departure)}</p>
        {departure.trouble && <p role="alert">{departure.trouble}</p>}
        {departure.refused.length > 0 && (
          <details>
            <summary className="min-h-[24px] cursor-pointer text-quiet">
              {count(departure.refused_count)} not taken
            </summary>
            <ul className="text-quiet">
              {departure.refused.map((each) => (
                <li key={each.customer}>
                  {each.name}: {each.why}
                </li>
              ))}
            </ul>
          </details>
        )}
      </div>
      {canChange && departure.sent > 0 && (
        <SaveMenu
          label="As it left"
          ways={(["csv", "xlsx", "parquet"] as const).map((kind) => [
            kind === "parquet" ? "Parquet" : kind.toUpperCase(),
            () => again.mutate(kind),
          ])}
        />
      )}
    </li>
  );
}

function leftWords(departure: Departure): string {
  const { way, state, sent, total, passed_over: gone, unknown, by } = departure;
  const who = by ? ` (${by})` : "";
  const said: string[] = [];
  if (way === "file") said.push(`A file of ${count(total)} rows${who}.`);
  else if (state === "gone")
    said.push(`${count(sent)} letters left by ${moment(departure.ended_at)}${who}.`);
  else if (state === "stopped" && sent + unknown === 0) said.push("Stopped before anything left.");
  else if (state === "stopped") said.push(`Stopped: ${count(sent)} of ${count(total)} had left.`);
  else if (state === "going") said.push(`${count(sent)} of ${count(total)} have left.`);
  else said.push("In the outbox.");
  if (unknown > 0 && state === "stopped")
    said.push(`Of ${count(unknown)} the service has not said whether it took them.`);
  if (gone > 0) said.push(`${count(gone)} opted out since the draw and were not written to.`);
  return said.join(" ");
}

/** What became of the letters: a bar a kind, each a lens. */
function Became({
  row,
  counts,
  written,
}: {
  row: Row;
  counts: Letters["counts"];
  written: number;
}) {
  const lens = useLens();
  const x = (share: number) => FROM + share * (TO - FROM);
  return (
    <>
      <PickPicture
        width="100%"
        viewBox={`0 0 ${WIDTH} ${LINE * counts.length + 4}`}
        label={`What became of ${count(written)} letters`}
      >
        {counts.map((each, n) => {
          const y = 2 + LINE * n + LINE / 2;
          const words = `${each.kind}: ${count(each.customers)} of ${count(written)}, ${inHundred(each.share)}%`;
          return (
            <g
              key={each.kind}
              {...pickable({
                label: words,
                onPick: (more) =>
                  lens.take([valueClause(`letter:${row.id}:${each.kind}`, "yes")], more),
              })}
            >
              <title>{words}</title>
              <rect x={0} y={y - LINE / 2} width={WIDTH} height={LINE} fill="transparent" />
              <text x={FROM - 10} y={y + 4} fontSize={12} textAnchor="end">
                {each.kind}
              </text>
              <path d={`M${FROM} ${y}H${TO}`} stroke="var(--color-line)" />
              <rect
                x={FROM}
                y={y - 5}
                width={Math.max(x(each.share) - FROM, each.customers ? 2 : 0)}
                height={10}
                fill={each.kind === "opted out" ? "var(--color-copper)" : "var(--color-teal)"}
              />
              <text x={TO + 62} y={y + 4} fontSize={12} textAnchor="end">
                {count(each.customers)}
              </text>
              <text
                x={WIDTH}
                y={y + 4}
                fontSize={12}
                textAnchor="end"
                style={{ fill: "var(--color-quiet)" }}
              >
                {inHundred(each.share)}%
              </text>
            </g>
          );
        })}
      </PickPicture>
      <p className="text-11 text-quiet">
        Of all who are written to. Mail programs open letters by themselves, so that openings say
        little; the result is told by purchases alone.
      </p>
    </>
  );
}
