import type { Choices } from "../controls/choice-source.js";
import { type Control, controlsFor, ownControl } from "../controls/index.js";
import { choicesFor } from "../settings/bound/column-choices.js";
import type { FieldContext } from "../settings/context.js";
import type { FieldSettings } from "../settings/field/index.js";
import { isSet } from "../settings/set.js";
import type { Column } from "../table/model.js";
import type { Binder } from "./binder.js";
import type { Path } from "./parse.js";

/** Whether a name in a form is one of its own controls', or of a control in a row of a list. */
const isReserved = (name: string): boolean => /^quill\.|^r\d+:/.test(name);

/** Whether a parser of forms takes a name apart or leaves it out, as those do that applications have before the pages: `tags[0]` is a list to them. */
const isTakenApart = (name: string): boolean => /[[\]]/.test(name) || name === "__proto__";

/** What a field's settings are bound with: what several of them depend on is made once, and complained of once. */
export class FieldBinder implements FieldContext {
  readonly choices: Choices | null;
  readonly control: Control;
  /** What an emptied control stores. */
  readonly empty: FieldContext["empty"];
  /** Whether nothing can be typed for it, whatever the record. */
  readonly isFixed: boolean;

  constructor(
    readonly page: Binder,
    readonly column: Column,
    readonly settings: FieldSettings,
    readonly path: Path,
  ) {
    this.choices = choicesFor(this);
    this.control = this.wantedControl();
    this.empty = this.storedEmpty();
    this.isFixed = settings["read-only"] === true || column.written === "always";
  }

  private wantedControl(): Control {
    const { column, choices, settings, page } = this;
    const wanted = settings.control;
    const possible = controlsFor(column, choices);
    if (wanted && !possible.includes(wanted))
      page.error(
        "control",
        `A ${column.type.shown} can't be shown in a control "${wanted}". Possible: ${possible.join(", ")}.`,
        [...this.path, "control"],
        {
          repair: {
            what: `show ${column.name} as the table says`,
            edits: [{ do: "set", path: ["fields", column.name, "control"], value: undefined }],
          },
        },
      );
    return wanted ?? ownControl(column, choices);
  }

  /** A text that may not be null and has '' for its default takes that, and so does one of which the page says so. */
  private storedEmpty(): FieldContext["empty"] {
    const { column, control, settings } = this;
    const isText = column.type.kind === "text" && !column.stamped && control !== "choice" && control !== "radio";
    if (settings.empty === "text" && !isText)
      this.page.error("wrong-value", "Only a text that is typed can be stored empty.", [...this.path, "empty"]);
    if (settings.empty !== undefined) return isText ? settings.empty : "nothing";
    const isDefault = /^''(?:::[\w ".()[\]]+)?$/.test(column.default ?? "");
    return isText && !column.nullable && isDefault ? "text" : "nothing";
  }

  /** The name of the field's control: its column's, where the page gives no other. */
  formName(): string {
    const { page } = this;
    const { name } = this.column;
    const { names = {} } = page.file;
    const nameOf = (column: string): string => (Object.hasOwn(names, column) ? (names[column] ?? column) : column);
    const given = nameOf(name);
    // What is called like a control of the form's own goes by another name there, and so does what would not come through.
    if (!Object.hasOwn(names, name))
      return isReserved(name) || isTakenApart(name) ? `column.${name.replaceAll(/[[\]]/g, encodeURIComponent)}` : name;
    const path: Path = ["names", name];
    if (isReserved(given)) page.error("form-name", `"${given}" is a name of the form's own: choose another.`, path);
    if (page.fieldNames.some((other) => other !== name && nameOf(other) === given))
      page.error("form-name", `Two fields would have the name "${given}" in the form.`, path);
    return given;
  }

  /** Whether the form of a new record takes it. */
  isOnNew(): boolean {
    return !this.isFixed && this.column.granted.insert && !isSet(this.page, this.column.name, "new");
  }
}
