import type { Actor, Attribute, RecordedRequest, Table } from "@loyal-quill/core";
import type { VerifyReport } from "@loyal-quill/runtime";
import type { InferEntity, OptionalProps, PrimaryKeyProp } from "@mikro-orm/core";
import { defineEntity, p } from "./orm.js";
import { storedFormat } from "./stored-format.js";

/** Somebody who can sign in. `attributes` are what conditions know as `actor.…` besides id, name and roles. */
export const AccountEntity = defineEntity({
  name: "Account",
  tableName: "account",
  properties: {
    id: p.uuid().primary(),
    email: p.string().unique(),
    name: p.string(),
    /** Null for somebody who signs in elsewhere only. */
    passwordHash: p.string().hidden().nullable(),
    roles: p.json<string[]>(),
    attributes: p.json<Record<string, Attribute>>(),
    active: p.boolean(),
    /** Counts up when all sessions are ended: one that was begun at an earlier count is none any more. */
    sessionEpoch: p.integer().default(0),
    /** Whether the password was made by somebody else and must be changed before anything else. */
    mustChangePassword: p.boolean().default(false),
    /** The secret of the second factor, encrypted; null for none. */
    totpSecret: p.string().hidden().nullable(),
    /** The last step of time of which a code was taken. */
    totpStep: p.integer().default(0),
    /** Digests of the recovery codes that are left. */
    recovery: p.json<string[]>().hidden().nullable(),
    /** By whom and as whom they sign in elsewhere (OpenID Connect Core, 5.7); null for nobody. */
    issuer: p.string().nullable(),
    subject: p.string().nullable(),
  },
});
type AccountColumns = InferEntity<typeof AccountEntity>;
type Empty = "passwordHash" | "totpSecret" | "recovery" | "issuer" | "subject";
export type Account = Omit<AccountColumns, Empty | typeof PrimaryKeyProp | typeof OptionalProps> & {
  passwordHash: string | null;
  totpSecret: string | null;
  recovery: string[] | null;
  issuer: string | null;
  subject: string | null;
};

/** An account as it is made: what is left out is as it is for somebody new. */
export type NewAccount = Pick<Account, "id" | "email" | "name" | "passwordHash" | "roles" | "attributes" | "active"> &
  Partial<Account>;

/** What the roles of the application itself open. Others are the pages' own. */
export const ownRoles = {
  builder: "pages, drafts and recorded requests",
  steward: "tables that no page serves yet, for a builder",
  administrator: "accounts",
  auditor: "changes and the trail",
} as const;
export type OwnRole = keyof typeof ownRoles;

/** One line of the trail of administration. It is never changed. */
export const TrailEntity = defineEntity({
  name: "Trail",
  tableName: "trail",
  properties: {
    id: p.bigint("string").primary().autoincrement(),
    at: p.datetime().columnType("timestamptz(3)").defaultRaw("now()"),
    /** Who did it; null where nobody was signed in, or a command did it. */
    actorId: p.string().nullable(),
    actorName: p.string(),
    action: p.string(),
    /** What it was done to: an account, a page, a request, a token. */
    subject: p.string(),
    subjectId: p.string().nullable(),
    /** The edited database, by its name; empty for the first one. */
    database: p.string(),
    /** From where. */
    address: p.string(),
    detail: p.json<Record<string, string>>(),
  },
});
export type TrailEntry = Omit<InferEntity<typeof TrailEntity>, "actorId" | "subjectId" | typeof PrimaryKeyProp> & {
  actorId: string | null;
  subjectId: string | null;
  /** Of a line that tells of looks: how many within its quarter of an hour, and the last of them. */
  times: number;
  last: Date | null;
};

/** How often somebody looked at one place within a quarter of an hour, beside the line of the trail that tells of it. */
export const LookEntity = defineEntity({
  name: "Look",
  tableName: "look",
  properties: {
    line: () => p.oneToOne(TrailEntity).primary().joinColumn("line"),
    actorId: p.string(),
    action: p.string(),
    subject: p.string(),
    database: p.string(),
    quarter: p.datetime().columnType("timestamptz"),
    count: p.integer().default(1),
    last: p.datetime().columnType("timestamptz(3)").defaultRaw("now()"),
  },
});

/** An account as the pages know it. */
export const actorOf = (account: Account): Actor => ({
  id: account.id,
  name: account.name,
  roles: account.roles,
  attributes: account.attributes,
});

/** A token by which a program acts as an account, for some pages and up to an end. Of the token itself only a digest is kept. */
export const TokenEntity = defineEntity({
  name: "Token",
  tableName: "token",
  properties: {
    id: p.uuid().primary(),
    name: p.string(),
    /** SHA-256 of the token, in hexadecimal digits. */
    digest: p.string().unique(),
    account: () => p.manyToOne(AccountEntity).joinColumn("account_id").index(),
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
export type Token = Omit<InferEntity<typeof TokenEntity>, "account" | "pages" | "usedAt" | typeof PrimaryKeyProp> & {
  accountId: string;
  pages: string[] | null;
  usedAt: Date | null;
};

/** What was wrong with a request, in short. */
export interface ToldProblem {
  readonly field: string;
  readonly by: string;
}

/** A step of a request, without its values. */
export type GlanceStep = Pick<RecordedRequest["steps"][number], "step" | "ms" | "stopped">;

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
    page: p.string().nullable(),
    operation: p.string(),
    outcome: p.string(),
    actorId: p.string().nullable(),
    actorName: p.string().nullable(),
    method: p.string().default(""),
    path: p.text().default(""),
    status: p.integer().default(0),
    ms: p.float().columnType("real").default(0),
    /** The key's values, with slashes between. */
    record: p.text().nullable(),
    /** The step at which the way ended before its time, and why. */
    stoppedAt: p.string().nullable(),
    reason: p.text().nullable(),
    /** What was wrong, at which field, by which rule. */
    problems: p.json<ToldProblem[]>().defaultRaw("'[]'"),
    /** How many statements were sent. */
    statements: p.integer().default(0),
    trace: p.string().nullable(),
    /** The steps without their values. */
    glance: p.json<GlanceStep[]>().defaultRaw("'[]'"),
    /** The request of format 1, and of format 2 as JSON text; the other one is null. */
    recorded: p.json<RecordedRequest>().nullable(),
    kept: p.text().nullable(),
    /** What came over the wire, as JSON. */
    wire: p.text().nullable(),
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
    /** Null where it was made before ids were kept. */
    byId: p.string().nullable(),
    format: p.integer().default(storedFormat),
  },
});
export type Draft = Omit<
  InferEntity<typeof DraftEntity>,
  "base" | "byId" | "database" | "format" | typeof PrimaryKeyProp
> & {
  base: string | null;
  byId: string | null;
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
    byId: p.string().nullable(),
    /** The file's text; null where the file was taken away. */
    text: p.text().nullable(),
    /** The table as it was then; null where it was not known. */
    model: p.json<Table>().nullable(),
    format: p.integer().default(storedFormat),
  },
});
export type Version = Omit<
  InferEntity<typeof VersionEntity>,
  "byName" | "byId" | "text" | "model" | "database" | "format"
> & {
  model: Table | null;
  byName: string | null;
  byId: string | null;
  text: string | null;
};

/** How the change log was found when it was verified. */
export const VerificationEntity = defineEntity({
  name: "Verification",
  tableName: "verification",
  properties: {
    number: p.bigint("string").primary().autoincrement(),
    /** The edited database, by its name; empty for the first one. */
    database: p.string().index(),
    at: p.datetime().columnType("timestamptz(3)"),
    byName: p.string(),
    report: p.json<VerifyReport>(),
  },
});
