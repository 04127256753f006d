/** One application in a process of its own: `ours` or `by-hand`, told by the parent; says its port when it listens. */
import { createServer } from "node:http";
import process from "node:process";
import { connect, createPages, databaseOver } from "@loyal-quill/runtime";
import cookieSession from "cookie-session";
import express from "express";
import pg from "pg";
import { byHand } from "./by-hand/app.js";
import { technician } from "./people.js";

/** Both sides have as many connections as this. */
const connections = 10;
const key = "a key for benchmarks, thirty-two bytes";

async function ours(url: string, pages: string): Promise<express.Express> {
  const app = express();
  app.disable("x-powered-by");
  app.use(cookieSession({ name: "session", keys: [key], sameSite: "lax" }));
  app.use((request, _response, next) => {
    if (request.session && !request.session.id) {
      request.session.id = crypto.randomUUID();
      request.session.person = technician;
    }
    next();
  });
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
      const write = recorded.steps.find((step) => step.step === "write");
      // A save of the notes, whose new value pgbench can make up anew for each transaction (see limit.ts).
      const ofNotes = write?.statements[0]?.values.some((value) => value?.startsWith("round "));
      if (!told && ofNotes && recorded.outcome === "saved" && write?.statements[0]) {
        told = true;
        process.send?.({
          statement: write.statements[0],
          trips: recorded.steps.flatMap((step) => step.statements).length,
        });
      }
    },
  });
  app.use(made.router);
  return app;
}

let told = false;
const [kind, pages = ""] = process.argv.slice(2);
const url = process.env.DATABASE_URL ?? "";
const app =
  kind === "ours"
    ? await ours(url, pages)
    : byHand(
        new pg.Pool({ connectionString: url, max: connections, idleTimeoutMillis: 300_000 }),
        key,
        technician,
        kind === "by-hand-prepared",
      );
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
