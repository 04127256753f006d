import type { Path } from "../../findings/path-in-file.js";
import type { BoundField, PageContext } from "../context.js";
import type { Setting } from "../setting.js";
import { names } from "../shapes.js";

/** Why a field can't be edited in the rows of a list: by what the file says, or for now. */
function obstacle({ choices, column, control, readOnly }: BoundField, { given, settingsOf }: PageContext) {
  const bySearch = choices?.from === "table" && choices.by === "search";
  // How many records there are to choose from, and what a connection may do, are no facts of the file.
  const atPresent = !column.granted.update
    ? `this connection may not update it: grant UPDATE`
    : bySearch && settingsOf(column.name)?.choices?.by !== "search"
      ? "there are so many records to choose from that they are found by searching"
      : null;
  const because = given("save", "routine")
    ? "a routine saves for this page, which takes every field"
    : control === "file"
      ? "it is a file"
      : atPresent === null && readOnly
        ? "it is shown only"
        : atPresent === null && bySearch
          ? "its choices are found by searching"
          : choices?.from === "table" && (choices.where?.formColumns.length ?? 0) > 0
            ? "its choices depend on other fields"
            : null;
  return { because, atPresent };
}

function edited(name: string, binder: PageContext, path: Path): readonly string[] {
  const field = binder.fields.find((each) => each.column.name === name);
  if (!field) {
    binder.unknownField(name, path);
    return [];
  }
  const { because, atPresent } = obstacle(field, binder);
  if (because !== null)
    binder.error("list-edit", `"${name}" can't be edited in the rows of the list: ${because}.`, path);
  else if (atPresent !== null)
    binder.warning("list-edit", `"${name}" is shown in the rows of the list and not edited there: ${atPresent}.`, path);
  return because === null && atPresent === null ? [name] : [];
}

/** The fields that are edited in the rows of the list, by column. */
export const edit: Setting<string[], readonly string[], "edit"> = {
  label: "Edit in rows",
  about: "Fields that are edited in the rows of the list; every row has its own Save.",
  without: "none",
  step: "load",
  editor: { kind: "columns", add: "Add a field to edit in rows", of: "page" },
  columns: [""],
  into: "edit",
  schema: () => names,
  bind: (given, binder, path) => (given ?? []).flatMap((name, index) => edited(name, binder, [...path, index])),
};
