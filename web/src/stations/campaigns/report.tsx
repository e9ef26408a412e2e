import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import type { Row } from "@/stations/campaigns/types";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { fetchFile, fileName } from "@/ui/save";
import { Failed, Waiting } from "@/ui/status";
import { Column, Table } from "@/ui/table";

const KINDS = [
  ["html", "Web page"],
  ["pdf", "PDF"],
  ["docx", "DOCX"],
] as const;

/** The result as one page, to be read here and taken along. */
export function Report({ row, main }: { row: Row; main: boolean }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button kind={main ? "main" : "plain"} onClick={() => setOpen(true)}>
        {main ? "Write the report" : "The report so far"}
      </Button>
      <Card title="The report" open={open} page onClose={() => setOpen(false)}>
        {open && <Page row={row} />}
      </Card>
    </>
  );
}

function Page({ row }: { row: Row }) {
  const { study } = useStudy();
  const found = useQuery({
    queryKey: ["study", study.id, "campaign report", row.id, row.revision, row.told_to],
    queryFn: ({ signal }) =>
      data(
        api.GET("/api/studies/{study}/campaigns/{campaign}/report", {
          params: { path: { study: study.id, campaign: row.id } },
          signal,
        }),
      ),
  });
  if (found.isPending) return <Waiting />;
  if (found.isError) return <Failed words={found.error.message} />;
  const page = found.data;
  return (
    <article className="mt-2">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <div className="min-w-0">
          <h2 className="text-20">{page.title}</h2>
          <p className="text-12 text-quiet">{page.subtitle}</p>
        </div>
        <div className="flex gap-2">
          {KINDS.map(([kind, words]) => (
            <Button
              key={kind}
              className="px-2.5 py-1 text-12"
              onClick={() =>
                fetchFile(
                  `/api/studies/${study.id}/campaigns/${row.id}/report/file?kind=${kind}`,
                  fileName(`${row.name} report`, kind),
                )
              }
            >
              {words}
            </Button>
          ))}
        </div>
      </div>
      {page.parts.map((part) => (
        <Part key={part.title} part={part} />
      ))}
      <p className="mt-4 border-t border-line pt-2 text-12 text-quiet">{page.foot}</p>
    </article>
  );
}

function Part({ part }: { part: Schemas["ReportPart"] }) {
  return (
    <section className="mt-4">
      <h3 className="text-14">{part.title}</h3>
      <p className="mt-0.5">
        {part.strong && <b className="font-semibold">{part.strong}</b>}
        {part.text}
      </p>
      {part.picture && (
        <img
          alt={part.title}
          className="mt-2 max-w-full"
          src={`data:image/svg+xml;utf8,${encodeURIComponent(part.picture)}`}
        />
      )}
      {part.rows.length > 0 && (
        <Table label={part.title} className="mt-1 w-full">
          <thead>
            <tr className="text-11 text-quiet">
              {part.heads.map((head, n) => (
                <Column key={n} figures={n > 0} className="px-2 first:pl-0">
                  {head || <span className="sr-only">what</span>}
                </Column>
              ))}
            </tr>
          </thead>
          <tbody>
            {part.rows.map((cells) => (
              <tr key={cells[0]} className="border-t border-line">
                {cells.map((cell, n) => (
                  <td key={n} className={n > 0 ? "px-2 text-right" : ""}>
                    {cell}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </Table>
      )}
    </section>
  );
}
