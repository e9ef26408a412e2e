import { useEffect, useState } from "react";
import type { FormEvent } from "react";

import { api, data, Trouble } from "@/api/client";
import type { Schemas } from "@/api/client";
import { Door, Field } from "@/sign-in/door";
import { Button } from "@/ui/button";

/** A link opens this page; only its button uses the link up. */
export function Join() {
  const token = location.hash.slice(1);
  const [link, setLink] = useState<Schemas["LinkKind"] | null>(null);
  const [trouble, setTrouble] = useState("");
  useEffect(() => {
    data(api.POST("/api/links/look", { body: { token } })).then(setLink, (problem: Error) =>
      setTrouble(problem.message),
    );
  }, [token]);

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const body = {
      token,
      password: String(form.get("password")),
      name: String(form.get("name") ?? ""),
    };
    try {
      await data(api.POST("/api/links/use", { body }));
      location.assign("/");
    } catch (problem) {
      setTrouble(problem instanceof Trouble ? problem.message : "This did not work. Try again.");
    }
  }
  return (
    <Door
      title={
        link ? (link.invitation ? "You are invited" : `Welcome, ${link.name}`) : "One-time link"
      }
    >
      {link && (
        <form onSubmit={(event) => void submit(event)} className="grid gap-3">
          {link.invitation && <Field name="name" label="Your name, as colleagues will see it" />}
          <Field
            name="password"
            label="Choose a password, 10 letters or more"
            type="password"
            minLength={10}
            autoComplete="new-password"
          />
          <Button kind="main" type="submit">
            Set password and come in
          </Button>
        </form>
      )}
      {trouble && (
        <p role="alert" className="mt-3 text-alarm">
          {trouble}
        </p>
      )}
      {!link && !trouble && <p className="text-quiet">Looking at the link …</p>}
      {!link && trouble && (
        <a className="mt-3 inline-block text-copper underline" href="/sign-in">
          Sign in with your password
        </a>
      )}
    </Door>
  );
}
