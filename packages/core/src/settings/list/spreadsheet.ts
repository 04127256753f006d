import * as v from "valibot";
import type { Setting } from "../setting.js";

/** How records go out for editing in a spreadsheet, and come back. */
export interface Spreadsheet {
  /** So many records at most go out in one file. */
  readonly most: number;
  /** Whether valid rows are saved where others are refused, or all or nothing. */
  readonly save: "valid" | "all";
}

/** The most that a file may hold. */
const mostInFile = 10_000;

export const spreadsheet: Setting<
  boolean | { most?: number | undefined; save?: "valid" | "all" | undefined },
  Spreadsheet | null,
  "spreadsheet"
> = {
  label: "Edit in a spreadsheet",
  about:
    "`true`: the list can be downloaded for editing in a spreadsheet and uploaded again. `{ most: 2000, save: all }`: so many records at most, and all of a file or nothing of it.",
  details: "See [the page file](page-file.md#records-in-a-spreadsheet).",
  without: "no",
  step: "load",
  editor: { kind: "check", text: "Download for editing, and upload", value: true },
  rare: true,
  into: "spreadsheet",
  schema: () =>
    v.union([
      v.boolean(),
      v.strictObject({
        most: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(mostInFile))),
        save: v.optional(v.picklist(["valid", "all"])),
      }),
    ]),
  bind(given, binder, path) {
    if (given === undefined || given === false) return null;
    if (binder.given("save", "routine"))
      binder.error(
        "list-edit",
        "A routine saves for this page, so its records can't be edited in a spreadsheet.",
        path,
      );
    const { most = mostInFile, save = "valid" } = given === true ? {} : given;
    return { most, save };
  },
};
