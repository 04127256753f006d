// An application with its own sign-in, layout and look, and edit pages inside of it. See examples/README.md.
import { randomBytes, timingSafeEqual } from "node:crypto";
import type { AddressInfo } from "node:net";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { createPages, signatureOf } from "@loyal-quill/runtime";
import ejs from "ejs";
import express, { type Request } from "express";
import session from "express-session";
import helmet from "helmet";
import pg from "pg";

declare module "express-session" {
  interface SessionData {
    person: string;
  }
}

/** Whom this application knows. A real one has passwords. */
const people = {
  tamsin: { id: "tamsin", name: "Tamsin Okoro", roles: ["technician"], attributes: {} },
  dara: { id: "dara", name: "Dara Lindqvist", roles: ["duty-officer"], attributes: {} },
} as const;

const personOf = (request: Request) => people[request.session.person as keyof typeof people] ?? null;
const here = (name: string): string => fileURLToPath(new URL(name, import.meta.url));
const secret = process.env.MAP_SECRET ?? "a secret of the example, for this machine only";

const pool = new pg.Pool({ connectionString: process.env.DATABASE_URL, max: 5 });

const pages = await createPages({
  database: pool,
  pages: here("pages"),
  signingKey: process.env.QUILL_SIGNING_KEY,
  actor: personOf,
  session: (request) => request.sessionID,
  signIn: "/sign-in",
  layout: "layout.ejs",
  forms: { station: "station-form.ejs" },
  look: "bare",
});

const app = express();
app.set("views", here("views"));
app.engine("ejs", ejs.renderFile);
app.use((_request, response, next) => {
  response.locals.nonce = randomBytes(16).toString("base64");
  next();
});
app.use((request, response, next) =>
  helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'none'"],
        styleSrc: ["'self'"],
        scriptSrc: [`'nonce-${response.locals.nonce}'`],
        imgSrc: ["data:"],
        baseUri: ["'none'"],
      },
    },
  })(request, response, next),
);
app.use("/static", express.static(here("public")));

/** What was told to the map: a receiver of the webhook, here in the same application. */
const told: string[] = [];
app.post("/hooks/map", express.raw({ type: "*/*" }), (request, response) => {
  const [id = "", seconds = ""] = [request.get("webhook-id"), request.get("webhook-timestamp")];
  const expected = Buffer.from(signatureOf(secret, id, Number(seconds), String(request.body)));
  const given = Buffer.from(request.get("webhook-signature") ?? "");
  const isLate = Math.abs(Date.now() / 1000 - Number(seconds)) > 300;
  if (isLate || given.length !== expected.length || !timingSafeEqual(given, expected))
    return void response.sendStatus(401);
  const { subject, type } = JSON.parse(String(request.body)) as { subject: string; type: string };
  told.push(`${subject} ${type.split(".").at(-1)}`);
  response.sendStatus(204);
});

app.use(
  session({
    secret: randomBytes(32).toString("hex"),
    resave: false,
    saveUninitialized: false,
    cookie: { sameSite: "lax" },
  }),
);
app.use((request, response, next) => {
  response.locals.person = personOf(request);
  next();
});
app.get("/sign-in", (request, response) =>
  response.render("sign-in.ejs", { people: Object.values(people), next: request.query.next ?? "/" }),
);
app.post("/sign-in", express.urlencoded({ extended: false }), (request, response, next) => {
  const { person, next: to } = request.body as { person?: string; next?: string };
  request.session.regenerate((error) => {
    if (error) return next(error);
    request.session.person = String(person);
    // An address of this application only.
    response.redirect(303, /^\/(?![/\\])/.test(to ?? "") ? String(to) : "/");
  });
});
app.post("/sign-out", (request, response) => request.session.destroy(() => response.redirect(303, "/sign-in")));

app.use("/records", pages.router);
app.get("/", async (request, response) => {
  const person = personOf(request);
  if (!person) return response.redirect(303, "/sign-in");
  const { rows } = await pool.query("SELECT station, what, asked_by FROM yard.errand ORDER BY id");
  // The pages that are open to somebody, for a navigation outside of them.
  response.render("home.ejs", { errands: rows, told, pages: pages.openTo(person, "/records") });
});

const server = app.listen(Number(process.env.PORT ?? 3000), "127.0.0.1", () =>
  process.stdout.write(`Ready at http://127.0.0.1:${(server.address() as AddressInfo).port}/\n`),
);
process.once("SIGTERM", () => {
  server.close(async () => {
    await pages.close();
    await pool.end();
  });
  // A browser may hold a connection open on which it has asked nothing.
  setTimeout(() => server.closeAllConnections(), 2000).unref();
});
