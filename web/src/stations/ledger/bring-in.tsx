import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { count } from "@/charts/format";
import { upload } from "@/stations/ledger/upload";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { Button } from "@/ui/button";
import { useNotice } from "@/ui/notices";

/** Bring a file in, by choosing it or by dropping it anywhere on the page. */
export function BringIn({ quiet = false }: { quiet?: boolean }) {
  const { study, canChange } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const input = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState<number | null>(null);
  const take = async (files: File[]) => {
    try {
      for (const file of files) {
        setShare(0);
        await upload(study.id, file, setShare);
      }
    } catch (problem) {
      say(problem instanceof Error ? problem.message : "The file could not be imported.", {
        trouble: true,
      });
    } finally {
      setShare(null);
      await askAnew(queries, study.id);
    }
  };
  const latest = useRef(take);
  useEffect(() => {
    latest.current = take;
  });
  useEffect(() => {
    const over = (event: DragEvent) => event.preventDefault();
    const drop = (event: DragEvent) => {
      event.preventDefault();
      const files = [...(event.dataTransfer?.files ?? [])];
      if (files.length && canChange) void latest.current(files);
    };
    document.addEventListener("dragover", over);
    document.addEventListener("drop", drop);
    return () => {
      document.removeEventListener("dragover", over);
      document.removeEventListener("drop", drop);
    };
  }, [canChange]);
  if (!canChange) return null;
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept=".csv,.tsv,.txt,.gz,.zip,.xlsx,.parquet,.jsonl,.ndjson,.json,.geojson,text/csv"
        data-testid="file"
        onChange={(event) => {
          void take([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <Button
        kind={quiet ? "plain" : "main"}
        disabled={share !== null}
        onClick={() => input.current?.click()}
      >
        {share === null ? "Import a file" : `Uploading, ${count(Math.round(share * 100))}%`}
      </Button>
    </>
  );
}
