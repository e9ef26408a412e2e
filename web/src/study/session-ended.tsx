import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, data, onSessionEnd, Trouble } from "@/api/client";
import { Who } from "@/sign-in/who";
import { useSession } from "@/study/queries";
import { Card } from "@/ui/card";
import { typed } from "@/ui/form";
import type { Submitted } from "@/ui/form";

/** A session that ended is renewed over the page: what was typed and opened stays as it is. */
export function SessionEnded() {
  const queries = useQueryClient();
  const session = useSession();
  const [open, setOpen] = useState(false);
  const [trouble, setTrouble] = useState("");
  // Whom the page belongs to: the session itself knows nobody any more.
  const [name, setName] = useState("");
  const now = session.data?.name ?? "";
  if (now && now !== name) setName(now);
  useEffect(() => onSessionEnd(() => setOpen(true)), []);
  const submit = async (event: Submitted) => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const body = { name: typed(form, "name"), password: typed(form, "password") };
    try {
      const found = await data(api.POST("/api/session", { body }));
      if (found.name !== name) {
        location.reload(); // somebody else's page: it begins anew
        return;
      }
      setTrouble("");
      setOpen(false);
      await queries.invalidateQueries();
    } catch (problem) {
      setTrouble(problem instanceof Trouble ? problem.message : "This did not work. Try again.");
    }
  };
  return (
    <Card title="Sign in again" open={open} onClose={() => setOpen(false)}>
      <p className="mt-2 text-12 text-quiet">
        Your session has ended. Sign in here: the page stays as it is, and nothing you typed is
        lost. What was refused meanwhile is asked for again; a change that was not taken you make
        once more.
      </p>
      <form onSubmit={(event) => void submit(event)} className="mt-3 grid gap-3">
        <Who name={name} trouble={trouble} />
      </form>
    </Card>
  );
}
