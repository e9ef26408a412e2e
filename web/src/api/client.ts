import createClient from "openapi-fetch";

import type { components, paths } from "@/api/schema";

export type Schemas = components["schemas"];

/** What went wrong, in the server's words: a sentence that a person can act on. */
export class Trouble extends Error {
  constructor(
    detail: string,
    readonly status: number,
    readonly body: Record<string, unknown> = {},
  ) {
    super(detail);
  }
}

function cookie(name: string): string {
  return document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? "";
}

export const api = createClient<paths>({ baseUrl: "/" });

api.use({
  onRequest({ request }) {
    request.headers.set("X-CSRFToken", cookie("sortija_csrf"));
    return request;
  },
});

/** The data of an answer, or a {@link Trouble}. A lost session leads to the sign-in page. */
export async function data<T>(
  asked: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let answer;
  try {
    answer = await asked;
  } catch (problem) {
    if (problem instanceof DOMException && problem.name === "AbortError") throw problem;
    throw new Trouble("Can’t reach the server. Is Sortija still running?", 0);
  }
  if (answer.response.ok) return answer.data as T;
  throw troubleOf(answer.response.status, answer.error);
}

let sessionEnded: (() => void) | null = null;

/** Hear of a session that ended, in the place of going to the sign-in page; what is given back
 * ends that. */
export function onSessionEnd(hear: () => void): () => void {
  sessionEnded = hear;
  return () => {
    if (sessionEnded === hear) sessionEnded = null;
  };
}

function troubleOf(status: number, error: unknown): Trouble {
  const body = (typeof error === "object" && error ? error : {}) as Record<string, unknown>;
  if (status === 401 && sessionEnded) sessionEnded();
  else if (status === 401) {
    const back = encodeURIComponent(location.pathname + location.search);
    location.assign(`/sign-in?back=${back}`);
  }
  const detail =
    typeof body.detail === "string" ? body.detail : "Something went wrong on the server.";
  return new Trouble(detail, status, body);
}

/** Send one part of a file; its bytes go as they are. */
export async function putBytes(path: string, bytes: Blob): Promise<Schemas["Upload"]> {
  const response = await fetch(path, {
    method: "PUT",
    body: bytes,
    headers: {
      "Content-Type": "application/octet-stream",
      "X-CSRFToken": cookie("sortija_csrf"),
    },
  });
  const body: unknown = await response.json().catch(() => ({}));
  if (!response.ok) throw troubleOf(response.status, body);
  return body as Schemas["Upload"];
}

/** Send a whole file, and take the file that comes back, with what its headers say. */
export async function fileForFile(path: string, bytes: Blob): Promise<Response> {
  const response = await fetch(path, {
    method: "POST",
    body: bytes,
    headers: {
      "Content-Type": "application/octet-stream",
      "X-CSRFToken": cookie("sortija_csrf"),
    },
  });
  if (!response.ok)
    throw troubleOf(response.status, (await response.json().catch(() => ({}))) as unknown);
  return response;
}

/** Whether the same may be answered later: the server was away or in trouble, or nobody signed in. */
export function mayComeBack(problem: unknown): boolean {
  const status = problem instanceof Trouble ? problem.status : 0;
  return status === 0 || status === 401 || status >= 500;
}

export function retryUnless(count: number, error: Error): boolean {
  return count < 2 && !(error instanceof Trouble && error.status >= 400 && error.status < 500);
}
