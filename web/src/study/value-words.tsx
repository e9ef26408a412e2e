import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import { count } from "@/charts/format";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { queueWrite } from "@/study/write-queue";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Input } from "@/ui/input";
import { useNotice } from "@/ui/notices";
import { Failed, Waiting } from "@/ui/status";

/** Call the values of a trait something else, wherever they are read: "1" is "city". */
export function ValueWords({ trait, label }: { trait: string; label: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button
        type="button"
        className="min-h-[24px] text-left text-11 text-quiet underline hover:text-ink"
        onClick={() => setOpen(true)}
      >
        words for its values
      </button>
      <Card title={`Words for the values of ${label}`} open={open} onClose={() => setOpen(false)}>
        {open && <Values trait={trait.replace("trait:", "")} onDone={() => setOpen(false)} />}
      </Card>
    </>
  );
}

function Values({ trait, onDone }: { trait: string; onDone: () => void }) {
  const { study, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const path = { study: study.id, trait };
  const [given, setGiven] = useState<Record<string, string>>({});
  const values = useQuery({
    queryKey: ["study", study.id, "value words", trait],
    queryFn: () => data(api.GET("/api/studies/{study}/traits/{trait}/words", { params: { path } })),
  });
  const change = useMutation({
    mutationFn: (revision: number) =>
      queueWrite(`words of ${trait}`, revision, (headers) =>
        data(
          api.PUT("/api/studies/{study}/traits/{trait}/words", {
            params: { path },
            body: { words: given },
            headers,
          }),
        ),
      ),
    onSuccess: (page) => {
      say(`${page.label}: its values read as you called them.`, { undo });
      onDone();
    },
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
  if (values.isError) return <Failed words={values.error.message} />;
  if (!values.data) return <Waiting />;
  const page = values.data;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (Object.keys(given).length > 0) change.mutate(page.revision);
        else onDone();
      }}
    >
      <ul className="mt-2 max-h-[50vh] overflow-y-auto text-12">
        {page.values.map((row) => (
          <li key={row.value} className="flex items-center gap-2 py-0.5">
            <span className="min-w-0 flex-1 truncate" title={`${count(row.customers)} customers`}>
              {row.value}
            </span>
            <Input
              aria-label={`${row.value} is called`}
              className="w-36"
              maxLength={60}
              placeholder={row.value}
              value={given[row.value] ?? row.words}
              onChange={(event) => setGiven({ ...given, [row.value]: event.target.value })}
            />
          </li>
        ))}
      </ul>
      <p className="mt-2 text-11 text-quiet">
        They are read so everywhere; an empty field is as the file has it. Nothing is counted anew.
      </p>
      <Button kind="main" type="submit" className="mt-2 w-full" disabled={change.isPending}>
        Call them so
      </Button>
    </form>
  );
}
