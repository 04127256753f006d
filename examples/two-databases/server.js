// Edit pages of two databases in one application, and the workbench behind the application's own sign-in. Needs DATABASE_URL, ARCHIVE_URL, STORE_URL
// and QUILL_SIGNING_KEY.
import { randomBytes } from "node:crypto";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { createPages } from "@loyal-quill/runtime";
import express from "express";
import session from "express-session";
import { createWorkbench } from "loyal-quill";

const { DATABASE_URL, ARCHIVE_URL, STORE_URL, QUILL_SIGNING_KEY, PORT = "3000" } = process.env;

/** Whom this application knows: a builder makes pages in the workbench. A real one has passwords. */
const people = {
  ines: {
    id: "ines",
    name: "Ines Castell",
    email: "ines@marrow-vale.example",
    roles: ["builder", "steward", "technician"],
    attributes: {},
  },
  tamsin: {
    id: "tamsin",
    name: "Tamsin Okoro",
    email: "tamsin@marrow-vale.example",
    roles: ["technician"],
    attributes: {},
  },
};
const personOf = (request) => people[request.session.person] ?? null;

const shared = {
  signingKey: QUILL_SIGNING_KEY,
  actor: personOf,
  session: (request) => request.sessionID,
  signIn: "/sign-in",
  application: "Two databases",
};
const directory = (name) => process.env[`${name.toUpperCase()}_PAGES`] ?? fileURLToPath(new URL(name, import.meta.url));
const network = await createPages({ ...shared, database: DATABASE_URL, pages: directory("network") });
const archive = await createPages({ ...shared, database: ARCHIVE_URL, pages: directory("archive") });

const workbench = await createWorkbench({
  databases: {
    network: { pages: network, mount: "/records", database: DATABASE_URL },
    archive: { pages: archive, mount: "/archive", database: ARCHIVE_URL },
  },
  store: STORE_URL,
  signingKey: QUILL_SIGNING_KEY,
  person: personOf,
  people: () => Object.values(people),
  signIn: "/sign-in",
  name: "Two databases",
});

const app = express();
app.use(
  session({
    secret: randomBytes(32).toString("hex"),
    resave: false,
    saveUninitialized: false,
    cookie: { sameSite: "lax" },
  }),
);
app.get("/sign-in", (request, response) => {
  const next = encodeURIComponent(String(request.query.next ?? "/"));
  const buttons = Object.values(people).map(
    (each) => `<p><button name="person" value="${each.id}">${each.name}</button></p>`,
  );
  response.send(
    `<!doctype html><html lang="en"><title>Sign in</title><main><h1>Sign in</h1><form method="post" action="/sign-in?next=${next}">${buttons.join("")}</form></main></html>`,
  );
});
app.post("/sign-in", express.urlencoded({ extended: false }), (request, response, next) => {
  const to = String(request.query.next ?? "/");
  request.session.regenerate((error) => {
    if (error) return next(error);
    request.session.person = request.body.person;
    response.redirect(303, /^\/(?![/\\])/.test(to) ? to : "/");
  });
});
app.get("/", (request, response) => {
  const person = personOf(request);
  if (!person) return response.redirect(303, "/sign-in");
  const links = [...network.openTo(person, "/records"), ...archive.openTo(person, "/archive")].map(
    ({ href, title }) => `<li><a href="${href}">${title}</a></li>`,
  );
  response.send(
    `<!doctype html><html lang="en"><title>Two databases</title><main><h1>Two databases</h1><ul>${links.join("")}<li><a href="/workbench">Workbench</a></li></ul></main></html>`,
  );
});
app.use("/workbench", workbench.router);
app.use("/records", network.router);
app.use("/archive", archive.router);

const server = app.listen(Number(PORT), "127.0.0.1", () =>
  process.stdout.write(`Ready at http://127.0.0.1:${server.address().port}/\n`),
);
process.once("SIGTERM", () => {
  workbench.endStreams();
  server.close(async () => {
    await workbench.close();
    await Promise.all([network.close(), archive.close()]);
  });
  // A browser may hold a connection open on which it has asked nothing.
  setTimeout(() => server.closeAllConnections(), 2000).unref();
});
