import { DropdownMenu, Popover } from "radix-ui";
import { useState } from "react";

import { api } from "@/api/client";
import type { Schemas } from "@/api/client";
import { backWords, day } from "@/charts/format";
import { Arc } from "@/marks/state-mark";
import { Account } from "@/study/account";
import { Currency } from "@/study/currency";
import { People } from "@/study/people";
import { useSession } from "@/study/queries";
import { Input } from "@/ui/input";

const item = "cursor-pointer rounded px-2 py-1.5 outline-none data-[highlighted]:bg-paper";

interface Props {
  study: Schemas["StudyRow"];
  window: Schemas["WindowRow"] | null;
  backs: string[];
  years: number[];
  jobs: Schemas["JobRow"][];
  onWindow: (to: string, back: string) => void;
  onKeys: () => void;
}

/** Study, window in view, the running job, the person. */
export function TopBar({ study, window, backs, years, jobs, onWindow, onKeys }: Props) {
  const session = useSession();
  const [card, setCard] = useState<"" | "people" | "currency" | "account">("");
  const job = jobs[0];
  return (
    <header className="flex min-h-11 flex-wrap items-center gap-x-4 gap-y-1 border-b border-line bg-card px-4 py-1 print:px-0 small:gap-x-2 small:px-2">
      <a href="/#all" className="flex items-center gap-2" aria-label="Sortija, all studies">
        <img src="/static/sortija.svg" alt="" width={24} height={24} />
        <span className="font-head text-[17px] font-bold small:sr-only">Sortija</span>
      </a>
      <span
        className="max-w-72 min-w-0 truncate font-semibold small:max-w-[45vw]"
        title={study.name}
      >
        {study.name}
      </span>
      {window && (
        <WindowMenu
          key={window.to + window.back}
          window={window}
          backs={backs}
          years={years}
          onWindow={onWindow}
        />
      )}
      <span className="flex-1" />
      {job && (
        <span className="flex items-center gap-2 rounded-md border border-line px-2.5 py-1 print:hidden">
          <Arc share={job.of ? job.done / job.of : 0} />
          {job.words}
          {job.seconds_left !== null && `, ${job.seconds_left} s left`}
        </span>
      )}
      <button
        type="button"
        className="rounded border border-line px-2 py-0.5 text-12 text-quiet print:hidden hover:text-ink"
        onClick={onKeys}
      >
        ? <span className="small:sr-only">keys</span>
      </button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          aria-label={`Signed in as ${session.data?.name ?? ""}`}
          className="grid size-[26px] place-items-center rounded-full bg-ink text-11 font-semibold text-white print:hidden"
        >
          {session.data?.initials}
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            sideOffset={6}
            className="card z-40 min-w-44 p-1.5 shadow-lg"
          >
            <DropdownMenu.Label className="px-2 py-1 text-12 text-quiet">
              {session.data?.name}, {study.role}
            </DropdownMenu.Label>
            <DropdownMenu.Item className={item} onSelect={() => location.assign("/#all")}>
              All studies
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => setCard("people")}>
              People of this study
            </DropdownMenu.Item>
            {study.role !== "reader" && (
              <DropdownMenu.Item className={item} onSelect={() => setCard("currency")}>
                Currency of this study
              </DropdownMenu.Item>
            )}
            <DropdownMenu.Item className={item} onSelect={() => setCard("account")}>
              Your account
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className={item}
              onSelect={() =>
                void api.DELETE("/api/session").then(() => location.assign("/sign-in"))
              }
            >
              Sign out
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <People study={study} open={card === "people"} onClose={() => setCard("")} />
      <Currency study={study} open={card === "currency"} onClose={() => setCard("")} />
      <Account
        name={session.data?.name ?? ""}
        open={card === "account"}
        onClose={() => setCard("")}
      />
    </header>
  );
}

const choice = (on: boolean) =>
  `rounded-md border px-2 py-1 ${on ? "border-ink bg-ink text-white" : "border-line hover:border-quiet"}`;

/** A window that begins on a given day. */
function Since({
  to,
  back,
  onSince,
}: {
  to: string;
  back: string;
  onSince: (since: string) => void;
}) {
  const [since, setSince] = useState(back.includes("-") ? back : "");
  return (
    <form
      className="mt-3"
      onSubmit={(event) => {
        event.preventDefault();
        onSince(since);
      }}
    >
      <label className="grid gap-1 text-12 text-quiet">
        Look back to
        <span className="flex gap-2">
          <Input
            type="date"
            required
            max={to}
            value={since}
            onChange={(event) => setSince(event.target.value)}
            className="flex-1 text-13"
          />
          <button
            type="submit"
            className="rounded-md border border-line px-2 text-13 text-ink hover:border-quiet"
          >
            From here
          </button>
        </span>
      </label>
    </form>
  );
}

function WindowMenu({
  window,
  backs,
  years,
  onWindow,
}: {
  window: Schemas["WindowRow"];
  backs: string[];
  years: number[];
  onWindow: Props["onWindow"];
}) {
  const [to, setTo] = useState(window.to);
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="rounded-md border border-line px-2.5 py-1 hover:border-quiet print:border-transparent">
        to {day(window.to)}, {backWords(window.back)}{" "}
        <span aria-hidden className="print:hidden">
          ▾
        </span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={6} className="card z-40 w-64 p-3 shadow-lg">
          <form
            onSubmit={(event) => {
              event.preventDefault();
              onWindow(to, window.back);
              setOpen(false);
            }}
          >
            <label className="grid gap-1 text-12 text-quiet">
              Last day included
              <span className="flex gap-2">
                <Input
                  type="date"
                  required
                  value={to}
                  onChange={(event) => setTo(event.target.value)}
                  className="flex-1 text-13"
                />
                <button
                  type="submit"
                  className="rounded-md border border-line px-2 text-13 text-ink hover:border-quiet"
                >
                  Look
                </button>
              </span>
            </label>
          </form>
          <Since
            to={to}
            back={window.back}
            onSince={(since) => {
              onWindow(to, since);
              setOpen(false);
            }}
          />
          {years.length > 0 && (
            <fieldset className="mt-3">
              <legend className="mb-1 text-12 text-quiet">The 12 months of</legend>
              <div className="flex flex-wrap gap-1.5">
                {years.map((year) => (
                  <button
                    key={year}
                    type="button"
                    aria-pressed={window.to === `${year}-12-31` && window.back === "12"}
                    onClick={() => {
                      onWindow(`${year}-12-31`, "12");
                      setOpen(false);
                    }}
                    className={choice(window.to === `${year}-12-31` && window.back === "12")}
                  >
                    {year}
                  </button>
                ))}
              </div>
            </fieldset>
          )}
          <fieldset className="mt-3">
            <legend className="mb-1 text-12 text-quiet">Look back over</legend>
            <div className="flex flex-wrap gap-1.5">
              {backs.map((back) => (
                <button
                  key={back}
                  type="button"
                  aria-pressed={back === window.back}
                  onClick={() => {
                    onWindow(to, back);
                    setOpen(false);
                  }}
                  className={choice(back === window.back)}
                >
                  {back === "all" ? "all" : `${back} months`}
                </button>
              ))}
            </div>
          </fieldset>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
