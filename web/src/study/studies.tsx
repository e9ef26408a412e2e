import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Navigate, useLocation, useNavigate } from "react-router";

import { api, data } from "@/api/client";
import { CurrencyField } from "@/study/currency";
import { useStudies } from "@/study/queries";
import { Button } from "@/ui/button";
import { Failed, Waiting } from "@/ui/status";
import { Input } from "@/ui/input";

/** The studies of whoever is signed in; a single one opens by itself on the first visit. */
export function Studies() {
  const studies = useStudies();
  const navigate = useNavigate();
  // The router's own hash: the browser's is gone while a new study's page is still loading.
  const { hash } = useLocation();
  const [name, setName] = useState("");
  const [currency, setCurrency] = useState("£");
  const begin = useMutation({
    mutationFn: () => data(api.POST("/api/studies", { body: { name, currency } })),
    onSuccess: (study) => navigate(`/study/${study.id}/ledger`),
  });
  if (studies.isPending) return <Waiting />;
  if (studies.isError) return <Failed words={studies.error.message} />;
  const rows = studies.data.studies;
  const first = rows[0];
  if (rows.length === 1 && first && !hash)
    return <Navigate to={`/study/${first.id}/ledger`} replace />;
  return (
    <main className="mx-auto max-w-2xl px-6 py-14">
      <div className="mb-6 flex items-center gap-2.5">
        <img src="/static/sortija.svg" alt="" width={28} height={28} />
        <h1 className="text-20">Your studies</h1>
      </div>
      <ul className="grid gap-2">
        {rows.map((study) => (
          <li key={study.id}>
            <a
              href={`/study/${study.id}/ledger`}
              className="card flex justify-between px-4 py-3 hover:border-quiet"
            >
              <span className="font-semibold">{study.name}</span>
              <span className="text-quiet">{study.role}</span>
            </a>
          </li>
        ))}
      </ul>
      <form
        className="mt-6 flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          begin.mutate();
        }}
      >
        <Input
          aria-label="Name of a new study"
          value={name}
          onChange={(event) => setName(event.target.value)}
          placeholder="Name of the shop"
          className="flex-1"
        />
        <CurrencyField value={currency} onChange={setCurrency} />
        <Button
          kind="main"
          type="submit"
          disabled={!name.trim() || !currency.trim() || begin.isPending}
        >
          Create a study
        </Button>
      </form>
      {begin.isError && <p className="mt-2 text-alarm">{begin.error.message}</p>}
    </main>
  );
}
