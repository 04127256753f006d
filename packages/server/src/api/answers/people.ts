import type { Attribute } from "@loyal-quill/core";

export interface SessionAnswer {
  /** The id of their account. */
  readonly person: string;
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

export interface AccountSummary {
  readonly id: string;
  readonly name: string;
  readonly roles: readonly string[];
  readonly active: boolean;
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
