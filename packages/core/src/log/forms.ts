import * as v from "valibot";
import { recordOf } from "../values/record-of.js";
import { isAct } from "./acts.js";
import { type Entry, hexOf, type Seal } from "./canonical.js";
import type { FieldChange } from "./field-change.js";

/** How the log is given to others. */
export const exportForms = ["jsonl", "csv", "cloudevents"] as const;
export type ExportForm = (typeof exportForms)[number];

const object = (text: string): unknown => JSON.parse(text) as unknown;

/**
 * An entry as a line of JSON: everything that its hash is over, and the hash. `content` has the texts that are hashed as they are, so that
 * whoever verifies need not know how PostgreSQL prints JSON.
 */
export const entryLine = (entry: Entry): string =>
  JSON.stringify({
    type: "entry",
    id: entry.id,
    at: entry.at,
    transaction: entry.transaction,
    actor: { id: entry.actorId, name: entry.actorName },
    page: entry.page,
    page_version: entry.pageVersion,
    table: entry.table,
    key: object(entry.key),
    new_key: entry.newKey && object(entry.newKey),
    operation: entry.operation,
    fields: entry.fields,
    request: entry.request,
    reason: entry.reason,
    way: entry.way,
    origin: entry.origin && object(entry.origin),
    undoes: entry.undoes,
    printed: { key: entry.key, new_key: entry.newKey, origin: entry.origin },
    ...(entry.erasedReason === null ? {} : { erased_reason: entry.erasedReason }),
    salt: hexOf(entry.salt),
    previous_id: entry.previousId,
    previous: entry.previous && hexOf(entry.previous),
    hash: hexOf(entry.hash),
  });

/** A seal as a line of JSON. */
export const sealLineOf = (seal: Seal): string => JSON.stringify({ type: "seal", ...seal });

/** The columns of the CSV: a line for each field change, and one for an entry without any. */
export const csvColumns = [
  "id",
  "at",
  "actor_id",
  "actor_name",
  "page",
  "table",
  "key",
  "new_key",
  "operation",
  "field",
  "old",
  "new",
  "hidden",
  "reason",
  "way",
  "undoes",
  "request",
] as const;

export function csvRows(entry: Entry): (string | null)[][] {
  const before = [
    entry.id,
    entry.at,
    entry.actorId,
    entry.actorName,
    entry.page,
    entry.table,
    entry.key,
    entry.newKey,
    entry.operation,
  ];
  const after = [entry.reason, entry.way, entry.undoes?.join(" ") ?? null, entry.request];
  const fields = entry.fields.length > 0 ? entry.fields : [null];
  return fields.map((each) => [
    ...before,
    each?.field ?? null,
    each?.old ?? null,
    each?.new ?? null,
    each?.hidden ? "yes" : null,
    ...after,
  ]);
}

/**
 * An entry as an event in the JSON format of CloudEvents 1.0. Its id is the entry's number.
 *
 * @param source a URI reference that stands for the database, like `https://records.example/` (specification, 3.1.1)
 */
export const entryEvent = (entry: Entry, source: string): Readonly<Record<string, unknown>> => ({
  specversion: "1.0",
  id: entry.id,
  source,
  type: `loyal-quill.record.${{ insert: "added", delete: "deleted" }[entry.operation] ?? "changed"}`,
  subject: [
    entry.table,
    ...Object.values(object(entry.key) as Record<string, string>).map((part) => encodeURIComponent(part)),
  ].join("/"),
  time: entry.at,
  datacontenttype: "application/json",
  data: {
    page: entry.page,
    table: entry.table,
    key: object(entry.key),
    changes: entry.fields,
    actor: { id: entry.actorId, name: entry.actorName },
    reason: entry.reason,
    requestId: entry.request,
    way: entry.way,
  },
});

const texts = recordOf(v.string(), v.string());
const value = v.nullable(v.string());

const importedSchema = v.strictObject({
  at: v.pipe(v.string(), v.isoTimestamp("It is a moment in ISO 8601, with its offset: 2026-03-01T09:30:00Z.")),
  actor: v.strictObject({ id: v.pipe(v.string(), v.minLength(1)), name: v.string() }),
  table: v.pipe(v.string(), v.regex(/^[^.]+\.[^.]+$/, "It is a schema and a table: network.station.")),
  key: v.pipe(
    texts,
    v.check((key) => Object.keys(key).length > 0, "It has one column at least."),
  ),
  new_key: v.optional(v.nullable(texts), null),
  operation: v.picklist(["insert", "update", "delete"]),
  fields: v.array(v.strictObject({ field: v.string(), old: value, new: value })),
  reason: v.optional(value, null),
  page: v.optional(v.string(), ""),
});

/** An entry as `quill log export` writes it: what of it is imported, and what is told of where it came from. */
const exportedSchema = v.pipe(
  v.looseObject({
    id: v.string(),
    hash: v.string(),
    way: v.string(),
    request: v.nullable(v.string()),
    fields: v.array(v.looseObject({ field: v.string(), old: value, new: value, hidden: v.optional(v.literal(true)) })),
  }),
  v.transform(({ id, hash, way, request, fields, ...rest }) => ({
    entry: {
      ...Object.fromEntries(Object.entries(rest).filter(([name]) => Object.hasOwn(importedSchema.entries, name))),
      // What was erased is empty here: its commitment belongs to the entry that it was taken from.
      fields: fields.map(({ field, old, new: now }) => ({ field, old, new: now })),
    },
    hidden: fields.flatMap((each) => (each.hidden ? [each.field] : [])),
    from: { entry: id, hash, way, ...(request === null ? {} : { request }) },
  })),
);

/** An entry of another history, as it is imported: a line of JSON. */
export type Imported = v.InferOutput<typeof importedSchema> & {
  readonly fields: readonly FieldChange[];
  /** The entry of another log that it was; left out where it comes from elsewhere. */
  readonly from?: Readonly<Record<string, string>>;
};

const kinds: Readonly<Record<string, string>> = {
  string: "a text",
  array: "a list",
  literal: "true",
  strict_object: "an object",
  loose_object: "an object",
  record: "an object",
};

/** What is wrong at one place of a line, in words; a message of the schema's own is said as it is. */
function saidOf(issue: v.BaseIssue<unknown>): string {
  const { kind, type, expected, received, message } = issue;
  const place = v.getDotPath(issue) ?? "the line";
  const isMember = message.startsWith("Invalid key:");
  if (isMember && expected === "never") return `${place}: An entry has no such member.`;
  if (isMember) return `${place}: It is missing.`;
  if (type === "min_length") return `${place}: It must not be empty.`;
  if (type === "picklist")
    return `${place}: It must be ${String(expected)
      .replace(/^\(|\)$/g, "")
      .replaceAll(" | ", " or ")}.`;
  const wanted = kind === "schema" ? kinds[type] : undefined;
  return wanted === undefined
    ? `${place}: ${message}`
    : `${place}: It must be ${wanted}${received === "null" ? ", and is null" : ""}.`;
}

/**
 * @returns the entry, or what is wrong with the line, a message each; null where the line is none of an entry of a record: a seal, a cursor, or what was
 *   done to the other log itself
 */
export function importedFrom(line: string): Imported | { readonly wrong: readonly string[] } | null {
  let read: unknown;
  try {
    read = JSON.parse(line);
  } catch {
    return { wrong: ["It is no JSON."] };
  }
  if (typeof read !== "object" || read === null || Array.isArray(read))
    return { wrong: ["the line: It must be an object."] };
  const { type, table } = read as { readonly type?: unknown; readonly table?: unknown };
  if (type === "seal" || type === "cursor" || (typeof table === "string" && isAct(table))) return null;
  if (type === "entry") {
    const exported = v.safeParse(exportedSchema, read);
    if (!exported.success) return { wrong: exported.issues.map(saidOf) };
    const { entry, from, hidden } = exported.output;
    const told = importedFrom(JSON.stringify(entry));
    if (told === null || "wrong" in told) return told;
    const fields = told.fields.map(
      (each): FieldChange => (hidden.includes(each.field) ? { ...each, hidden: true } : each),
    );
    return { ...told, fields, from };
  }
  const parsed = v.safeParse(importedSchema, read);
  if (parsed.success) return parsed.output;
  return { wrong: parsed.issues.map(saidOf) };
}
