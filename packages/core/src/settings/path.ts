import * as v from "valibot";
import { type PagePath, parsePath, pathProblem } from "./bound/path.js";
import type { NeededSetting } from "./setting.js";

export const path: NeededSetting<string, PagePath, "path"> = {
  label: "Address",
  about: "Fixed segments, then one `{column}` for each column of the key.",
  without: null,
  step: "route",
  editor: { kind: "line", placeholder: "/stations/{code}" },
  needed: true,
  into: "path",
  schema: () =>
    v.pipe(v.string(), v.startsWith("/", "must begin with a slash, like /stations/{code}"), v.maxLength(500)),
  bind(given, binder, at) {
    const parsed = parsePath(given);
    if (!parsed) {
      binder.error("path", "The address must be fixed segments and then the key's columns, like /stations/{code}.", at);
      return { list: given, listSegments: [], columns: [] };
    }
    const wrong = pathProblem(given);
    if (wrong) binder.error("path", wrong, at);
    const { keyNames } = binder;
    if (parsed.columns.length !== keyNames.length || !keyNames.every((each) => parsed.columns.includes(each)))
      binder.error("path", `The address must carry the key: ${keyNames.map((each) => `{${each}}`).join("/")}.`, at);
    return parsed;
  },
};
