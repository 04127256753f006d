import type { ImportModule } from "@loyal-quill/runtime";

let loader: Promise<typeof import("tsx/esm/api")> | undefined;

/**
 * Imports a module beside the page files, also where it is TypeScript, and what it imports. A changed one is read anew. What reads
 * TypeScript is loaded where there is any.
 */
export const importTypeScript: ImportModule = async (address) => {
  if (!/\.m?ts(\?|$)/.test(address)) return import(address);
  loader ??= import("tsx/esm/api");
  return (await loader).tsImport(address, import.meta.url);
};
