import type * as v from "valibot";
import type { Attributes } from "../controls/control.js";
import type { Path } from "../findings/path-in-file.js";
import type { FieldContext, PageContext } from "./context.js";

/** One of a few values. The empty one is what holds where nothing is said. */
interface Option {
  readonly id: string;
  readonly text: string;
}

/**
 * How a setting is edited beside the page: the kind of its control. It is data, so that the workbench can be told of it.
 */
export type Editor =
  /** A text of one line. */
  | { readonly kind: "line"; readonly placeholder?: string; readonly instead?: "label" | "comment" | "name" }
  /** One of a few: those named here, or those that the page, its table or the server has. */
  | { readonly kind: "choice"; readonly options: readonly Option[] | "languages" | "order" | "controls" | "shown" }
  /** Yes, which is a value in the file, or nothing. */
  | { readonly kind: "check"; readonly text: string; readonly value: boolean | string }
  /** Columns one by one: of the table, or only those with a field on the page. */
  | { readonly kind: "columns"; readonly add: string; readonly of: "table" | "page" }
  /** A condition in CEL. `orPlain`: `true` and `false` are YAML's own. */
  | {
      readonly kind: "condition";
      readonly place: "open" | "row" | "form" | "choices";
      readonly example: string;
      readonly orPlain?: true;
    }
  /** An editor of its own in the workbench. */
  | { readonly kind: "own" };

/** What is told of a setting: in the documentation, in the JSON Schema, and beside the page in the workbench. */
export interface Described {
  /** What it is called where it is edited: `List title`. */
  readonly label: string;
  /** What undo and a list of differences call it, where its label in small letters would not do. */
  readonly words?: string;
  /** What it says, in a sentence; names of the file stand in backticks. */
  readonly about: string;
  /** What else the documentation says. */
  readonly details?: string;
  /** What holds without it; null where a page file needs it. */
  readonly without: string | null;
  /** Null where it is set in the file only. */
  readonly editor: Editor | null;
  /** The step of the round trip at which it is edited; null for a field's. */
  readonly step?: "route" | "key" | "access" | "load" | "prefill" | "check" | "write" | "answer";
  /** For which columns it makes sense; for all where nothing is said. */
  readonly fits?: "text" | "reference";
  /** The setting beside it that has to be there first. */
  readonly with?: string;
  /** Whether it is needed now and then only: folded away where it is edited. */
  readonly rare?: true;
  /** The names inside of it whose values are columns; "" for its own values. */
  readonly columns?: readonly string[];
}

/**
 * Everything that is known of one setting of page files: one file each, as for rules. Who needs to know something of settings asks here.
 *
 * `Given` is what the file has, `Bound` what binding makes of it, `Into` the name that this has on the page or the field.
 */
export interface Setting<Given, Bound, Into extends string, Context = PageContext> extends Described {
  readonly into: Into;
  /** Made anew when rules or controls were added. */
  schema(): v.GenericSchema<Given>;
  /** @param path its place in the file, for what is found wrong with it */
  bind(given: Given | undefined, context: Context, path: Path): Bound;
}

/** A setting that no page file can do without. */
export interface NeededSetting<Given, Bound, Into extends string> extends Described {
  readonly needed: true;
  readonly into: Into;
  schema(): v.GenericSchema<Given>;
  bind(given: Given, context: PageContext, path: Path): Bound;
}

/** A setting of one field. */
export interface FieldSetting<Given, Bound, Into extends string> extends Setting<Given, Bound, Into, FieldContext> {
  /** Attributes of the field's control. */
  attributes?(bound: Bound): Attributes;
}

/** Settings that stand together under one name of the file. */
export interface Group<Settings> {
  readonly needed?: true;
  readonly settings: Settings;
}

/** Any setting, for what treats all of them alike. */
// biome-ignore lint/suspicious/noExplicitAny: what is given and bound is each setting's own
export type AnySetting = Omit<Setting<any, any, string, any>, never> & { readonly needed?: true };

export type Settings = Readonly<Record<string, AnySetting | Group<Readonly<Record<string, AnySetting>>>>>;

type GivenOf<Entry> = Entry extends { readonly settings: infer Inner }
  ? FileOf<Inner>
  : Entry extends { schema(): v.GenericSchema<infer Given> }
    ? Given
    : never;

type NeededIn<All> = { [Name in keyof All]: All[Name] extends { readonly needed: true } ? Name : never }[keyof All];

/** What a page file has of some settings. */
export type FileOf<All> = { readonly [Name in NeededIn<All>]: GivenOf<All[Name]> } & {
  readonly [Name in Exclude<keyof All, NeededIn<All>>]?: GivenOf<All[Name]> | undefined;
};

/** What binding makes of some settings: groups are not among it. */
export type BoundOf<All> = {
  readonly [Name in keyof All as All[Name] extends { readonly into: infer Into extends string }
    ? Into
    : never]: All[Name] extends { bind(...given: never[]): infer Bound } ? Bound : never;
};
