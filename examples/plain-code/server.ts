// An application of exported code: nothing of Loyal Quill is imported here. `quill export` has written all that is in pages/; the rest is this file.
import { randomBytes } from "node:crypto";
import type { AddressInfo } from "node:net";
import process from "node:process";
import express, { type Request } from "express";
import { Pool } from "pg";
import { riverRoutes } from "./pages/river/routes.js";
import { takeSaid } from "./pages/shared/answers.js";
import { document, html } from "./pages/shared/html.js";
import { stationRoutes } from "./pages/station/routes.js";
import { visitRoutes } from "./pages/visit/routes.js";

/** Whom this application knows, by a cookie. A real one has a sign-in. */
const people = {
  hollis: { id: "hollis", name: "Hollis Brandt", roles: ["hydrologist"], region_id: "2" },
  tamsin: { id: "tamsin", name: "Tamsin Okoro", roles: ["technician"], region_id: "3" },
} as const;

const personOf = (request: Request) =>
  people[/(?:^|; )person=(\w+)/.exec(request.headers.cookie ?? "")?.[1] as keyof typeof people] ?? null;

const pool = new Pool({
  connectionString: process.env.DATABASE_URL ?? "",
  options: "-c TimeZone=UTC -c DateStyle=ISO",
  max: 5,
});
const options = {
  pool,
  secret: process.env.FORM_SECRET ?? randomBytes(32).toString("hex"),
  actor: personOf,
  signIn: "/sign-in",
};

const app = express();
app.use((_request, response, next) => {
  response.set("content-security-policy", "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'");
  next();
});
app.get("/", (_request, response) => response.redirect("/stations"));

app.get("/sign-in", (request, response) => {
  const next = String(request.query.next ?? "/");
  const form = html`<h1>Sign in</h1>
<form method="post" action="/sign-in?next=${encodeURIComponent(next)}">
<div class="field"><label for="person">Who are you?</label>
<select id="person" name="person">${Object.values(people).map(({ id, name }) => html`<option value="${id}">${name}</option>`)}</select></div>
<p><button>Sign in</button></p></form>`;
  response.send(document("Sign in", form).text);
});
app.post("/sign-in", express.urlencoded({ extended: false }), (request, response) => {
  const next = String(request.query.next ?? "/");
  response.cookie("person", String(request.body.person), { httpOnly: true, sameSite: "lax" });
  // Only ever within this application.
  response.redirect(303, /^\/(?![/\\])/.test(next) ? next : "/");
});

// Lists are this application's own: the exported pages are reached by a record's address.
for (const [path, title, table, key] of [
  ["/stations", "Stations", "network.station", "code"],
  ["/rivers", "Rivers", "network.river", "id"],
  [
    "/visits",
    "Visits",
    "(SELECT id, concat(station_code, ', ', visited_at::date) AS name FROM field.visit) AS visit",
    "id",
  ],
] as const)
  app.get(path, async (request, response) => {
    const { rows } = await pool.query<{ key: string; name: string }>(
      `SELECT ${key}::text AS key, name FROM ${table} ORDER BY name`,
    );
    const said = takeSaid(request, response);
    const list = html`<h1>${title}</h1>${said !== undefined && html`<p class="said" role="status">${said}</p>`}<ul>${rows.map(
      (row) => html`<li><a href="${path}/${encodeURIComponent(row.key)}/edit">${row.name}</a></li>`,
    )}</ul>`;
    response.send(document(title, list).text);
  });

app.use(stationRoutes(options));
app.use(riverRoutes(options));
app.use(visitRoutes(options));

const server = app.listen(Number(process.env.PORT ?? 3000), "127.0.0.1", () =>
  process.stdout.write(`Ready at http://127.0.0.1:${(server.address() as AddressInfo).port}/\n`),
);
process.once("SIGTERM", () => {
  server.close(() => void pool.end());
  setTimeout(() => server.closeAllConnections(), 2000).unref();
});
