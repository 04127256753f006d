import { createRequire } from "node:module";
import path from "node:path";
import express from "express";

const require = createRequire(import.meta.url);
const names = ["alegreya-sans", "fira-mono"];

/** The style sheets that name the fonts of the served pages: speech, and all that comes from the table. */
export const fontSheets: readonly string[] = [
  "/fonts/alegreya-sans/400.css",
  "/fonts/alegreya-sans/700.css",
  "/fonts/fira-mono/400.css",
];

/** The fonts out of their packages, below `/fonts`. */
export function fontRoutes(): express.Router {
  const router = express.Router();
  for (const name of names) {
    const directory = path.dirname(require.resolve(`@fontsource/${name}/package.json`));
    router.use(`/${name}`, express.static(directory, { maxAge: "1d", index: false }));
  }
  return router;
}
