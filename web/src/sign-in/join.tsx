import { useEffect, useState } from "react";
import type { ReactNode } from "react";

import { api, data, Trouble } from "@/api/client";
import type { Schemas } from "@/api/client";
import { Door, Field } from "@/sign-in/door";
import { Button } from "@/ui/button";
import { typed } from "@/ui/form";
import type { Submitted } from "@/ui/form";

type Link = Schemas["LinkKind"];

/** A link opens this page; only its button uses the link up. */
export function Join() {
  const token = location.hash.slice(1);
  const [link, setLink] = useState<Link | null>(null);
  const [me, setMe] = useState("");
  const [trouble, setTrouble] = useState("");
  useEffect(() => {
    const told = (problem: Error) => setTrouble(problem.message);
    data(api.GET("/api/session"))
      .then((session) => setMe(session.name))
      .then(() => data(api.POST("/api/links/look", { body: { token } })))
      .then(setLink, told);
  }, [token]);
  return (
    <Door title={link ? titleOf(link) : "One-time link"}>
      {link && !link.invitation && <NewPassword token={token} invitation={false} />}
      {link?.invitation && <Invited token={token} me={me} />}
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

function titleOf(link: Link): string {
  if (!link.invitation) return `Welcome, ${link.name}`;
  return link.by ? `${link.by} invites you` : "You are invited";
}

/** Who is signed in comes in as that; who has an account signs in; all others make one. */
function Invited({ token, me }: { token: string; me: string }) {
  const [way, setWay] = useState<"me" | "account" | "new">(me ? "me" : "new");
  const ways: [typeof way, string][] = [
    ...(me ? [["me", `I am ${me}`] as [typeof way, string]] : []),
    ["account", me ? "I have another account" : "I have an account"],
    ["new", "I am new here"],
  ];
  return (
    <>
      <div role="radiogroup" aria-label="How to join" className="mb-4 grid gap-1">
        {ways.map(([value, words]) => (
          <label key={value} className="flex items-baseline gap-2">
            <input type="radio" name="way" checked={way === value} onChange={() => setWay(value)} />
            {words}
          </label>
        ))}
      </div>
      {way === "me" && (
        <Form words={`Join as ${me}`} send={() => accept(token)}>
          {null}
        </Form>
      )}
      {way === "account" && (
        <Form
          words="Sign in and join"
          send={async (form) => {
            await data(
              api.POST("/api/session", {
                body: { name: typed(form, "name"), password: typed(form, "password") },
              }),
            );
            return accept(token);
          }}
        >
          <Field name="name" label="Name" autoComplete="username" />
          <Field name="password" label="Password" type="password" autoComplete="current-password" />
        </Form>
      )}
      {way === "new" && <NewPassword token={token} invitation />}
    </>
  );
}

async function accept(token: string): Promise<string> {
  const { study } = await data(api.POST("/api/links/accept", { body: { token } }));
  return `/study/${study}/`;
}

function NewPassword({ token, invitation }: { token: string; invitation: boolean }) {
  return (
    <Form
      words="Set password and sign in"
      send={async (form) => {
        const body = {
          token,
          password: typed(form, "password"),
          name: typed(form, "name"),
        };
        await data(api.POST("/api/links/use", { body }));
        return "/";
      }}
    >
      {invitation && <Field name="name" label="Your name, as colleagues will see it" />}
      <Field
        name="password"
        label="Choose a password of at least 10 characters"
        type="password"
        minLength={10}
        autoComplete="new-password"
      />
    </Form>
  );
}

/** Fields and one button; what was sent well leads on to a page. */
function Form({
  words,
  send,
  children,
}: {
  words: string;
  send: (form: FormData) => Promise<string>;
  children: ReactNode;
}) {
  const [trouble, setTrouble] = useState("");
  async function submit(event: Submitted) {
    event.preventDefault();
    try {
      location.assign(await send(new FormData(event.currentTarget)));
    } catch (problem) {
      setTrouble(problem instanceof Trouble ? problem.message : "This did not work. Try again.");
    }
  }
  return (
    <form onSubmit={(event) => void submit(event)} className="grid gap-3">
      {children}
      {trouble && (
        <p role="alert" className="text-alarm">
          {trouble}
        </p>
      )}
      <Button kind="main" type="submit">
        {words}
      </Button>
    </form>
  );
}
