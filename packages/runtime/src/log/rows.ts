import { hash, type KeyObject } from "node:crypto";
import type { Entry, EntryField, Row, Seal, Sha256 } from "@loyal-quill/core";

/** Where parts are put together: a million entries are several million hashes, and each would be two buffers more. */
const scratch = Buffer.allocUnsafe(1 << 16);

export const sha256: Sha256 = (...parts) => {
  // A character takes three bytes in UTF-8 at most, for each of its code units.
  const most = parts.reduce((sum, part) => sum + (typeof part === "string" ? 3 * part.length : part.length), 0);
  const target = most <= scratch.length ? scratch : Buffer.allocUnsafe(most);
  let end = 0;
  for (const part of parts) {
    if (typeof part === "string") end += target.write(part, end);
    else {
      target.set(part, end);
      end += part.length;
    }
  }
  // As a text and then as bytes: `crypto.hash` takes three times as long to make a buffer of its own.
  return Buffer.from(hash("sha256", target.subarray(0, end), "binary"), "binary");
};

export const bytes = (hexadecimal: string | null | undefined): Uint8Array => Buffer.from(hexadecimal ?? "", "hex");

/** An entry as a statement with `wholeEntry` answered it. */
export const entryOf = (row: Row): Entry => ({
  id: row.id ?? "",
  at: row.at ?? "",
  transaction: row.transaction ?? "",
  actorId: row.actor_id ?? "",
  actorName: row.actor_name ?? "",
  page: row.page ?? "",
  pageVersion: row.page_version ?? "",
  table: row.table_name ?? "",
  key: row.record_key ?? "{}",
  newKey: row.new_key ?? null,
  operation: row.operation ?? "",
  fields: JSON.parse(row.fields ?? "[]") as EntryField[],
  request: row.request_id ?? null,
  reason: row.reason ?? null,
  way: row.way ?? "",
  origin: row.origin ?? null,
  undoes: row.undoes ? row.undoes.split(",") : null,
  salt: bytes(row.salt),
  previousId: row.previous_id ?? null,
  previous: row.previous ? bytes(row.previous) : null,
  hash: bytes(row.hash),
  erasedReason: row.erased_reason ?? null,
});

/** A seal as a statement with `sealColumns` answered it. */
export const sealOf = (row: Row): Seal => ({
  number: row.number ?? "",
  at: row.at ?? "",
  kind: (row.kind ?? "entries") as Seal["kind"],
  month: row.month ?? null,
  ids: row.ids ?? "{}",
  root: row.root ?? "",
  detail: row.detail ?? "{}",
  previous: row.previous ?? null,
  hash: row.hash ?? "",
  signature: row.signature?.replaceAll("\n", "") ?? null,
  signedBy: row.signed_by ?? null,
});

/** The name of a key: the SHA-256 of its DER form, cut to sixteen digits. */
export const keyName = (key: KeyObject): string =>
  hash("sha256", key.export({ type: "spki", format: "der" }), "hex").slice(0, 16);
