import { Popover } from "radix-ui";
import { useState } from "react";

import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { useWatching } from "@/stations/crossings/use-watching";
import type { Subject } from "@/stations/crossings/use-watching";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";

type Rule = Schemas["WatchRow"]["rule"];

/** When a watch fires, as a person chooses it. */
export interface Fires {
  name: string;
  rule: Rule;
  number: number | null;
}

/** Watch what is on the screen from now on: the station's main action. */
export function WatchThis({
  subject,
  words,
  kind = "main",
}: {
  subject: Subject;
  words: string;
  kind?: "main" | "plain";
}) {
  const { canChange } = useStudy();
  const [open, setOpen] = useState(false);
  const { add } = useWatching();
  if (!canChange) return null;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button kind={kind}>{words}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label={words}
          className="card z-40 w-80 p-3 shadow-lg"
        >
          <FiresForm
            begin={{
              name: subject.name,
              rule: subject.told ? "beyond chance" : "at least",
              number: subject.customers,
            }}
            told={subject.told}
            size={subject.body.kind === "size"}
            words="Watch"
            busy={add.isPending}
            onDone={(fires) =>
              add.mutate({ ...subject.body, ...fires }, { onSuccess: () => setOpen(false) })
            }
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** A name, and when it fires. */
export function FiresForm({
  begin,
  told,
  size,
  words,
  busy,
  onDone,
}: {
  begin: Fires;
  told: boolean;
  size: boolean;
  words: string;
  busy: boolean;
  onDone: (fires: Fires) => void;
}) {
  const [fires, setFires] = useState(begin);
  const rules: [Rule, string][] = [
    ...(told
      ? ([
          [
            "beyond chance",
            size
              ? "when it is larger or smaller than chance alone makes it"
              : "when more cross than chance alone would move",
          ],
        ] as [Rule, string][])
      : []),
    ["at least", "from so many customers on"],
    ["at most", "down to so many customers"],
  ];
  const number = fires.rule === "beyond chance" ? null : fires.number;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onDone({ ...fires, number });
      }}
    >
      <label className="grid gap-1 text-12 text-quiet">
        Name
        <Input
          className="text-13"
          value={fires.name}
          maxLength={120}
          onChange={(event) => setFires({ ...fires, name: event.target.value })}
        />
      </label>
      <div className="mt-2 grid gap-1" role="radiogroup" aria-label="When it fires">
        {rules.map(([rule, meaning]) => (
          <label key={rule} className="flex items-center gap-1.5 text-12">
            <input
              type="radio"
              className="m-[4px] size-[16px] shrink-0 accent-ink"
              name="rule"
              checked={fires.rule === rule}
              onChange={() => setFires({ ...fires, rule })}
            />
            {meaning}
          </label>
        ))}
      </div>
      {fires.rule !== "beyond chance" && (
        <label className="mt-2 flex items-center gap-2 text-12">
          Customers
          <Input
            type="number"
            min={0}
            step={1}
            className="w-28"
            value={fires.number ?? ""}
            onChange={(event) =>
              setFires({
                ...fires,
                number: event.target.value === "" ? null : Math.round(Number(event.target.value)),
              })
            }
          />
        </label>
      )}
      <p className="mt-2 text-11 text-quiet">
        {begin.number !== null && `${count(begin.number)} now. `}
        It is read whenever a file brings a new month, and stands in the trail when it fires.
      </p>
      <Button
        type="submit"
        className="mt-2 w-full"
        disabled={busy || (fires.rule !== "beyond chance" && fires.number === null)}
      >
        {words}
      </Button>
    </form>
  );
}
