import * as v from "valibot";
import { columnOf } from "../../table/model.js";
import type { Template } from "../bound/template.js";
import type { Setting } from "../setting.js";
import { line } from "../shapes.js";

/** An address of the application's own to which a save leads instead. */
export const to: Setting<string, Template | null, "to"> = {
  label: "Or to this address",
  words: "address after saving",
  about: "An address of the application's own instead, with values of the record in it: `/map?station={code}`.",
  without: "none",
  step: "answer",
  editor: { kind: "line", placeholder: "/map?station={code}" },
  into: "to",
  schema: () =>
    v.pipe(
      line,
      v.regex(
        /^\/(?![/\\])[^\s]*$/,
        "must be an address on the same host that begins with one slash, like /map?station={code}",
      ),
    ),
  bind(given, binder, path) {
    if (given === undefined) return null;
    const template = binder.template(given, path);
    for (const name of template.columns)
      if (columnOf(binder.table, name)?.sensitive)
        binder.error("sensitive", `${name} is sensitive: in an address it would stand in histories and logs.`, path);
    return template;
  },
};
