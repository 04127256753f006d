import { markHeading, tokenIn } from "../page/spreadsheet.js";
import { readToken } from "../steps/token.js";
import type { Signer } from "../trip/signer.js";
import { readTable } from "./read-table.js";

/** The name of the page from which a file was downloaded for editing, by the first of its marks that was signed here; undefined where there is none. */
export async function pageOfFile(bytes: Uint8Array, signer: Signer): Promise<string | undefined> {
  const table = await readTable(bytes);
  if (typeof table === "string") return undefined;
  const [heads = [], ...rows] = table.rows;
  const at = heads.findIndex((head) => head.trim() === markHeading);
  for (const row of at < 0 ? [] : rows) {
    const token = tokenIn(row[at] ?? "");
    const claims = token === null ? undefined : readToken(token, signer);
    if (claims) return claims.page;
  }
  return undefined;
}
