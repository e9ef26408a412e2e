import { AlertDialog } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { count } from "@/charts/format";
import { useLedgerChange } from "@/stations/ledger/queries";
import { mark } from "@/study/write-queue";
import { useStudy } from "@/study/context";
import { Button } from "@/ui/button";
import { Input } from "@/ui/input";

/** The cards of a customer; another card of the same person can be put to them, or taken apart. */
export function Cards({ page }: { page: Schemas["CustomerPage"] }) {
  const { study, canChange } = useStudy();
  const [code, setCode] = useState("");
  const headers = mark(page.revision);
  const merge = useLedgerChange(
    (card: string) =>
      data(
        api.POST("/api/studies/{study}/customer/{customer}/cards", {
          params: { path: { study: study.id, customer: page.number } },
          body: { code: card },
          headers,
        }),
      ),
    (card) => `${card} and ${page.name} are one customer now.`,
  );
  const part = useLedgerChange(
    (card: string) =>
      data(
        api.POST("/api/studies/{study}/cards/apart", {
          params: { path: { study: study.id } },
          body: { code: card },
          headers,
        }),
      ),
    (card) => `${card} is a customer of its own again.`,
  );
  const ids = page.cards.flatMap((card) => Object.entries(card.ids));
  return (
    <section className="card p-3" aria-label="Cards">
      <h2 className="text-14">{page.cards.length > 1 ? `${page.cards.length} cards` : "Card"}</h2>
      <ul className="mt-1 text-12">
        {page.cards.map((card) => (
          <li key={card.number} className="flex items-baseline gap-2 py-0.5">
            <span className="flex-1 font-mono">{card.code || "blank"}</span>
            {canChange && page.cards.length > 1 && card.code && (
              <button
                type="button"
                className="text-quiet underline hover:text-ink"
                disabled={part.isPending}
                onClick={() => part.mutate(card.code)}
              >
                Separate
              </button>
            )}
          </li>
        ))}
      </ul>
      {ids.length > 0 && (
        <dl className="grid grid-cols-[1fr_auto] gap-x-3 text-12">
          {ids.map(([name, text]) => (
            <div key={name + text} className="contents">
              <dt className="text-quiet">{name}</dt>
              <dd>{text}</dd>
            </div>
          ))}
        </dl>
      )}
      {canChange && !page.erased && (
        <form
          className="mt-2 flex gap-1.5 border-t border-line pt-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (code.trim()) merge.mutate(code.trim(), { onSuccess: () => setCode("") });
          }}
        >
          <Input
            value={code}
            onChange={(event) => setCode(event.target.value)}
            placeholder="another card of this person"
            aria-label="Another card of this person"
            className="min-w-0 flex-1 text-12"
          />
          <Button type="submit" className="px-2 py-1 text-12" disabled={!code.trim()}>
            Merge
          </Button>
        </form>
      )}
    </section>
  );
}

/** Erase a person: says beforehand what goes and what stays, since it cannot be undone. */
export function Erase({ page }: { page: Schemas["CustomerPage"] }) {
  const { study } = useStudy();
  const go = useNavigate();
  const erase = useLedgerChange(
    () =>
      data(
        api.DELETE("/api/studies/{study}/customer/{customer}", {
          params: { path: { study: study.id, customer: page.number } },
        }),
      ),
    undefined,
  );
  if (study.role !== "owner" || page.erased) return null;
  return (
    <AlertDialog.Root>
      <AlertDialog.Trigger className="justify-self-start text-12 text-quiet underline hover:text-alarm">
        Erase this person
      </AlertDialog.Trigger>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-50 bg-ink/30" />
        <AlertDialog.Content className="card fixed top-1/3 left-1/2 z-50 w-[420px] max-w-[94vw] -translate-x-1/2 p-5 shadow-lg">
          <AlertDialog.Title className="text-16 font-semibold">
            Erase {page.name} permanently?
          </AlertDialog.Title>
          <AlertDialog.Description className="mt-2 text-13">
            Card codes, address, ids, traits and places on lists go, here and in any file that comes
            later. {count(page.total)} receipts stay under a blank card, so that no total changes.
            The files that came in are written anew without this person. This cannot be undone;
            backups from before still name them.
          </AlertDialog.Description>
          <div className="mt-4 flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Button>Keep</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button
                className="border-alarm text-alarm"
                onClick={() => erase.mutate(undefined, { onSuccess: () => void go(".") })}
              >
                Erase permanently
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
