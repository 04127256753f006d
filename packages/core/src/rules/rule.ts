import type * as v from "valibot";
import type { Condition } from "../condition/expression.js";
import type { Facts } from "../condition/facts.js";
import type { Finding, MoreOfError, MoreOfWarning, Remark, Repair } from "../findings/finding.js";
import type { FindingCode } from "../findings/finding-codes.js";
import type { Path } from "../findings/path-in-file.js";
import type { MessageCode } from "../messages/catalog.js";
import type { Language } from "../messages/messages.js";
import type { Parameters, Row, Statement, Stored } from "../postgres/statement.js";
import type { Column, Kind, Table } from "../table/model.js";

/**
 * A rule of a field: which one, what it demands (see the rule's own file), where it comes from (the page's file, or the table
 * itself), when it applies (null is always) and what it says instead of the default message.
 */
export interface Rule {
  readonly rule: string;
  readonly demand: unknown;
  readonly from: "page" | "table";
  readonly when: Condition | null;
  readonly message: string | null;
}

/** A value as it was submitted, or as it is stored. */
export interface Given {
  readonly column: Column;
  readonly value: Stored;
  /** As typed, in its normal form. */
  readonly text: string;
  /** That of the page, where there is one. */
  readonly language?: Language;
}

/** What is wrong with a value, and what fills the places of the message. */
export type Wrong = readonly [MessageCode, Readonly<Record<string, string | number>>];

/** What reading a rule needs of the page that is being bound. */
export interface RuleContext {
  readonly table: Table;
  error(code: FindingCode, message: string, path: Path, more?: MoreOfError): null;
  warning(code: FindingCode, message: string, path: Path, more?: MoreOfWarning): void;
  condition(source: string | undefined, hasForm: boolean, path: Path): Condition | null;
  /** Counts a condition among those of the page. @returns null where they take too many steps with it */
  affordable(condition: Condition, path: Path): Condition | null;
}

export type Say = (
  severity: Finding["severity"],
  code: FindingCode,
  message: string,
  path: Path,
  more?: Pick<Remark, "repair" | "change" | "stops">,
) => void;

/** What a rule is held against when a page is reviewed: the field's other rules, its own place, and who is told. */
export interface Reviewed {
  readonly column: Column;
  readonly rules: readonly Rule[];
  readonly path: Path;
  readonly say: Say;
}

/** What a look-up asks about: the table and key of the page, the record's key (null for a new one), and the form. */
export interface Asked {
  readonly page: { readonly table: Table; readonly key: readonly Column[] };
  readonly record: readonly string[] | null;
  readonly column: Column;
  readonly form: Row;
  readonly facts: Facts;
}

/** A question to the table: whether the rule is broken where a row is found, or where none is. */
interface LookUp {
  readonly statement: Statement;
  readonly brokenWhere: "found" | "not found";
  readonly code: MessageCode;
}

/** How stored rows that a rule refuses are counted. */
export type Counted =
  /** By PostgreSQL: `refused` is a predicate over the row `t`, asked where there is a value. */
  | { readonly by: "predicate"; readonly refused: (parameters: Parameters) => string }
  | { readonly by: "duplicates"; readonly ignoringCase: boolean }
  /** Every different value is judged as a submitted one would be. */
  | { readonly by: "values" }
  | { readonly by: "nothing"; readonly because: string };

/** What of a table would hold a rule by itself. `check` stands for a CHECK over the column's own name. */
type Enforcement =
  | { readonly by: "check"; readonly name: string; readonly check: string }
  | { readonly by: "not null" }
  | { readonly by: "unique"; readonly ignoringCase: boolean };

/** One value of a rule's setting, and how it is edited. */
export interface SettingPart {
  /** Its name within the setting; null where the setting is this one value. */
  readonly name: string | null;
  readonly label: string;
  /** `bound` is a number or a date, `list` texts between commas. */
  readonly as: "text" | "count" | "bound" | "list" | "options";
  /** For `options`: the first one is what is meant where nothing is said. */
  readonly options?: readonly { readonly value: string; readonly label: string }[];
}

/** How a page file names a rule. */
interface InFile<Setting> {
  readonly schema: v.GenericSchema<Setting>;
  /** Whether its name alone says enough: then the setting is `true`. */
  readonly byName: boolean;
  /** What a rule that was just added demands until something else is said. */
  readonly first: Setting;
  readonly parts: readonly SettingPart[];
  /** The kinds of column that it is offered for. */
  readonly fits: readonly Kind[] | "any";
  /** What it takes and what it demands, for the documentation. */
  readonly takes: string;
  readonly means: string;
}

/**
 * Everything that is known of one rule. Whoever needs to know something of rules asks here: the page file's schema, binding,
 * review, the steps, the HTML, the census, the Sheet and the documentation.
 */
export interface RuleKind<Demand, Setting = unknown> {
  readonly name: string;
  /** What it is called where it is chosen: `Minimum length`. */
  readonly label: string;
  /** Null for a rule that only a table, or another setting of the field, can have. */
  readonly inFile: InFile<Setting> | null;
  /** What is demanded of a setting; null where it can't be, which the context was told. */
  demandOf(setting: Setting, column: Column, context: RuleContext, path: Path): Demand | null;
  /** What the table enforces of the kind without being named. */
  ofTable?(table: Table, column: Column, control: string, empty?: "nothing" | "text"): readonly Demand[];
  /** What it demands, in a few words; null where that goes without saying. */
  words(demand: Demand): string | null;
  /** Whether one of the others demands more, so that this one goes without saying. */
  implied?(demand: Demand, others: readonly Demand[], column: Column): boolean;
  /** Whether a missing value can break it. */
  readonly judgesMissing?: true;
  /** What is wrong with a value, as far as that can be said without the table. */
  broken?(demand: Demand, given: Given): Wrong | null;
  /** A text as it is to be stored: asked of what was typed, before it is judged. */
  tidied?(demand: Demand, text: string): string;
  /** Attributes of the field's control. */
  attributes?(demand: Demand): Readonly<Record<string, string>>;
  /** What it demands in the words of JSON Schema (2020-12), as far as that has any. */
  schema?(demand: Demand): Readonly<Record<string, string | number | readonly string[]>>;
  /** Holds it against the table and the field's other rules. */
  review?(demand: Demand, reviewed: Reviewed): void;
  /** What has to be asked of the table; null where there is nothing to ask. */
  lookUp?(demand: Demand, asked: Asked): LookUp | null;
  /** How the stored rows that it refuses are counted: by their values where it does not say. */
  counted?(demand: Demand, column: Column): Counted;
  /** What would make the table hold it; null where no constraint can say it. */
  enforcement?(demand: Demand, column: Column): Enforcement | null;
}

/** The demands of one kind among a field's rules, with where they come from. */
export const demandsOf = <Demand>(
  rules: readonly Rule[],
  kind: { readonly name: string; words?(demand: Demand): string | null },
): readonly { readonly from: Rule["from"]; readonly when: Condition | null; readonly demand: Demand }[] =>
  rules.flatMap(({ rule, from, when, demand }) =>
    rule === kind.name ? [{ from, when, demand: demand as Demand }] : [],
  );

/** Takes the rule at `["fields", index, name, "rules", place]` off. */
export const takeOffRule = (path: Path): Repair => ({
  what: "remove this rule",
  edits: [{ do: "set", path: ["fields", ...path.slice(2)], value: undefined }],
});

export const numbers: readonly Kind[] = ["integer", "decimal", "float"];
export const ordered: readonly Kind[] = [...numbers, "date", "time", "timestamp", "timestamptz"];
