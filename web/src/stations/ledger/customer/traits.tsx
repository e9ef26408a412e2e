import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { day } from "@/charts/format";
import { useLedgerChange } from "@/stations/ledger/queries";
import { useStudy } from "@/study/context";
import { mark } from "@/study/write-queue";
import { Input } from "@/ui/input";

/** A trait as it is read: dates as days. */
function words(value: string): string {
  return /^\d{4}-\d{2}-\d{2}$/.test(value) ? day(value) : value || "not given";
}

/** Traits as they are now, with what was told before; a wrong one is put right in its place. */
export function Traits({ page }: { page: Schemas["CustomerPage"] }) {
  const { canChange } = useStudy();
  const [open, setOpen] = useState("");
  return (
    <section className="card p-3" aria-label="Traits">
      <h2 className="text-14">Traits</h2>
      {page.traits.length === 0 && (
        <p className="mt-1 text-12 text-quiet">No customer table has been imported yet.</p>
      )}
      <ul className="mt-1 text-12">
        {page.traits.map((trait) => (
          <li key={trait.key} className="py-0.5">
            <div className="flex items-baseline justify-between gap-3">
              <span className="text-quiet">{trait.name}</span>
              {open === trait.key ? (
                <Correct
                  customer={page.number}
                  revision={page.traits_revision}
                  trait={trait}
                  onDone={() => setOpen("")}
                />
              ) : canChange && !page.erased ? (
                <button
                  type="button"
                  title="Correct it"
                  className="min-h-[24px] min-w-[24px] text-right hover:underline"
                  onClick={() => setOpen(trait.key)}
                >
                  {words(called(trait, trait.now))}
                </button>
              ) : (
                <span className="text-right">{words(called(trait, trait.now))}</span>
              )}
            </div>
            <Past trait={trait} />
          </li>
        ))}
        {page.address && (
          <li className="flex items-baseline justify-between gap-3 py-0.5">
            <span className="text-quiet">Address</span>
            <span className="truncate">{page.address}</span>
          </li>
        )}
      </ul>
      {page.offers.length > 0 && (
        <>
          <h3 className="mt-2 text-13">Offers received</h3>
          <ul className="text-12">
            {page.offers.map((offer) => (
              <li key={offer.name} className="flex justify-between gap-3">
                <span className="text-quiet">{offer.name}</span>
                <span>{offer.answer}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** A value as it is called. */
const called = (trait: Schemas["TraitHistory"], value: string) => trait.words[value] ?? value;

function Past({ trait }: { trait: Schemas["TraitHistory"] }) {
  const before = trait.told.filter((at) => at.value !== trait.now);
  const [fixed] = trait.corrected;
  if (!fixed && before.length === 0) return null;
  return (
    <p className="text-right text-11 text-quiet">
      {fixed && `corrected by ${fixed.person}, ${day(fixed.day)}; `}
      {before
        .slice(0, 3)
        .map((at) => `${words(called(trait, at.value))} on ${day(at.day)}`)
        .join("; ")}
    </p>
  );
}

function Correct({
  customer,
  revision,
  trait,
  onDone,
}: {
  customer: number;
  revision: number;
  trait: Schemas["TraitHistory"];
  onDone: () => void;
}) {
  const { study } = useStudy();
  const [value, setValue] = useState(trait.now);
  const correct = useLedgerChange(
    (next: string) =>
      data(
        api.POST("/api/studies/{study}/customer/{customer}/trait", {
          params: { path: { study: study.id, customer } },
          body: { trait: trait.key, value: next },
          headers: mark(revision),
        }),
      ),
    (next) => `${trait.name} corrected: ${words(next)}.`,
  );
  return (
    <form
      className="flex gap-1"
      onSubmit={(event) => {
        event.preventDefault();
        correct.mutate(value, { onSuccess: onDone });
      }}
      onKeyDown={(event) => {
        if (event.key === "Escape") onDone();
      }}
    >
      <Input
        autoFocus
        aria-label={`${trait.name}, corrected value`}
        list={`levels-${trait.key}`}
        type={trait.unit === "date" ? "date" : "text"}
        value={value}
        onChange={(event) => setValue(event.target.value)}
        className="w-32"
      />
      {trait.levels.length > 0 && (
        <datalist id={`levels-${trait.key}`}>
          {trait.levels.map((level) => (
            <option key={level} value={level}>
              {trait.words[level]}
            </option>
          ))}
        </datalist>
      )}
      <button type="submit" className="rounded border border-line px-1.5 hover:border-quiet">
        Correct
      </button>
    </form>
  );
}
