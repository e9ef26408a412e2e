import { useState } from "react";

import { api, data, Trouble } from "@/api/client";
import { Door } from "@/sign-in/door";
import { Who } from "@/sign-in/who";
import { typed } from "@/ui/form";
import type { Submitted } from "@/ui/form";

export function SignIn() {
  const [trouble, setTrouble] = useState("");
  async function submit(event: Submitted) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const body = { name: typed(form, "name"), password: typed(form, "password") };
    try {
      await data(api.POST("/api/session", { body }));
      location.assign(ownPath(new URLSearchParams(location.search).get("back") ?? "/"));
    } catch (problem) {
      setTrouble(problem instanceof Trouble ? problem.message : "This did not work. Try again.");
    }
  }
  return (
    <Door title="Sign in">
      <form onSubmit={(event) => void submit(event)} className="grid gap-3">
        <Who trouble={trouble} />
        <p className="text-12 text-quiet">
          First time, or password forgotten? Start Sortija with ./start: it prints a link that signs
          you in once. Colleagues come in by an invitation from a study's owner.
        </p>
      </form>
    </Door>
  );
}

/** Where to go on: a path of our own, whatever the address asks for. */
export function ownPath(asked: string): string {
  try {
    const url = new URL(asked, location.origin);
    return url.origin === location.origin ? url.pathname + url.search + url.hash : "/";
  } catch {
    return "/";
  }
}
