// Edit pages in an Express application. It needs DATABASE_URL and QUILL_SIGNING_KEY; everybody who comes from this machine is Tamsin.
import process from "node:process";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { createPages } from "@loyal-quill/runtime";
import express from "express";

const tamsin = { id: "tamsin", name: "Tamsin Okoro", roles: ["technician"], attributes: { region_id: 3 } };

const pages = await createPages({
  database: process.env.DATABASE_URL,
  pages: fileURLToPath(demoPages),
  signingKey: process.env.QUILL_SIGNING_KEY,
  application: "One page",
  actor: () => tamsin,
});

const app = express();
app.get("/", (_request, response) => response.redirect("/records/stations"));
app.use("/records", pages.router);

const server = app.listen(process.env.PORT ?? 3000, "127.0.0.1", () =>
  process.stdout.write(`Ready at http://127.0.0.1:${server.address().port}/\n`),
);
process.once("SIGTERM", () => {
  server.close(() => pages.close());
  // A browser may hold a connection open on which it has asked nothing.
  setTimeout(() => server.closeAllConnections(), 2000).unref();
});
