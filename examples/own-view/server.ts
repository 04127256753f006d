// One view of a station: its own form, a form for each of its sensors, and its visits as a list. See examples/README.md.
import type { AddressInfo } from "node:net";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { createPages, html } from "@loyal-quill/runtime";
import ejs from "ejs";
import express, { type Request } from "express";
import pg from "pg";
import { build } from "vite";

const here = (name: string): string => fileURLToPath(new URL(name, import.meta.url));
const tamsin = { id: "tamsin", name: "Tamsin Okoro", roles: ["technician"], attributes: { region_id: 3 } };
const pool = new pg.Pool({ connectionString: process.env.DATABASE_URL, max: 5 });

const pages = await createPages({
  database: pool,
  pages: fileURLToPath(demoPages),
  signingKey: process.env.QUILL_SIGNING_KEY,
  mount: "/records",
  application: "Own view",
  actor: () => tamsin,
});

/** What the view of a station is made of. */
async function overviewOf(request: Request, code: string) {
  const { rows } = await pool.query<{ channel: number }>(
    "SELECT channel FROM network.sensor WHERE station_code = $1 ORDER BY channel",
    [code],
  );
  const [station, visits, ...sensors] = await Promise.all([
    pages.form(request, "station", { code }),
    pages.list(request, "visit", { "is.station_code": code }),
    ...rows.map(({ channel }) => pages.form(request, "sensor", { station_code: code, channel })),
  ] as const);
  return { head: pages.head(), station, visits, sensors };
}

const app = express();
app.set("views", here("views"));
app.engine("ejs", ejs.renderFile);
app.use("/static", express.static(here("public")));
app.use("/records", pages.router);

app.get("/", (_request, response) => response.redirect("/overview/MV-014"));

// In a template: the parts go in unescaped, what is data is escaped.
app.get("/overview/:code", async (request, response) =>
  response.render("overview.ejs", await overviewOf(request, request.params.code)),
);

// By plain functions, from the data alone: fields, values, choices, problems.
app.get("/plain/:code", async (request, response) => {
  const { code } = request.params;
  const station = await pages.form(request, "station", { code });
  const shown = station.fields.filter(({ isTaken }) => isTaken);
  const form = html`<form method="post" action="${station.action}"><input type="hidden" name="quill.token" value="${station.token ?? ""}">${shown.map(
    ({ control, label, kind, box, value, choices, problems }) =>
      html`<p><label>${label} ${
        kind === "choice"
          ? html`<select name="${control}">${choices.map((each) => html`<option value="${each.value}"${each.value === value ? html` selected` : null}>${each.label}</option>`)}</select>`
          : kind === "check-box"
            ? html`<input type="checkbox" name="${control}" value="true"${value === "true" ? html` checked` : null}><input type="hidden" name="${box}" value="1">`
            : html`<input name="${control}" value="${value}">`
      }</label> ${problems.map((each) => html`<strong>${each}</strong>`)}</p>`,
  )}<button name="quill.save">Save</button></form>`;
  const said = station.notice === null ? null : html`<p role="status">${station.notice}</p>`;
  response.send(
    html`<!doctype html><html lang="en"><title>${station.title}</title><main><h1>${station.title}</h1>${said}${form}</main></html>`
      .text,
  );
});

// The same record in React, by the pages' own JSON.
const bundle = await build({
  logLevel: "silent",
  configFile: false,
  root: here("react"),
  define: { "process.env.NODE_ENV": '"production"' },
  build: { write: false, lib: { entry: here("react/main.tsx"), formats: ["es"], fileName: "main" } },
});
const [output] = [bundle].flat();
const script = output && "output" in output ? (output.output[0]?.code ?? "") : "";
app.get("/react/main.js", (_request, response) => response.type("text/javascript").send(script));
app.get("/react/:code", (request, response) =>
  response.send(
    html`<!doctype html><html lang="en"><title>Station</title><main id="root" data-address="${`/records/stations/${encodeURIComponent(request.params.code)}`}"></main><script type="module" src="/react/main.js"></script></html>`
      .text,
  ),
);

const server = app.listen(Number(process.env.PORT ?? 3000), "127.0.0.1", () =>
  process.stdout.write(`Ready at http://127.0.0.1:${(server.address() as AddressInfo).port}/\n`),
);
process.once("SIGTERM", () => {
  server.close(async () => {
    await pages.close();
    await pool.end();
  });
  setTimeout(() => server.closeAllConnections(), 2000).unref();
});
