import type { Attribute, RecordedRequest, Table } from "@loyal-quill/core";
import { defineEntity, type InferEntity, type PrimaryKeyProp, p } from "@mikro-orm/core";

/**
 * The format in which recorded requests, drafts and versions are stored. What was stored by a newer program, in a format that this one
 * does not know, is left alone.
 */
export const storedFormat = 1;

/** Somebody who can sign in. `attributes` are what conditions know as `actor.…` besides id, name and roles. */
export const AccountEntity = defineEntity({
  name: "Account",
  tableName: "account",
  properties: {
    id: p.uuid().primary(),
    email: p.string().unique(),
    name: p.string(),
    passwordHash: p.string().hidden(),
    roles: p.json<string[]>(),
    attributes: p.json<Record<string, Attribute>>(),
    active: p.boolean(),
  },
});
export type Account = InferEntity<typeof AccountEntity>;

/** A token by which a program acts as an account, for some pages and up to an end. Of the token itself only a digest is kept. */
export const TokenEntity = defineEntity({
  name: "Token",
  tableName: "token",
  properties: {
    id: p.uuid().primary(),
    name: p.string(),
    /** SHA-256 of the token, in hexadecimal digits. */
    digest: p.string().unique(),
    accountId: p.uuid().index(),
    /** The edited database that it is for, by its name; empty for the first one. */
    database: p.string(),
    /** The pages that it opens, by name; null for all that the account may open. */
    pages: p.json<string[]>().nullable(),
    madeAt: p.datetime().columnType("timestamptz(3)"),
    madeBy: p.string(),
    endsAt: p.datetime().columnType("timestamptz(3)"),
    usedAt: p.datetime().columnType("timestamptz(3)").nullable(),
  },
});
export type Token = Omit<InferEntity<typeof TokenEntity>, "pages" | "usedAt" | typeof PrimaryKeyProp> & {
  pages: string[] | null;
  usedAt: Date | null;
};

/** A recorded request, newest kept. What is searched for stands in columns of its own. */
export const RequestEntity = defineEntity({
  name: "Request",
  tableName: "request",
  properties: {
    number: p.bigint("string").primary().autoincrement(),
    id: p.uuid().unique(),
    /** The edited database, by its name; empty for the first one. */
    database: p.string(),
    at: p.datetime().columnType("timestamptz(3)"),
    page: p.string().nullable().index(),
    operation: p.string(),
    outcome: p.string(),
    actorId: p.string().nullable(),
    recorded: p.json<RecordedRequest>(),
    format: p.integer().default(storedFormat),
  },
});

/** A page file that is being worked on and not yet published: one a page. */
export const DraftEntity = defineEntity({
  name: "Draft",
  tableName: "draft",
  properties: {
    database: p.string().primary(),
    page: p.string().primary(),
    text: p.text(),
    /** The published text that it was begun from; null where there was none. */
    base: p.text().nullable(),
    /** Counts the changes, from 1. */
    revision: p.integer(),
    at: p.datetime().columnType("timestamptz(3)"),
    byName: p.string(),
    format: p.integer().default(storedFormat),
  },
});
export type Draft = Omit<InferEntity<typeof DraftEntity>, "base" | "database" | "format" | typeof PrimaryKeyProp> & {
  base: string | null;
};

/** What a page file was, each time that it was published or changed on disk. */
export const VersionEntity = defineEntity({
  name: "Version",
  tableName: "version",
  properties: {
    number: p.bigint("string").primary().autoincrement(),
    database: p.string(),
    page: p.string().index(),
    at: p.datetime().columnType("timestamptz(3)"),
    /** Null where the file was changed by other means. */
    byName: p.string().nullable(),
    /** The file's text; null where the file was taken away. */
    text: p.text().nullable(),
    /** The table as it was then; null where it was not known. */
    model: p.json<Table>().nullable(),
    format: p.integer().default(storedFormat),
  },
});
export type Version = Omit<InferEntity<typeof VersionEntity>, "byName" | "text" | "model" | "database" | "format"> & {
  model: Table | null;
  byName: string | null;
  text: string | null;
};

/** The change log of the edited database, read only. Its table is made by the log's own statements, not from here. */
export const ChangeEntity = defineEntity({
  name: "Change",
  tableName: "change",
  schema: "quill_log",
  properties: {
    id: p.bigint("string").primary(),
    at: p.string().columnType("timestamptz"),
    actorId: p.string(),
    actorName: p.string(),
    page: p.string(),
    tableName: p.string(),
    recordKey: p.json<Record<string, string>>(),
    newKey: p.json<Record<string, string>>().nullable(),
    operation: p.string(),
    fields: p.json<{ field: string; old: string | null; new: string | null }[]>(),
    requestId: p.uuid(),
    reason: p.string().nullable(),
    way: p.string(),
  },
});
export type Change = InferEntity<typeof ChangeEntity>;
