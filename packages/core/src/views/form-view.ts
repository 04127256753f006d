import type { Option } from "../controls/control.js";
import type { Control } from "../controls/index.js";
import type { Word } from "../messages/catalog.js";
import type { Field, Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";

import type { Said } from "./said.js";

export type { Option };

/** What a field's control offers to choose from. */
export interface Offer {
  readonly options: readonly Option[];
  /** Whether all are listed, or only what is chosen and what was found. */
  readonly by: "list" | "search";
  /** What was looked for, and whether there was more than is shown. */
  readonly searched: { readonly text: string; readonly found: number; readonly more: boolean } | null;
}

/** The offers of all fields with choices, by column name. */
export type Offers = ReadonlyMap<string, Offer>;

/** A search among one field's choices. */
export interface ChoiceSearch {
  readonly column: string;
  readonly text: string;
}

/** Something wrong with what was sent: at a field, or above the form where `field` is null. */
export interface Problem {
  readonly field: string | null;
  readonly message: string;
  /** What demands otherwise, for the recorded request: a rule's name, `type`, `check`, or a constraint's name. */
  readonly by?: string;
}

/** What the other person stored meanwhile, shown beside what was typed. */
export interface Conflict {
  readonly field: string;
  readonly stored: string;
  readonly by: string | null;
  readonly at: string | null;
}

/** One field as the form shows it. */
export interface FieldView {
  readonly field: Field;
  /** The name of its control. */
  readonly name: string;
  readonly control: Control;
  /** What the control holds: the stored value, or what was typed. `true` or `false` for a check box. */
  readonly text: string;
  readonly options: readonly Option[];
  /** How the options are chosen from: all of them, or what was found; null where there is nothing to choose. */
  readonly offer: Pick<Offer, "by" | "searched"> | null;
  /** Whether the options depend on what else is on the form. */
  readonly depends: boolean;
  /** The names of the controls that they depend on. */
  readonly withNames: readonly string[];
  /** Where a stored file is to be had, and what stands for it; null where there is none. */
  readonly download: string | null;
  readonly stored: string | null;
  /** What is stored, as people read it; null where nothing is. */
  readonly told: string | null;
  /** What is stored, as the control would show it, where something else was typed. */
  readonly replaces: string | null;
  /** Whether it has to be filled in, and may not be emptied. */
  readonly isNeeded: boolean;
  /** Whether something is stored that the control does not show. */
  readonly isHidden: boolean;
  readonly problems: readonly string[];
  readonly conflict: Conflict | null;
  /** Whether it is what the page is about now. */
  readonly hasFocus?: boolean;
}

/** A form, ready to be written as HTML. */
export interface FormView {
  readonly page: Page;
  readonly form: "edit" | "new";
  /** What tells the ids of this form from those of others in one document; empty where it stands alone. */
  readonly ids: string;
  /** Empty for a new record. */
  readonly key: readonly string[];
  readonly title: string;
  /** How the list was looked at that one came from: it goes along in addresses. */
  readonly kept: Readonly<Record<string, string>>;
  /** The view of the application's own that it is a part of; null where it stands on its own page. */
  readonly back: string | null;
  readonly fields: readonly FieldView[];
  /** The stored record, or what a new one begins with. */
  readonly begins: Row;
  readonly token: string;
  readonly problems: readonly Problem[];
  readonly conflicts: readonly Conflict[];
  /** Why the form can't be sent, where the record's state does not allow an edit. */
  readonly locked: string | null;
  /** Whether the record may be deleted by the person who looks at it. */
  readonly removable: boolean;
  /** Why it is saved, where the page asks for it: as typed, and what is wrong with it. */
  readonly reason: { readonly text: string; readonly problem: string | null } | null;
  readonly notice: Said | null;
  /** Whether it can be said that nothing was saved; where a save's answer was lost, it can't. */
  readonly certain: boolean;
  /** What stands over the problems, where it is not their number. */
  readonly heading: Word | null;
}

/** What a form is for: an existing record, or a new one. */
export type FormKind = FormView["form"];
