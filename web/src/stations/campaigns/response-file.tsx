import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { sendFile } from "@/api/upload";
import { count } from "@/charts/format";
import type { Row } from "@/stations/campaigns/types";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Checkbox } from "@/ui/input";
import { useNotice } from "@/ui/notices";
import { Select } from "@/ui/select";

type Looked = Schemas["LookedAt"];
type Mapping = Required<Schemas["FileMapping"]>;

/** What became of letters, from a file: which columns say it is proposed, and put right here. */
export function ResponseFile({ row }: { row: Row }) {
  const { study } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  const picker = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<{ upload: number; look: Looked; mapping: Mapping } | null>(null);
  const path = { params: { path: { study: study.id, campaign: row.id } } };
  const look = useMutation({
    mutationFn: async (picked: File) => {
      const upload = await sendFile(study.id, picked);
      const found = await data(
        api.POST("/api/studies/{study}/campaigns/{campaign}/responses", {
          ...path,
          body: { upload },
        }),
      );
      return { upload, look: found, mapping: found.mapping as Mapping };
    },
    onSuccess: setFile,
    onError: (problem) => say(problem.message, { trouble: true }),
  });
  const take = useMutation({
    mutationFn: ({ upload, mapping }: { upload: number; mapping: Mapping }) =>
      data(
        api.PUT("/api/studies/{study}/campaigns/{campaign}/responses", {
          ...path,
          body: { upload, mapping },
        }),
      ),
    onSuccess: (taken) => {
      setFile(null);
      say(takenWords(taken));
    },
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () => askAnew(queries, study.id),
  });
  return (
    <>
      <input
        ref={picker}
        type="file"
        hidden
        aria-label="File of responses"
        onChange={(event) => {
          const picked = event.target.files?.[0];
          event.target.value = "";
          if (picked) look.mutate(picked);
        }}
      />
      <Button
        className="shrink-0 px-2.5 py-1 text-12"
        disabled={look.isPending}
        onClick={() => picker.current?.click()}
      >
        {look.isPending ? "Reading …" : "Deliveries and replies from a file"}
      </Button>
      {file && (
        <Card title={file.look.name} open wide onClose={() => setFile(null)}>
          <Columns
            look={file.look}
            mapping={file.mapping}
            onChange={(change) => setFile({ ...file, mapping: { ...file.mapping, ...change } })}
          />
          <div className="mt-4 flex justify-end">
            <Button
              kind="main"
              disabled={
                take.isPending || !file.mapping.who || !(file.mapping.what || file.mapping.all_are)
              }
              onClick={() => take.mutate(file)}
            >
              Take them
            </Button>
          </div>
        </Card>
      )}
    </>
  );
}

interface ColumnsProps {
  look: Looked;
  mapping: Mapping;
  onChange: (change: Partial<Mapping>) => void;
}

/** Which columns say who, what and when. */
function Columns({ look, mapping, onChange }: ColumnsProps) {
  const names = look.columns.map(
    (column) =>
      [column.name, `${column.name} (${column.first.join(", ").slice(0, 40)})`] as [string, string],
  );
  const values = look.values[mapping.what] ?? [];
  const told = look.columns.filter((column) => look.values[column.name]).map((each) => each.name);
  const chooseWhat = (what: string) =>
    onChange({
      what,
      values: Object.fromEntries(
        (look.values[what] ?? []).map((value) => [value, mapping.values[value] ?? ""]),
      ),
    });
  return (
    <div className="mt-3 grid gap-3 text-12">
      <p className="text-quiet">
        {look.remembered
          ? "Read as a file with these columns was before. "
          : "Proposed by what stands in the columns. "}
        {count(look.found)} of the first {count(look.rows)} rows name somebody whom this campaign
        writes to.
      </p>
      <label className="grid grid-cols-[110px_1fr] items-center gap-2">
        Who
        <Select
          label="Who"
          value={mapping.who}
          options={[["", "not said"], ...names]}
          onChange={(who) => onChange({ who })}
        />
      </label>
      <label className="grid grid-cols-[110px_1fr] items-center gap-2">
        by
        <Select
          label="Named by"
          value={mapping.by}
          options={[
            ["card", "card"],
            ["address", "address"],
            ["pseudonym", "pseudonym"],
          ]}
          onChange={(by) => onChange({ by: by })}
        />
      </label>
      <label className="grid grid-cols-[110px_1fr] items-center gap-2">
        What happened
        <Select
          label="What happened"
          value={mapping.what}
          options={[["", "the same in all rows"], ...names.filter(([name]) => told.includes(name))]}
          onChange={chooseWhat}
        />
      </label>
      {mapping.what ? (
        <ul className="grid gap-1 pl-[118px]">
          {values.map((value) => (
            <li key={value} className="grid grid-cols-[1fr_150px] items-center gap-2">
              <span className="truncate">{value}</span>
              <Select
                label={`${value} means`}
                value={mapping.values[value] ?? ""}
                options={[
                  ["", "passed over"],
                  ...look.kinds.map((kind) => [kind, kind] as [string, string]),
                ]}
                onChange={(kind) => onChange({ values: { ...mapping.values, [value]: kind } })}
              />
            </li>
          ))}
        </ul>
      ) : (
        <label className="grid grid-cols-[110px_1fr] items-center gap-2">
          All rows are
          <Select
            label="All rows are"
            value={mapping.all_are}
            options={[
              ["", "not said"],
              ...look.kinds.map((kind) => [kind, kind] as [string, string]),
            ]}
            onChange={(kind) => onChange({ all_are: kind })}
          />
        </label>
      )}
      <label className="grid grid-cols-[110px_1fr] items-center gap-2">
        When
        <Select
          label="When"
          value={mapping.when}
          options={[["", "not said: the day of sending"], ...names]}
          onChange={(when) => onChange({ when })}
        />
      </label>
      {mapping.when && (
        <label className="flex items-center gap-2 pl-[114px]">
          <Checkbox
            checked={mapping.month_first}
            onChange={(event) => onChange({ month_first: event.target.checked })}
          />
          The month stands before the day
        </label>
      )}
    </div>
  );
}

function takenWords({ told, unread }: Schemas["FileTaken"]): string {
  const said = [`${count(told.taken)} responses are new`];
  if (told.known > 0) said.push(`${count(told.known)} were known`);
  if (told.opted_out > 0) said.push(`${count(told.opted_out)} opted out and have no consent now`);
  const left = unread.map((each) => `${count(each.rows)} ${each.reason} (${each.first})`);
  return `${said.join(", ")}.${left.length ? ` Not used: ${left.join("; ")}.` : ""}`;
}
