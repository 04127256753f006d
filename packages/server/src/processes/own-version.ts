import { readFileSync } from "node:fs";

/** The version of this program. */
export const ownVersion: string = (
  JSON.parse(readFileSync(new URL("../../package.json", import.meta.url), "utf8")) as { version: string }
).version;
