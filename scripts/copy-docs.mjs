// The documents go into the packages whose users read them: what a README leads to is there without the project. Pictures stay behind, as they weigh more than all else.
import { cpSync, rmSync } from "node:fs";
import path from "node:path";

const root = path.dirname(import.meta.dirname);

/** Packages that bring the documents, in `docs/` beside their README. */
export const documented = ["packages/runtime", "packages/cli"];

/** Puts the documents as they are now into a package; does nothing for one that has none. @param place such as `packages/runtime` */
export function copyDocs(place) {
  if (!documented.includes(place)) return;
  const to = path.join(root, place, "docs");
  rmSync(to, { recursive: true, force: true });
  cpSync(path.join(root, "docs"), to, { recursive: true, filter: (file) => path.basename(file) !== "screenshots" });
}
