import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data } from "@/api/client";
import type { Schemas } from "@/api/client";
import { moment } from "@/charts/format";
import { Field } from "@/sign-in/door";
import { Button } from "@/ui/button";
import { Card } from "@/ui/card";
import { useNotice } from "@/ui/notices";
import { Failed, Waiting } from "@/ui/status";
import { typed } from "@/ui/form";
import type { Submitted } from "@/ui/form";

const KEY = ["sign-ins"];

/** One's own account: the password, and where one is signed in. */
export function Account({
  name,
  open,
  onClose,
}: {
  name: string;
  open: boolean;
  onClose: () => void;
}) {
  return (
    <Card title={`Your account, ${name}`} open={open} onClose={onClose} wide>
      <SignedIn />
      <Password />
    </Card>
  );
}

function useChange<T, R>(change: (input: T) => Promise<R>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSettled: () => queries.invalidateQueries({ queryKey: KEY }),
  });
}

function SignedIn() {
  const say = useNotice();
  const list = useQuery({
    queryKey: KEY,
    queryFn: () => data(api.GET("/api/sign-ins")),
    staleTime: 0,
  });
  const others = useChange(() => data(api.DELETE("/api/sign-ins")));
  const rows = list.data?.sign_ins ?? [];
  return (
    <section aria-label="Where you are signed in" className="mt-3">
      <h3 className="text-13">Where you are signed in</h3>
      {list.isError && <Failed words={list.error.message} />}
      {list.isPending && <Waiting height={60} />}
      <ul>
        {rows.map((row) => (
          <SignIn key={row.id} row={row} />
        ))}
      </ul>
      {rows.length > 1 && (
        <Button
          className="mt-2"
          disabled={others.isPending}
          onClick={() =>
            others.mutate(undefined, {
              onSuccess: () => say("You are signed in here only."),
              onError: (problem) => say(problem.message, { trouble: true }),
            })
          }
        >
          Sign out everywhere else
        </Button>
      )}
    </section>
  );
}

function SignIn({ row }: { row: Schemas["SignInRow"] }) {
  const say = useNotice();
  const end = useChange(() =>
    data(api.DELETE("/api/sign-ins/{sign_in}", { params: { path: { sign_in: row.id } } })),
  );
  return (
    <li className="flex items-center gap-3 border-t border-line py-1.5 first:border-t-0">
      <span className="min-w-0 flex-1">
        <span className="block truncate">{row.browser}</span>
        <span className="block truncate text-12 text-quiet">
          {row.own ? "here, now" : `last used ${moment(row.seen_at)}`}, from {row.address}
        </span>
      </span>
      {!row.own && (
        <Button
          kind="quiet"
          disabled={end.isPending}
          onClick={() =>
            end.mutate(undefined, {
              onError: (problem) => say(problem.message, { trouble: true }),
            })
          }
        >
          Sign out
        </Button>
      )}
    </li>
  );
}

function Password() {
  const say = useNotice();
  const [trouble, setTrouble] = useState("");
  const change = useChange((body: Schemas["NewPassword"]) =>
    data(api.PUT("/api/password", { body })),
  );
  function submit(event: Submitted) {
    event.preventDefault();
    const form = event.currentTarget;
    const given = new FormData(form);
    const body = { present: typed(given, "present"), wanted: typed(given, "wanted") };
    change.mutate(body, {
      onSuccess: ({ ended }) => {
        form.reset();
        setTrouble("");
        const others = ended === 1 ? "One other sign-in" : `${ended} other sign-ins`;
        say(`Your password is changed.${ended ? ` ${others} ended.` : ""}`);
      },
      onError: (problem) => setTrouble(problem.message),
    });
  }
  return (
    <section aria-label="Password" className="mt-4 border-t border-line pt-3">
      <h3 className="text-13">Change your password</h3>
      <form onSubmit={submit} className="mt-2 grid grid-cols-2 gap-x-3 gap-y-2">
        <Field
          name="present"
          label="Current password"
          type="password"
          autoComplete="current-password"
        />
        <Field
          name="wanted"
          label="New password, at least 10 characters"
          type="password"
          minLength={10}
          autoComplete="new-password"
        />
        {trouble && (
          <p role="alert" className="col-span-2 text-alarm">
            {trouble}
          </p>
        )}
        <p className="text-12 text-quiet">Signs you out everywhere else.</p>
        <Button type="submit" disabled={change.isPending} className="justify-self-end">
          Change password
        </Button>
      </form>
    </section>
  );
}
