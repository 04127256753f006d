/** What the workbench's API answers. Types only: shared with the workbench. */

import type { Census, CensusSoFar, Drift, MergeConflict } from "@loyal-quill/authoring";
import type { Played, Rehearsal, Replayed } from "@loyal-quill/authoring/rehearsal";
import type {
  Attribute,
  Control,
  DescribedSetting,
  Finding,
  Kind,
  OutcomeKind,
  RecordedRequest,
  SettingPart,
  Stopped,
} from "@loyal-quill/core";
import type { ReplicaReport, VerifyReport } from "@loyal-quill/runtime";

export type { Evidence, Played, Replayed } from "@loyal-quill/authoring/rehearsal";
export type { RequestSums, ToldRequest } from "../store/kept-requests.js";

import type { ToldRequest } from "../store/kept-requests.js";

export interface SessionAnswer {
  readonly name: string;
  readonly application: string;
  /** What conditions know of an actor: `id`, `name`, `roles`, and the attributes of the accounts. */
  readonly actorNames: readonly { readonly name: string; readonly type: string }[];
  /** What is done with a rehearsal before a page is published. */
  readonly onPublish: "off" | "warn" | "refuse";
  /** Goes with every request that changes something. */
  readonly csrfToken: string;
  /** The roles of the application itself that the person has. */
  readonly roles: readonly ("builder" | "steward" | "administrator" | "auditor")[];
  /** Whether people have their accounts here, and sign out here; else in the application that the workbench is mounted in. */
  readonly accountsHere: boolean;
  /** What stands before the addresses of the served pages. */
  readonly mount: string;
  /** The databases whose pages are built here, by name; the first has none. */
  readonly databases: readonly string[];
  /** The time zones of the served pages. */
  readonly timeZones: readonly string[];
}

export interface PageSummary {
  readonly name: string;
  readonly plural: string;
  /** The address as the page file gives it: `/stations/{code}`. */
  readonly path: string;
  readonly listAddress: string | null;
  readonly table: string;
  /** Whether it is served. */
  readonly served: boolean;
  /** Whether it is served as it was before its file had an error. */
  readonly earlier: boolean;
  /** What is not done on it, for what its table or a right has become. */
  readonly stopped: readonly Stopped[];
  /** What is otherwise in its table since it was published, in words. */
  readonly drift: readonly string[];
  readonly errors: number;
  readonly warnings: number;
  readonly firstFinding: Finding | null;
  /** Whether there is a file of it; otherwise it is a draft only. */
  readonly published: boolean;
  readonly draft: { readonly revision: number; readonly by: string; readonly at: string } | null;
  /** Opens and saves of the last days, today last, by how they ended; empty where there were none. */
  readonly days: readonly { readonly day: string; readonly outcomes: Partial<Record<OutcomeKind, number>> }[];
  readonly lastRequest: ToldRequest | null;
  readonly lastChange: {
    readonly at: string;
    readonly by: string;
    readonly key: Readonly<Record<string, string>>;
  } | null;
}

export interface SheetField {
  readonly name: string;
  readonly label: string;
  readonly control: string;
  readonly readOnly: boolean;
  readonly onPage: boolean;
  /** As PostgreSQL prints it: `numeric(5,2)`. */
  readonly type: string;
  /** What its values are, as far as rules and controls are concerned. */
  readonly kind: Kind;
  readonly nullable: boolean;
  readonly default: string | null;
  readonly comment: string | null;
  readonly key: boolean;
  /** The foreign keys that it is part of. */
  readonly references: readonly { readonly table: string; readonly columns: readonly string[] }[];
  /** The columns of the table that it refers to, any of which can stand for a record. */
  readonly shows: readonly string[];
  /** The table's other constraints on it, as PostgreSQL prints them. */
  readonly constraints: readonly string[];
  /** What is demanded of a submitted value, in words, under which condition, and where it comes from. */
  readonly rules: readonly {
    readonly from: readonly ("page" | "table")[];
    readonly text: string;
    readonly when: string | null;
  }[];
  readonly tidy: readonly string[];
  /** The controls that can show the column. */
  readonly controls: readonly Control[];
  readonly written: "freely" | "always";
}

/** A rule that a page file can name, and how it is set. */
export interface RuleChoice {
  readonly name: string;
  readonly label: string;
  /** What it demands until something else is said. */
  readonly first: unknown;
  readonly parts: readonly SettingPart[];
  /** The kinds of column that it is offered for. */
  readonly fits: readonly Kind[] | "any";
}

/** What a page file can say. */
export interface PageFileAnswer {
  /** JSON Schema, draft 2020-12. */
  readonly schema: Readonly<Record<string, unknown>>;
  readonly rules: readonly RuleChoice[];
  /** What a page file can say of the page, and of a field. */
  readonly settings: Readonly<Record<"page" | "field", readonly DescribedSetting[]>>;
  /** The languages of pages (BCP 47); the first is that of a page that names none. */
  readonly languages: readonly { readonly id: string; readonly name: string }[];
}

export interface SheetAnswer {
  readonly name: string;
  readonly plural: string;
  readonly path: string;
  readonly listAddress: string | null;
  readonly table: string;
  readonly tableComment: string | null;
  readonly version: string | null;
  readonly text: string;
  readonly findings: readonly Finding[];
  readonly fields: readonly SheetField[];
  readonly keyColumns: readonly string[];
  /** Every safe key of the table. */
  readonly keys: readonly (readonly string[])[];
  readonly access: readonly {
    readonly name: "open" | "rows" | "edit" | "new" | "delete" | "routine";
    readonly source: string;
  }[];
  readonly checks: readonly { readonly source: string; readonly at: string | null; readonly message: string }[];
}

/** A page tried on a record, as somebody: recorded like a request, but not kept among them. */
export interface TrialAnswer {
  readonly recorded: RecordedRequest;
  /** The document as served; null where the answer leads elsewhere. */
  readonly html: string | null;
  readonly leadsTo: string | null;
  readonly address: string;
  /** The stored row, by column, where the record was found. */
  readonly row: Readonly<Record<string, string | null>> | null;
}

/** A part of a page's list, as it would be seen. */
export interface ListTrialAnswer {
  readonly recorded: RecordedRequest;
  /** The document as served. */
  readonly html: string;
  readonly address: string;
}

/** What a page's text comes to, and what it does with a record. */
export interface DraftTrialAnswer {
  readonly sheet: SheetAnswer;
  /** Null without a key, and where the page has errors. */
  readonly trial: TrialAnswer | null;
}

/** What a condition comes to. */
export interface ConditionAnswer {
  /** Why it is not understood, `offset` characters into it. */
  readonly problem: { readonly message: string; readonly offset: number } | null;
  /** Whether it holds for the record, or is unknown, as SQL has it (ISO 9075-2, 4.5); null where that can't be told. */
  readonly here: boolean | "unknown" | null;
  /** The same as SQL over the stored row `t`, with the values of its parameters; null where it never is SQL. */
  readonly sql: { readonly text: string; readonly values: readonly (string | null)[] } | null;
  /** For how many stored rows it holds, fails and is unknown; null where they were not counted. */
  readonly counted: { readonly holds: number; readonly fails: number; readonly unknown: number } | null;
}

/** The text that is worked on. */
export interface DraftAnswer {
  readonly name: string;
  readonly text: string;
  /** The text on disk; null where there is no file yet. */
  readonly published: string | null;
  /** Counts the changes; 0 where there is no draft. */
  readonly revision: number;
  readonly by: string | null;
  readonly at: string | null;
  /** What differs from the published text, in words. */
  readonly differs: readonly string[];
  /** What is otherwise in the table than it was when the page was last published. */
  readonly drift: readonly Drift[];
  /** What changed in the file since the draft was begun, in words; null where nothing did. */
  readonly fileChanged: readonly string[] | null;
  /** Where somebody else changed the same: theirs was kept. */
  readonly conflicts?: readonly MergeConflict[];
}

export interface VersionAnswer {
  readonly number: string;
  readonly at: string;
  /** Null where the file was changed by other means. */
  readonly by: string | null;
  /** Null where the file was taken away. */
  readonly text: string | null;
  /** What differs from the version before, in words. */
  readonly differs: readonly string[];
}

export interface RecordChoice {
  readonly key: readonly string[];
  readonly text: string;
  /** Why it is worth a look: the longest text, the oldest. */
  readonly extreme?: string;
}

export interface AccountSummary {
  readonly id: string;
  readonly name: string;
  readonly roles: readonly string[];
  readonly active: boolean;
}

export interface ChangeAnswer {
  readonly id: string;
  readonly at: string;
  readonly actorId: string;
  readonly actorName: string;
  /** Empty where it came by another way than a page. */
  readonly page: string;
  readonly table: string;
  readonly key: Readonly<Record<string, string>>;
  /** The key afterwards, where it was changed. */
  readonly newKey: Readonly<Record<string, string>> | null;
  readonly operation: string;
  readonly fields: readonly {
    readonly field: string;
    readonly old: string | null;
    readonly new: string | null;
    /** Whether its values are told to nobody. */
    readonly hidden?: true;
    /** There where values were erased. */
    readonly erased?: object;
  }[];
  readonly requestId: string | null;
  readonly reason: string | null;
  /** `page`, `behind` (by other ways), `import`. */
  readonly way: string;
  /** Of what came by another way: role, application, address. */
  readonly origin: Readonly<Record<string, string>> | null;
  /** The entries that it put back. */
  readonly undoes: readonly string[];
  /** Whether there is a page that puts it back, and whoever asks may open it. */
  readonly canPutBack: boolean;
}

export interface ChangesAnswer {
  readonly changes: readonly ChangeAnswer[];
  /** Where to go on: entries before this number; null where there are none. */
  readonly before: string | null;
  /** False where the search was interrupted, since it takes long: it goes on from `before`. */
  readonly searchedAll: boolean;
  /** Who changed something lately. */
  readonly people: readonly { readonly id: string; readonly name: string }[];
}

/** Everything that the log has of a record, and the record as it is now. */
export interface RecordChangesAnswer {
  readonly table: string;
  readonly key: Readonly<Record<string, string>>;
  /** The page by which it is edited; null for none. */
  readonly page: string | null;
  /** The newest first. */
  readonly changes: readonly ChangeAnswer[];
  readonly more: boolean;
  /** By column; null where there is none. */
  readonly now: Readonly<Record<string, string | null>> | null;
  readonly columns: readonly {
    readonly name: string;
    readonly label: string;
    readonly isNumber: boolean;
    /** False where its values are told to nobody. */
    readonly isTold: boolean;
    /** Of a reference: what the records are called that its values name, by value. */
    readonly labels: Readonly<Record<string, string>>;
  }[];
}

/** What putting entries back comes to for one record. */
export interface PutBackRecord {
  readonly table: string;
  readonly key: Readonly<Record<string, string>>;
  /** The page by which it is done; null where none is served for its table and key. */
  readonly page: string | null;
  /** Whether that page is open to whoever asks. */
  readonly isOpen: boolean;
  readonly does: "change" | "new" | "delete" | "nothing";
  readonly stands: "as-left" | "gone" | "there" | "changed-since";
  readonly entries: readonly string[];
  /** Fields of which the log does not tell what they were. */
  readonly untold: readonly string[];
  readonly fields: readonly {
    readonly field: string;
    readonly label: string;
    readonly now: string | null;
    readonly left: string | null;
    readonly becomes: string | null;
    readonly isConflict: boolean;
    /** Why its page does not let it be put back; null where it does. */
    readonly barred: "not-on-page" | "read-only" | "file" | null;
  }[];
}

export interface PutBackAnswer {
  readonly records: readonly {
    readonly table: string;
    readonly key: Readonly<Record<string, string>>;
    /** `in-part` where its page could not put all of it back. */
    readonly state: "put-back" | "in-part" | "nothing" | "conflict" | "no-page" | "refused";
    /** Why it was refused, by the page. */
    readonly said: readonly string[];
    /** The entry of the log that it made. */
    readonly entry: string | null;
    /** What was written: what was put back, and what the page, the developer's steps or triggers have added to it. */
    readonly wrote: readonly {
      readonly field: string;
      readonly label: string;
      readonly old: string | null;
      readonly new: string | null;
      /** Whether its values are told to nobody. */
      readonly hidden: boolean;
    }[];
  }[];
}

/** How the log was found when it was last verified, and whether it is being verified now. */
export interface VerificationAnswer {
  readonly run: {
    readonly state: "running" | "done" | "cancelled" | "failed";
    /** From 0 to 1. */
    readonly done: number;
    readonly because: string | null;
  } | null;
  readonly last: { readonly by: string; readonly report: VerifyReport } | null;
  readonly sealed: {
    readonly number: string;
    readonly at: string;
    readonly isSigned: boolean;
    /** Entries that have no seal yet. */
    readonly waiting: number;
  } | null;
}

export interface PersonAnswer {
  readonly id: string;
  readonly email: string;
  readonly name: string;
  readonly roles: readonly string[];
  readonly active: boolean;
  /** What conditions know of them besides id, name and roles. */
  readonly attributes: Readonly<Record<string, Attribute>>;
  /** Whether they have a second factor. */
  readonly factor: boolean;
  /** The issuer with whom they sign in; null for a password here. */
  readonly elsewhere: string | null;
}

/** A token by which a program acts as an account. */
export interface TokenAnswer {
  readonly id: string;
  readonly name: string;
  /** The pages that it opens; null for all of the account. */
  readonly pages: readonly string[] | null;
  readonly madeAt: string;
  readonly madeBy: string;
  readonly endsAt: string;
  readonly usedAt: string | null;
}

/** A token that was just made; the token itself only this once. */
export interface MadeTokenAnswer {
  readonly made: TokenAnswer;
  readonly token: string;
}

/** An account as it was kept; the password only where a new one was made, and only this once. */
export interface KeptPersonAnswer {
  readonly person: PersonAnswer;
  readonly password?: string;
}

/** What somebody may do with a page. Counts are null where the table is too long to be counted for a list. */
export interface MayAnswer {
  readonly page: string;
  readonly plural: string;
  readonly opens: boolean;
  readonly makes: boolean;
  readonly sees: number | null;
  readonly edits: number | null;
  readonly deletes: number | null;
  readonly rows: number | null;
}

/** What publishing changes for somebody, in words. */
export interface EffectAnswer {
  readonly name: string;
  readonly lines: readonly string[];
}

/** A process that shares the store, as it was lately. */
export interface ProcessReport {
  readonly id: string;
  readonly host: string;
  readonly pid: number;
  readonly version: string;
  /** ISO 8601. */
  readonly since: string;
  readonly isThis: boolean;
}

/** A database, its connection tested just now, and what the connection may do. */
export interface ConnectionAnswer {
  /** Empty for the first one. */
  readonly name: string;
  /** What stands before the addresses of its served pages. */
  readonly mount: string;
  /** Why it can't be reached; null where it can. */
  readonly error: string | null;
  readonly user: string;
  readonly database: string;
  readonly version: string;
  readonly superuser: boolean;
  /** Whether the change log is there and may be added to. */
  readonly log: "usable" | "not open to this connection" | "not there" | "not known";
  /** What somebody should do about the log; null where all is well. */
  readonly logNotice: string | null;
  /** How many page files it has. */
  readonly pages: number;
  /** Standbys of it that are read from. */
  readonly replicas: readonly ReplicaReport[];
  /** The processes over the store, this one first, and how they hear of each other. */
  readonly processes: readonly ProcessReport[];
  readonly hears: "at once" | "by looking";
  /** In how many tables the connection may do what. */
  readonly rights: { readonly read: number; readonly insert: number; readonly update: number; readonly delete: number };
}

/** What a database has, for the workbench. */
export interface DatabaseAnswer {
  readonly tables: readonly TableSummary[];
  /** Relations that no page can be made for. */
  readonly unusable: readonly { readonly table: string; readonly because: string }[];
}

export interface TableSummary {
  readonly table: string;
  readonly comment: string | null;
  readonly columns: number;
  /** As PostgreSQL believes; null where it never counted. */
  readonly rows: number | null;
  readonly bytes: number | null;
  readonly keys: readonly (readonly string[])[];
  /** The pages over it, drafts included. */
  readonly pages: readonly string[];
  /** Whether a page of it is served: where none is, its first one is a steward's. */
  readonly isServed: boolean;
  /** Why there can be no page; null where there can. */
  readonly because: string | null;
}

export interface TableAnswer extends TableSummary {
  readonly fields: readonly SheetField[];
  readonly unsafeKeys: readonly { readonly constraint: string; readonly because: string }[];
  readonly constraints: readonly { readonly constraint: string; readonly definition: string }[];
  readonly references: readonly { readonly columns: readonly string[]; readonly to: string }[];
  readonly dependents: readonly {
    readonly table: string;
    readonly columns: readonly string[];
    readonly onDelete: string;
  }[];
  readonly granted: { readonly insert: boolean; readonly update: boolean; readonly delete: boolean };
  /** A few rows; null where they can't be read. Columns that look like secrets are left out. */
  readonly sample: readonly Readonly<Record<string, string | null>>[] | null;
}

/** A census that was asked for. */
export interface CensusAnswer {
  readonly state: "running" | "done" | "cancelled" | "failed";
  /** From 0 to 1. */
  readonly done: number;
  readonly begun: string;
  /** The text that it counts for. */
  readonly text: string;
  readonly census: Census | null;
  /** Of one that goes on: the rows that were read, and of each rule and check how many of them it would refuse. */
  readonly soFar: CensusSoFar | null;
  readonly because: string | null;
}

/** Recorded requests in a list, the newest first. */
export interface RequestsAnswer {
  readonly requests: readonly ToldRequest[];
  readonly more: boolean;
}

/** A case of a rehearsal, its evidence left out. */
export type PlayedAnswer = Omit<Played, "evidence"> & { readonly requests: number };

/** A rehearsal that was asked for. */
export interface RehearsalAnswer {
  readonly state: "running" | "done" | "cancelled" | "failed";
  /** From 0 to 1. */
  readonly done: number;
  readonly begun: string;
  /** The text that was rehearsed, and what it was then: the published one, or a draft of some revision. */
  readonly text: string;
  readonly of: { readonly is: "published" } | { readonly is: "draft"; readonly revision: number | null };
  readonly quick: boolean;
  /** Of one that goes on: the cases that came, of how many. */
  readonly soFar: { readonly all: number; readonly played: readonly PlayedAnswer[] };
  readonly rehearsal:
    | (Omit<Rehearsal, "cases" | "changed"> & {
        readonly cases: readonly PlayedAnswer[];
        readonly changed: readonly PlayedAnswer[];
      })
    | null;
  readonly because: string | null;
}

/** Requests that are played again. */
export interface ReplayAnswer {
  readonly state: "running" | "done" | "cancelled" | "failed";
  readonly done: number;
  readonly begun: string;
  readonly text: string;
  /** How many were asked for. */
  readonly asked: number;
  /** Without what each came to in full. */
  readonly played: readonly Omit<Replayed, "recorded">[] | null;
  readonly because: string | null;
}

/** One event of the live feed (server-sent events, HTML 9.2). */
export type FeedEvent =
  | { readonly kind: "request"; readonly request: RecordedRequest }
  | { readonly kind: "pages" }
  /** A census went on, or ended. */
  | { readonly kind: "census"; readonly page: string; readonly state: string; readonly done: number }
  /** So did a rehearsal, or requests that are played again. */
  | { readonly kind: "rehearsal"; readonly page: string; readonly state: string; readonly done: number }
  | { readonly kind: "verification"; readonly state: string; readonly done: number }
  | { readonly kind: "replay"; readonly page: string; readonly state: string; readonly done: number }
  /** A draft was changed, published or taken away (revision 0). */
  | { readonly kind: "draft"; readonly page: string; readonly revision: number; readonly by: string };

/** The trail of administration, the newest first. */
export interface TrailAnswer {
  readonly entries: readonly {
    readonly id: string;
    readonly at: string;
    /** Who did it: empty where nobody was signed in. */
    readonly by: string;
    readonly byId: string | null;
    readonly action: string;
    /** The action in words. */
    readonly what: string;
    readonly subject: string;
    readonly subjectId: string | null;
    readonly database: string;
    readonly address: string;
    readonly detail: Readonly<Record<string, string>>;
    /** How often it was done within a quarter of an hour from then, where such are told in one line; and when last. */
    readonly times: number;
    readonly last: string | null;
  }[];
  readonly more: boolean;
}

/** A session of somebody. */
export interface PersonSession {
  readonly since: string;
  readonly used: string;
  readonly address: string;
  readonly agent: string;
}

/** The tables that a form may be for, the likeliest alone where it is clear, each with the key of the record that it seems to show. */
export interface AdoptTablesAnswer {
  readonly tables: readonly { readonly table: string; readonly key: Readonly<Record<string, string>> | null }[];
}

/** What a form that was written elsewhere comes to, and what is wrong with it. */
export type { Adopted as AdoptAnswer, FormFinding } from "@loyal-quill/authoring/adopt";
export type { ExportedPage as CodeAnswer } from "@loyal-quill/authoring/export";
