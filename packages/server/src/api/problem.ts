import type { Response } from "express";

/** An error as problem details (RFC 9457). */
export function problem(response: Response, status: number, title: string, detail: string): void {
  response
    .status(status)
    .type("application/problem+json")
    .send(JSON.stringify({ type: "about:blank", title, status, detail }));
}
