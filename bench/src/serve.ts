/** One application in a process of its own, of the kind that the parent tells; says its port when it listens. */
import { createServer } from "node:http";
import process from "node:process";
import type { Database, RecordedRequest } from "@loyal-quill/core";
import { connect, createPages, databaseOver, html, type PagesOptions } from "@loyal-quill/runtime";
import cookieSession from "cookie-session";
import express from "express";
import pg from "pg";
import { bare, type Model } from "./bare.js";
import { byHand } from "./by-hand/app.js";
import type { Told } from "./child.js";
import { technician } from "./people.js";

/** Both sides have as many connections as this. */
const connections = 10;
const key = "a key for benchmarks, thirty-two bytes";

const session: express.RequestHandler[] = [
  cookieSession({ name: "session", keys: [key], sameSite: "lax" }),
  (request, _response, next) => {
    if (request.session && !request.session.id) {
      request.session.id = crypto.randomUUID();
      request.session.person = technician;
    }
    next();
  },
];

/** Keeps every request, as our server does. */
async function keeper(): Promise<(recorded: RecordedRequest) => void> {
  // Only who needs the server has it: an application that mounts the pages has not.
  const { Store } = await import("@loyal-quill/server");
  const store = await Store.open(process.env.STORE_URL ?? "", process.env.LOG_URL ?? "");
  return (recorded) => void store.requests.keep(recorded);
}

/** Saves whose entry is written by a function that acts with its owner's rights, as ours does, but does not chain it. */
const byFunction = (database: Database): Database => ({
  ...database,
  run: (statement) =>
    database.run({
      ...statement,
      text: statement.text.replace('"quill_log"."add_change"(', '"office"."add_unchained"('),
    }),
});

/** Saves whose entry is a plain INSERT into a log without a chain. */
const unchained = (database: Database): Database => ({
  ...database,
  run: (statement) =>
    database.run({
      ...statement,
      text: statement.text
        .replace(
          /SELECT "quill_log"\."add_change"\((.*)\) AS "id", "record_key"\n {2}FROM (.*)$/m,
          (_all, told: string, from: string) =>
            `INSERT INTO office.change_unchained (actor_id, actor_name, page, page_version, table_name, record_key, operation, fields, request_id, reason, new_key, undoes)
           SELECT ${told} FROM ${from}`,
        )
        .replace(/ WHERE "fields" IS NOT NULL\n/, (all) => `${all}  RETURNING "id", "record_key"\n`),
    }),
});

/** What an application has besides: by the name of its kind. */
const besides: Readonly<Record<string, (url: string) => Partial<PagesOptions>>> = {
  "ours-pool": (address) => ({
    database: new pg.Pool({ connectionString: address, max: connections, idleTimeoutMillis: 300_000 }),
  }),
  "ours-layout": () => ({
    layout: ({ title, head, heading, notice, content, pages }) =>
      html`<!doctype html><html lang="en"><head><title>${title}</title>${head}</head><body><nav>${pages.map(({ href, title: name }) => html`<a href="${href}">${name}</a>`)}</nav>${notice}<main>${heading}${content}</main></body></html>`,
  }),
  "ours-check": () => ({ steps: { station: { check: async () => {} } } }),
  "ours-transaction": () => ({
    steps: { station: { inTransaction: async ({ query }) => void (await query("SELECT 1")) } },
  }),
  "ours-unchained": (address) => ({ database: unchained(databaseOver(connect(address, connections))) }),
  "ours-by-function": (address) => ({ database: byFunction(databaseOver(connect(address, connections))) }),
  "ours-outbox": () => ({ steps: { station: { afterSave: () => {}, outbox: true } } }),
};

async function ours(
  url: string,
  pages: string,
  more: Partial<PagesOptions> = {},
  keep?: (recorded: RecordedRequest) => void,
): Promise<express.Express> {
  const app = express();
  app.disable("x-powered-by");
  app.use(session);
  const made = await createPages({
    database: databaseOver(connect(url, connections)),
    pages,
    signingKey: key,
    actor: (request) => {
      const person = request.session?.person as typeof technician | undefined;
      return person
        ? { id: person.id, name: person.name, roles: person.roles, attributes: { region_id: person.regionId } }
        : null;
    },
    session: (request) => String(request.session?.id ?? ""),
    frame: (_request, actor) => ({
      application: "Marrow Vale",
      home: "/",
      language: "en",
      styleSheets: [],
      person: actor && { name: actor.name },
      signOut: null,
    }),
    onRequest: (recorded) => {
      keep?.(recorded);
      const { operation, outcome, steps } = recorded;
      const sent = steps.flatMap((step) => step.statements);
      const [statement] = sent;
      if (!statement) return;
      if (operation === "open") tellOnce({ open: statement });
      // A save of the notes, whose new value pgbench can make up anew for each transaction (see limit.ts).
      const ofNotes = outcome === "saved" && statement.values.some((value) => value?.startsWith("round "));
      if (ofNotes) tellOnce({ save: statement, trips: sent.length });
    },
    ...(process.env.REPLICA_URL ? { replicas: [process.env.REPLICA_URL] } : {}),
    ...more,
  });
  app.use(made.router);
  return app;
}

const said = new Set<string>();
function tellOnce(told: Told): void {
  const name = Object.keys(told).join();
  if (said.has(name)) return;
  said.add(name);
  process.send?.(told);
}

const [kind, pages = ""] = process.argv.slice(2);
const url = process.env.DATABASE_URL ?? "";
async function application(): Promise<express.Express> {
  if (kind === "ours") return ours(url, pages);
  if (kind === "ours-measured") {
    const { Metrics } = await import("@loyal-quill/server");
    const metrics = new Metrics();
    return ours(url, pages, {}, (recorded) => metrics.request(recorded));
  }
  if (kind === "ours-recorded") return ours(url, pages, {}, await keeper());
  const more = besides[kind ?? ""];
  if (more) return ours(url, pages, more(url));
  if (kind === "bare") return bare(url, connections, session, JSON.parse(process.env.MODEL ?? "") as Model);
  const pool = new pg.Pool({ connectionString: url, max: connections, idleTimeoutMillis: 300_000 });
  return byHand(pool, key, technician, kind === "by-hand-prepared");
}
const app = await application();
const server = createServer(app);
server.listen(0, "127.0.0.1", () => {
  const address = server.address();
  process.send?.({
    port: typeof address === "object" && address ? address.port : 0,
    memory: process.memoryUsage().rss,
  });
});
process.on("message", (message) => {
  if (message === "memory") process.send?.({ memory: process.memoryUsage().rss });
});
process.on("disconnect", () => process.exit(0));
