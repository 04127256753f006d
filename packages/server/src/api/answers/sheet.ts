import type { Drift, MergeConflict } from "@loyal-quill/authoring";
import type {
  Control,
  DescribedSetting,
  Finding,
  Kind,
  OutcomeKind,
  RecordedRequest,
  SettingPart,
  Stopped,
} from "@loyal-quill/core";
import type { ToldRequest } from "../../store/request-rows.js";

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
  /** Whether a trigger may set it before a row is written. */
  readonly setByTrigger: boolean;
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
  readonly checks: readonly {
    readonly source: string;
    readonly at: string | null;
    readonly from: "page" | "table";
  }[];
  /** The constraints of the table that can refuse a save, as PostgreSQL prints them. */
  readonly constraints: readonly { readonly name: string; readonly definition: string }[];
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

/** What publishing changes for somebody, in words. */
export interface EffectAnswer {
  readonly name: string;
  readonly lines: readonly string[];
}

/** The tables that a form may be for, the likeliest alone where it is clear, each with the key of the record that it seems to show. */
export interface AdoptTablesAnswer {
  readonly tables: readonly { readonly table: string; readonly key: Readonly<Record<string, string>> | null }[];
}
