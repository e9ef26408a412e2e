import { Popover } from "radix-ui";
import { useState } from "react";

import { count, day } from "@/charts/format";
import { useLens } from "@/lens/context";
import type { ListKind, Page, Row } from "@/stations/campaigns/types";
import type { useActions } from "@/stations/campaigns/use-campaigns";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Choice } from "@/ui/choice";
import { FindList } from "@/ui/find-list";
import { Checkbox } from "@/ui/input";
import { Select } from "@/ui/select";

const KINDS = [
  ["csv", "CSV"],
  ["xlsx", "XLSX"],
  ["parquet", "Parquet"],
] as const;
const MOST = 20;

type Way = "service" | "file";

interface Props {
  row: Row;
  page: Page;
  act: ReturnType<typeof useActions>;
  /** What the button says. */
  words: string;
  main: boolean;
  /** The list is on record as a file, so that only another file is left. */
  fileOnly: boolean;
}

/** How the list leaves: to the delivery service through the outbox, or as a file. */
export function HandOver({ row, page, act, words, main, fileOnly }: Props) {
  const [open, setOpen] = useState(false);
  const canSend = page.service !== "" && !fileOnly;
  const [way, setWay] = useState<Way>(canSend ? "service" : "file");
  const [kind, setKind] = useState<ListKind>("csv");
  const [columns, setColumns] = useState<string[]>([]);
  const [pseudonyms, setPseudonyms] = useState(false);
  const close = () => setOpen(false);
  const chosen = canSend ? way : "file";
  const early = row.state === "drawn" && row.send_on > page.today;
  return (
    <>
      <Button kind={main ? "main" : "plain"} onClick={() => setOpen(true)}>
        {words}
      </Button>
      <Card title={`The list of ${row.name}`} open={open} wide onClose={close}>
        <div className="mt-3 grid gap-3 text-13">
          {canSend && (
            <div className="flex">
              <Choice<Way>
                label="How it leaves"
                choices={[
                  ["service", `To ${page.service}`],
                  ["file", "As a file"],
                ]}
                value={way}
                onChoose={setWay}
              />
            </div>
          )}
          <p>
            {chosen === "service"
              ? `${count(row.written)} letters ${waitWords(page.wait_minutes)}`
              : `A file of ${count(row.written)} rows. That it was taken stays on record, and cannot be undone.`}
          </p>
          {early && (
            <p className="text-12 text-quiet">
              The plan says {day(row.send_on)}; the result is counted from that day, whenever the
              list leaves.
            </p>
          )}
          <Columns
            chosen={columns}
            onChange={setColumns}
            first={pseudonyms ? "pseudonym" : "card"}
            versions={row.versions.length > 1}
          />
          <label className="flex items-center gap-2 text-12 text-quiet">
            <Checkbox
              checked={pseudonyms}
              onChange={(event) => setPseudonyms(event.target.checked)}
            />
            Pseudonyms instead of cards; answers that name them are understood
          </label>
          <div className="flex items-center justify-end gap-3">
            {chosen === "file" && (
              <label className="flex items-center gap-1 text-12 text-quiet">
                as
                <Select look="word" value={kind} options={KINDS} onChange={setKind} />
              </label>
            )}
            {chosen === "service" ? (
              <Button
                kind="main"
                disabled={act.send.isPending}
                onClick={() => {
                  act.send.mutate({ row, columns, pseudonyms });
                  close();
                }}
              >
                Put it in the outbox
              </Button>
            ) : (
              <Button
                kind="main"
                disabled={act.list.isPending}
                onClick={() => {
                  act.list.mutate({ row, kind, columns, pseudonyms });
                  close();
                }}
              >
                Save the list
              </Button>
            )}
          </div>
        </div>
      </Card>
    </>
  );
}

/** What each row of the list has, and columns of one's choice. */
function Columns({
  chosen,
  onChange,
  first,
  versions,
}: {
  first: string;
  chosen: string[];
  onChange: (columns: string[]) => void;
  versions: boolean;
}) {
  const { fields } = useLens();
  const label = (key: string) => fields.find((field) => field.field === key)?.label ?? key;
  const toggle = (key: string) =>
    onChange(
      chosen.includes(key)
        ? chosen.filter((each) => each !== key)
        : [...chosen, key].slice(0, MOST),
    );
  return (
    <div className="flex items-center justify-between gap-3">
      <p className="text-12 text-quiet">
        Columns: {first}, address, segment{versions ? ", version" : ""}
        {chosen.map((key) => `, ${label(key)}`).join("")}
      </p>
      <Popover.Root>
        <Popover.Trigger className="shrink-0 rounded-md border border-line bg-card px-2.5 py-1 text-12 hover:border-quiet">
          More columns <span aria-hidden>▾</span>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="end"
            sideOffset={6}
            aria-label="Columns of the list"
            className="card z-50 w-72 p-3 shadow-lg"
          >
            <FindList
              label="Find a column"
              placeholder="Measure, trait or segment"
              items={fields}
              keyOf={(field) => field.field}
              wordsOf={(field) => field.label}
              picked={(field) => chosen.includes(field.field)}
              onPick={(field) => toggle(field.field)}
            >
              {(field) => (
                <>
                  <span aria-hidden className="w-3">
                    {chosen.includes(field.field) ? "✓" : ""}
                  </span>
                  <span>{field.label}</span>
                </>
              )}
            </FindList>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </div>
  );
}

function waitWords(minutes: number): string {
  if (minutes === 0) return "leave at once, and cannot be taken back.";
  const wait = minutes === 1 ? "a minute" : `${minutes} minutes`;
  return `wait ${wait} in the outbox, where anybody of the study can stop them. Then they leave, and cannot be taken back.`;
}
