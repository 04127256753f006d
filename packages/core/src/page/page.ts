import type { Stopped } from "../findings/finding.js";
import type { fieldSettings } from "../settings/field/index.js";
import type { access, answer, list, pageSettings, record, save, texts } from "../settings/index.js";
import type { BoundOf } from "../settings/setting.js";
import type { DependentPath } from "../table/dependent-paths.js";
import type { Column } from "../table/model.js";

export type { RoutineCall } from "../settings/bound/routine.js";
export type { Check } from "../settings/checks.js";
export type { ListColumn } from "../settings/list/columns.js";
export type { RelatedPage } from "../settings/related.js";
export type { SetColumn } from "../settings/set.js";

/** A field of a page: what its settings come to on its column (settings/field/). */
export interface Field extends BoundOf<typeof fieldSettings> {
  readonly column: Column;
  /** Its place among the fields of the page, from 0. */
  readonly place: number;
  /** The name of its control in a form. */
  readonly formName: string;
  /** Whether the form of a new record takes it: a key that may not be changed later has to be given once. */
  readonly onNew: boolean;
}

/** One page: a page file bound to the table that it names, setting by setting (settings/). */
export interface Page extends BoundOf<typeof pageSettings>, BoundOf<typeof record>, BoundOf<typeof save> {
  readonly fields: readonly Field[];
  /** The file's name without its ending: `station`. */
  readonly name: string;
  /** Changes with every change of the file or of the table's columns. */
  readonly version: string;
  readonly access: BoundOf<typeof access>;
  readonly list: BoundOf<typeof list>;
  readonly answer: BoundOf<typeof answer>;
  /** What it says in its own words. */
  readonly texts: BoundOf<typeof texts>;
  /** What is kept from being done by what the table or a right on it has become. */
  readonly stopped: readonly Stopped[];
  /** What hangs on a record, for pages that delete: the ways through foreign keys that lead to it. */
  readonly dependents: readonly DependentPath[];
}
