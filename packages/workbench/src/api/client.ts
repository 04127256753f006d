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

/**
 * Asks the workbench's API.
 *
 * @throws ApiProblem when the server refuses; a status of 0 means that it could not be reached
 */
export async function ask<T>(path: string, signal?: AbortSignal): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/workbench/api${path}`, {
      headers: { accept: "application/json" },
      ...(signal ? { signal } : {}),
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiProblem(
      0,
      "The server can't be reached",
      "Check that it is running; this page tries again by itself.",
    );
  }
  if (response.ok) return (await response.json()) as T;
  const said = (await response.json().catch(() => ({}))) as { title?: string; detail?: string };
  throw new ApiProblem(
    response.status,
    said.title ?? "The server refused",
    said.detail ?? `It answered ${response.status}.`,
  );
}
