import type { ImportModule } from "@loyal-quill/runtime";
import { tsImport } from "tsx/esm/api";

/** Imports a module beside the page files, also where it is TypeScript, and what it imports. A changed one is read anew. */
export const importTypeScript: ImportModule = (address) =>
  /\.m?ts(\?|$)/.test(address) ? tsImport(address, import.meta.url) : import(address);
