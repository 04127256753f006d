import { existsSync } from "node:fs";
import { createRequire } from "node:module";
import path from "node:path";

/** The built workbench; null where it was not built. */
export const workbenchDirectory = (): string | null => {
  const workbench = createRequire(import.meta.url).resolve("@loyal-quill/workbench/package.json");
  const directory = path.join(path.dirname(workbench), "dist");
  return existsSync(path.join(directory, "index.html")) ? directory : null;
};
