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

/** The session's token against forged requests: goes with everything that changes something. */
let token = "";
export const keepToken = (given: string): void => {
  token = given;
};

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
        ...(method === "GET" ? {} : { "x-csrf-token": token }),
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
 * Asks the workbench's API.
 *
 * @throws ApiProblem when the server refuses; a status of 0 means that it could not be reached
 */
export async function ask<T>(path: string, sent: Sent = {}): Promise<T> {
  const response = await send(path, sent);
  if (response.ok) return (await response.json()) as T;
  const said = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
  throw new ApiProblem(
    response.status,
    said.title ?? "The server refused",
    said.detail ?? `It answered ${response.status}.`,
  );
}
