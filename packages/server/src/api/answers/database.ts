import type { ReplicaReport } from "@loyal-quill/runtime";
import type { SheetField } from "./sheet.js";

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
