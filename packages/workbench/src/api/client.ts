import type { SessionAnswer } from "@loyal-quill/server/api";
import { Flag } from "./flag.js";

/** An answer that is not the one asked for: what the server said, in its words (RFC 9457). */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    detail: string,
  ) {
    super(detail);
  }
}

/** Whose session it is, and its token against forged requests: that goes with everything that changes something. */
let own: SessionAnswer | null = null;

/** Takes up a session. @throws ApiProblem where it is somebody else's than before: what is on the screen is not theirs */
export function keepSession(session: SessionAnswer): void {
  if (own !== null && own.person !== session.person)
    throw new ApiProblem(
      403,
      `${session.name} has signed in`,
      "Somebody else has signed in in this browser. Copy what you still need, then reload the workbench.",
    );
  own = session;
}

/** Whether the session has ended, as far as the last answer told. */
export const signedOut = new Flag();

// Whoever comes back to this window may have signed in in another one.
if (typeof window !== "undefined")
  window.addEventListener("focus", () => {
    if (signedOut.get()) void ask("/session").catch(() => {});
  });

/** The workbench of a database by its name; the first one has none. */
export const placeOf = (name: string): string => (name === "" ? "/workbench" : `/workbench/at/${name}`);

/** The database that this workbench is about: the first one at /workbench, another one at /workbench/at/NAME. */
export const place = /^\/workbench\/at\/[^/]+/.exec(location.pathname)?.[0] ?? "/workbench";

/** Where the API of this place is. */
export const api = place.replace("/workbench", "/workbench/api");

interface Sent {
  readonly method?: "GET" | "POST" | "PUT" | "DELETE";
  readonly body?: unknown;
  readonly signal?: AbortSignal | undefined;
}

async function send(path: string, { method = "GET", body, signal }: Sent): Promise<Response> {
  try {
    return await fetch(`${api}${path}`, {
      method,
      headers: {
        accept: "application/json",
        ...(method === "GET" ? {} : { "x-csrf-token": own?.csrfToken ?? "" }),
        ...(body === undefined ? {} : { "content-type": "application/json" }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      ...(signal ? { signal } : {}),
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiProblem(0, "The server can't be reached", "Check that it is running, then try again.");
  }
}

/**
 * Takes up the session that somebody has begun in another window since this one was opened.
 *
 * @param token with which something was refused: another answer may have brought the next one while that was under way
 * @returns whether there is another one by now, of the same person
 * @throws ApiProblem where it is somebody else's: what is on the screen is not theirs
 */
async function isRenewed(token: string | undefined): Promise<boolean> {
  if (own?.csrfToken !== token) return true;
  const response = await send("/session", {});
  if (!response.ok) return false;
  signedOut.set(false);
  const now = (await response.json()) as SessionAnswer;
  keepSession(now);
  if (now.csrfToken === token) return false;
  signedOut.set(false, true);
  return true;
}

/** The session that is being asked for because nobody has told of one yet. */
let first: Promise<void> | null = null;

/** Waits for whose session it is: nothing that changes something goes without its token. @throws ApiProblem where there is none */
async function untilKnown(): Promise<void> {
  if (own !== null) return;
  first ??= ask<SessionAnswer>("/session")
    .then(keepSession)
    .finally(() => {
      first = null;
    });
  await first;
}

/**
 * Asks the workbench's API.
 *
 * @throws ApiProblem when the server refuses; a status of 0 means that it could not be reached
 */
export async function ask<T>(path: string, sent: Sent = {}): Promise<T> {
  const isChange = (sent.method ?? "GET") !== "GET";
  if (isChange) await untilKnown();
  const token = own?.csrfToken;
  let response = await send(path, sent);
  if (response.status === 403 && isChange && (await isRenewed(token))) response = await send(path, sent);
  if (response.ok || response.status === 401) signedOut.set(response.status === 401);
  if (response.ok) return (await response.json()) as T;
  const said = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
  throw new ApiProblem(
    response.status,
    said.title ?? "The server refused",
    said.detail ?? `It answered ${response.status}.`,
  );
}
