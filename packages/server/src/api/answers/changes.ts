import type { VerifyReport } from "@loyal-quill/runtime";

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
  /** The names of the pages that are served: an auditor has no list of them. */
  readonly pages: readonly string[];
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
