import { parentPort, workerData } from "node:worker_threads";
import type { Actor, Database } from "@loyal-quill/core";
import { patience } from "@loyal-quill/testing";
import type express from "express";
import { connect, createPages, databaseOver, type Pages, type PagesOptions } from "../index.js";
import { ownFrame, serve } from "./served.js";
import { dara, hollis, tamsin } from "./trips.js";

/** A server that answers one request and is gone: in a thread of its own, so that it shares nothing that anybody remembers. */

export const actors: Readonly<Record<string, Actor>> = { hollis, tamsin, dara };

/** Pages over a database, for whoever a request's header names. */
export const optionsOver = (database: PagesOptions["database"], pages: string): PagesOptions => ({
  database,
  pages,
  signingKey: "a key for tests, thirty-two bytes long",
  actor: (request) => actors[(request as express.Request).get("x-actor") ?? ""] ?? null,
  signIn: "/sign-in",
  session: () => "one",
  frame: ownFrame,
  onProblem: () => {},
});

/** A request as it is sent to both. */
export interface Asked {
  readonly what: string;
  readonly as: string;
  readonly method: string;
  readonly to: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string;
  /** Put back through the pages' own way, as the workbench does. */
  readonly asIs?: { readonly json: Readonly<Record<string, string | null>>; readonly entry: string };
}

export interface Answer {
  readonly status: number;
  readonly location: string | null;
  readonly text: string;
}

export async function ask({ pages, origin }: { pages: Pages; origin: string }, asked: Asked): Promise<Answer> {
  const { as, method, to, headers = {}, body, asIs } = asked;
  if (asIs) {
    const actor = actors[as] ?? hollis;
    const given = {
      actor,
      method: "PATCH",
      path: to,
      json: asIs.json,
      ifMatch: "*",
      undoes: [asIs.entry],
      asIs: true,
    } as const;
    const { status, json } = await pages.ask(given);
    return { status, location: null, text: JSON.stringify(json) };
  }
  const response = await fetch(`${origin}${to}`, {
    method,
    redirect: "manual",
    headers: { "x-actor": as, ...headers },
    ...(body === undefined ? {} : { body }),
  });
  return { status: response.status, location: response.headers.get("location"), text: await response.text() };
}

const tables = [
  "network.station",
  "network.river",
  "network.region",
  "field.visit",
  "field.calibration",
  "proof.tag",
  "proof.door",
];

/** Everything in the tables and in the log, with what a clock or a sequence gives taken out. */
export async function contents(
  run: (text: string) => Promise<readonly Record<string, string | null>[]>,
): Promise<string[]> {
  const lines: string[] = [];
  for (const table of tables)
    for (const { line } of await run(`SELECT '${table} ' || to_jsonb(t)::text AS line FROM ${table} AS t ORDER BY 1`))
      lines.push(line ?? "");
  for (const { line } of await run(
    "SELECT table_name || ' ' || operation || ' ' || actor_id || ' ' || fields::text AS line FROM quill_log.change ORDER BY id",
  ))
    lines.push(line ?? "");
  return lines
    .map((line) =>
      line
        .replaceAll(/"id": \d{3,}/g, '"id": n')
        .replaceAll(/"(field": "id", "new|new)": "\d{3,}"/g, '"$1": n')
        .replaceAll(/20\d\d-\d\d-\d\d[T ]\d\d:\d\d:\d\d\.\d+\+00(:00)?/g, "moment"),
    )
    .sort();
}

const inside =
  (database: Database) =>
  (text: string): Promise<readonly Record<string, string | null>[]> =>
    database.run({ purpose: "contents", text, values: [] });
class RolledBack extends Error {}

/**
 * A database as it is without a transaction around: each statement up to a savepoint, so that one that is refused ends nothing but itself, and one
 * after the other.
 */
function alone(database: Database): Database {
  let last: Promise<unknown> = Promise.resolve();
  const queued = <Result>(run: () => Promise<Result>): Promise<Result> => {
    const result = last.then(run, run);
    last = result.catch(() => {});
    return result;
  };
  return {
    run: (statement) => queued(() => database.transaction((inner) => inner.run(statement))),
    transaction: (run) => queued(() => database.transaction((inner) => run(alone(inner)))),
  };
}

/** What the server is told before it is asked. */
export interface FreshData {
  readonly url: string;
  readonly directory: string;
}

/** What it answered, and what the tables held then: in a transaction that was rolled back. */
export interface Fresh {
  readonly answer: Answer;
  readonly contents: readonly string[];
}

async function asFresh({ url, directory }: FreshData, asked: Asked): Promise<Fresh> {
  const pool = connect(url, 4, patience);
  let found: Fresh | undefined;
  await databaseOver(pool, { connect: patience })
    .transaction(async (database) => {
      const pages = await createPages(optionsOver(alone(database), directory));
      const served = await serve(pages);
      try {
        const answer = await ask({ pages, origin: served.origin }, asked);
        found = { answer, contents: await contents(inside(database)) };
      } finally {
        await served.stop();
      }
      throw new RolledBack();
    })
    .catch((error: unknown) => {
      if (!(error instanceof RolledBack)) throw error;
    });
  await pool.end();
  if (!found) throw new Error("The fresh server has not answered.");
  return found;
}

parentPort?.once("message", async (asked: Asked) =>
  parentPort?.postMessage(await asFresh(workerData as FreshData, asked)),
);
