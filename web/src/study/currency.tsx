import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { useStudy } from "@/study/context";
import { askAnew } from "@/study/queries";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { Input } from "@/ui/input";
import { useNotice } from "@/ui/notices";
import { Select } from "@/ui/select";

const USUAL = ["£", "€", "$", "CHF", "kr", "zł", "Kč", "Ft", "¥", "₹", "R$"] as const;
const OTHER = "other";

/** Which currency a study counts in: one of the usual ones, or whatever is written. */
export function CurrencyField({
  value,
  onChange,
}: {
  value: string;
  onChange: (value: string) => void;
}) {
  const usual = USUAL.some((each) => each === value);
  const [other, setOther] = useState(!usual);
  return (
    <span className="flex gap-2">
      <Select
        label="Currency"
        className="py-1"
        value={other ? OTHER : value}
        onChange={(next) => {
          setOther(next === OTHER);
          onChange(next === OTHER ? "" : next);
        }}
        options={[...USUAL.map((each) => [each, each] as const), [OTHER, "another"] as const]}
      />
      {other && (
        <Input
          aria-label="Sign or code of the currency"
          required
          maxLength={8}
          size={6}
          value={value}
          placeholder="SEK"
          onChange={(event) => onChange(event.target.value)}
        />
      )}
    </span>
  );
}

/** Count this study in another currency. */
export function useCurrency() {
  const { study, undo } = useStudy();
  const queries = useQueryClient();
  const say = useNotice();
  return useMutation({
    mutationFn: (currency: string) =>
      data(
        api.PUT("/api/studies/{study}/currency", {
          params: { path: { study: study.id } },
          body: { present: study.currency, currency },
        }),
      ),
    onSuccess: (_, currency) => say(`This study now counts in ${currency}.`, { undo }),
    onError: (problem) => say(problem.message, { trouble: true }),
    onSettled: () =>
      Promise.all([
        askAnew(queries, study.id),
        queries.invalidateQueries({ queryKey: ["pulse", study.id] }),
      ]),
  });
}

/** The card in which a study's currency is changed. */
export function Currency({
  study,
  open,
  onClose,
}: {
  study: Schemas["StudyRow"];
  open: boolean;
  onClose: () => void;
}) {
  return (
    <Card title={`Currency of ${study.name}`} open={open} onClose={onClose}>
      <ChangeCurrency key={study.currency} study={study} onDone={onClose} />
    </Card>
  );
}

function ChangeCurrency({ study, onDone }: { study: Schemas["StudyRow"]; onDone: () => void }) {
  const [currency, setCurrency] = useState(study.currency);
  const choose = useCurrency();
  return (
    <form
      className="mt-2 grid gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        choose.mutate(currency, { onSuccess: onDone });
      }}
    >
      <p className="text-quiet">
        Amounts stay as they are and are shown in this currency. Lines that name another one are set
        aside; files with a column of currencies are read again.
      </p>
      <div className="flex items-center justify-between gap-3">
        <CurrencyField value={currency} onChange={setCurrency} />
        <Button
          kind="main"
          type="submit"
          disabled={choose.isPending || currency.trim() === "" || currency === study.currency}
        >
          Change the currency
        </Button>
      </div>
    </form>
  );
}
