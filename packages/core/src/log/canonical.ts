/**
 * What the hashes of the log are taken over, told once more outside of the database that makes them (`functions.ts`, `seals.ts`): whoever
 * verifies a log must not ask the log. docs/log.md tells the same in words.
 */

/** SHA-256 over parts, one after the other; texts in UTF-8. Handed in, since the core has no cryptography of its own. */
export type Sha256 = (...parts: readonly (string | Uint8Array)[]) => Uint8Array;

/** One field of an entry. `erased` has the commitments of values that were erased; such a value is null. */
export interface EntryField {
  readonly field: string;
  readonly old: string | null;
  readonly new: string | null;
  readonly hidden?: true;
  /** In hexadecimal digits. */
  readonly erased?: { readonly old?: string; readonly new?: string };
}

/** An entry as it is verified. Hashes and salts are bytes; numbers that may not fit a `number` are texts. */
export interface Entry {
  readonly id: string;
  /** ISO 8601 in UTC, with six digits of a second. */
  readonly at: string;
  readonly transaction: string;
  readonly actorId: string;
  readonly actorName: string;
  readonly page: string;
  readonly pageVersion: string;
  readonly table: string;
  /** `record_key` and `new_key` as `jsonb` prints them, and so `origin`. */
  readonly key: string;
  readonly newKey: string | null;
  readonly operation: string;
  readonly fields: readonly EntryField[];
  readonly request: string | null;
  readonly reason: string | null;
  readonly way: string;
  readonly origin: string | null;
  readonly undoes: readonly string[] | null;
  readonly salt: Uint8Array;
  readonly previousId: string | null;
  readonly previous: Uint8Array | null;
  readonly hash: Uint8Array;
  /** The commitment of a reason that was erased, in hexadecimal digits. */
  readonly erasedReason: string | null;
}

/** An array as PostgreSQL's `json_build_array` prints it: a comma and a space between values. Strings are escaped as in RFC 8785, 3.2.2.2. */
export const arrayText = (values: readonly (string | null)[]): string =>
  `[${values.map((value) => JSON.stringify(value)).join(", ")}]`;

/** The same of texts in `jsonb`. */
const namesText = (fields: readonly EntryField[]): string => arrayText(fields.map(({ field }) => field));

const bytesOf = (text: string): Uint8Array => {
  const bytes = new Uint8Array(text.length / 2);
  for (let index = 0; index < bytes.length; index++)
    bytes[index] = Number.parseInt(text.slice(2 * index, 2 * index + 2), 16);
  return bytes;
};

const [none, some, hidden] = [Uint8Array.of(0), Uint8Array.of(1), Uint8Array.of(2, 2)];

/** Makes the parts that stand for a value: `place` is that of its salt. */
const committing =
  (sha256: Sha256, salt: Uint8Array) =>
  (place: number, value: string | null, erased: string | undefined): readonly Uint8Array[] => {
    if (erased !== undefined) return [some, bytesOf(erased)];
    return value === null ? [none] : [some, sha256(salt.subarray(16 * place, 16 * place + 16), value)];
  };

/** The hash over an entry's own content. */
export function contentHash(sha256: Sha256, entry: Entry): Uint8Array {
  const { salt, fields } = entry;
  const committed = committing(sha256, salt);
  const values = fields.flatMap((each, index) =>
    each.hidden
      ? [hidden]
      : [
          ...committed(1 + 2 * index, each.old, each.erased?.old),
          ...committed(2 + 2 * index, each.new, each.erased?.new),
        ],
  );
  const told = arrayText([
    entry.id,
    entry.at,
    entry.transaction,
    entry.actorId,
    entry.actorName,
    entry.page,
    entry.pageVersion,
    entry.table,
    entry.key,
    entry.newKey,
    entry.operation,
    namesText(fields),
    entry.request,
    entry.way,
    entry.origin,
    entry.undoes?.join(",") ?? null,
  ]);
  return sha256(told, ...committed(0, entry.reason, entry.erasedReason ?? undefined), ...values);
}

/** A number in eight bytes, the greatest first. */
function eightBytes(number: string): Uint8Array {
  const bytes = new Uint8Array(8);
  new DataView(bytes.buffer).setBigInt64(0, BigInt(number));
  return bytes;
}

/** The hash of an entry: over its content, and over the entry before it of the same record where there is one. */
export function entryHash(sha256: Sha256, entry: Entry): Uint8Array {
  const content = contentHash(sha256, entry);
  if (entry.previous === null || entry.previousId === null) return content;
  return sha256(content, entry.previous, eightBytes(entry.previousId));
}

/** A seal as it is verified: hashes in hexadecimal digits. */
export interface Seal {
  readonly number: string;
  readonly at: string;
  readonly kind: "entries" | "dropped" | "erased" | "watched" | "unwatched";
  /** `2026-11`; null where it is not about one month. */
  readonly month: string | null;
  /** The numbers of the entries that it is about, as PostgreSQL prints an `int8multirange`. */
  readonly ids: string;
  readonly root: string;
  /** As `jsonb` prints it. */
  readonly detail: string;
  readonly previous: string | null;
  readonly hash: string;
  /** In base64. */
  readonly signature: string | null;
  readonly signedBy: string | null;
}

/** The hash of a seal, over its content and the seal before it. */
export const sealHash = (sha256: Sha256, seal: Seal): Uint8Array =>
  sha256(arrayText([seal.number, seal.at, seal.kind, seal.month, seal.ids, seal.root, seal.detail, seal.previous]));

/** Numbers from the first to before the second. */
export type Range = readonly [from: bigint, before: bigint];

/** The ranges of an `int8multirange` as PostgreSQL prints it. */
export const rangesOf = (ids: string): Range[] =>
  [...ids.matchAll(/\[(-?\d+),(-?\d+)\)/g)].map((found) => [BigInt(found[1] ?? 0), BigInt(found[2] ?? 0)]);

/** The root of a Merkle tree (RFC 6962, 2.1) over leaves that come one after the other. */
export class MerkleTree {
  /** Whole trees from left to right, each smaller than the one before. */
  private readonly parts: { readonly size: number; readonly hash: Uint8Array }[] = [];

  constructor(private readonly sha256: Sha256) {}

  add(leaf: Uint8Array): void {
    let part = { size: 1, hash: this.sha256(none, leaf) };
    for (let last = this.parts.at(-1); last?.size === part.size; last = this.parts.at(-1)) {
      this.parts.pop();
      part = { size: 2 * part.size, hash: this.sha256(some, last.hash, part.hash) };
    }
    this.parts.push(part);
  }

  /** Null where there was no leaf. */
  root(): Uint8Array | null {
    return this.parts.reduceRight<Uint8Array | null>(
      (right, { hash }) => (right === null ? hash : this.sha256(some, hash, right)),
      null,
    );
  }
}

const hexadecimal = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, "0"));

/** Bytes in hexadecimal digits. */
export function hexOf(bytes: Uint8Array): string {
  let text = "";
  for (const byte of bytes) text += hexadecimal[byte] ?? "";
  return text;
}
