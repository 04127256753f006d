import { CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import { EditorState } from "@codemirror/state";
import { describe, expect, test } from "@jest/globals";
import { describedSettings, pageJsonSchema } from "@loyal-quill/core";
import { completeFile, type FileNames } from "./complete-file.js";
import { completeNames } from "./condition-names.js";
import { namesIn, type Schema } from "./names-in-schema.js";

const schema = pageJsonSchema() as Schema;

/** The context at the place of `|` in a text. */
function at(text: string, explicit = false): CompletionContext {
  const pos = text.indexOf("|");
  return new CompletionContext(EditorState.create({ doc: text.replace("|", "") }), pos, explicit);
}

const labels = (result: CompletionResult | null): string[] => result?.options.map(({ label }) => label) ?? [];

const names: FileNames = {
  columns: [
    { name: "code", type: "text" },
    { name: "alert_m", type: "numeric(5,2)" },
  ],
  settings: describedSettings(),
  shown: (field) => (field === "river_id" ? ["river_id", "name"] : []),
};

describe("completion in a page file", () => {
  const found = (text: string): string[] => labels(completeFile(at(text), names, schema));

  test("knows the parts of the file, and those of a part", () => {
    expect(found("ti|")).toEqual(expect.arrayContaining(["title", "fields", "checks"]));
    expect(found("access:\n  op|")).toEqual(["open", "rows", "edit", "new", "delete", "history", "because"]);
    expect(found("record: { ta|")).toEqual(["table", "key", "key-editable"]);
  });

  test("knows the columns where columns are named", () => {
    expect(found("fields:\n  - al|")).toEqual(["code", "alert_m"]);
    expect(found("list: { columns: [co|")).toEqual(["code", "alert_m"]);
    expect(found("checks:\n  - { expect: x, at: al|")).toEqual(["code", "alert_m"]);
  });

  test("knows the columns of the other table where one of them stands for a record", () => {
    expect(found("fields:\n  - river_id: { show: na|")).toEqual(["river_id", "name"]);
    expect(found("fields:\n  - river_id:\n      show: na|")).toEqual(["river_id", "name"]);
  });

  test("knows the settings of a field, its rules and controls, in one line or several", () => {
    expect(found("fields:\n  - alert_m: { la|")).toEqual(expect.arrayContaining(["label", "help", "group", "rules"]));
    expect(found("fields:\n  - alert_m:\n      la|")).toContain("label");
    expect(found("fields:\n  - alert_m: { control: mu|")).toContain("multi-line");
    expect(found("fields:\n  - alert_m: { rules: [re|")).toContain("required");
  });

  test("the names that can stand at a place are those of the page file's schema", () => {
    expect(namesIn(schema, [])).toContain("checks");
    expect(namesIn(schema, ["fields", 0, "code"])).toContain("read-only");
    expect(namesIn(schema, ["fields", 0, "code", "rules"])).toEqual(
      expect.arrayContaining(["required", "min-length", "when"]),
    );
    expect(namesIn(schema, ["fields", 0, "code", "control"])).toContain("multi-line");
    expect(namesIn(schema, ["access"])).toEqual(["open", "rows", "edit", "new", "delete", "history", "because"]);
    expect(namesIn(schema, ["nothing", "here"])).toEqual([]);
    expect(namesIn(undefined, [])).toEqual([]);
  });

  test("says nothing where nothing was typed, unless it is asked", () => {
    expect(completeFile(at("access:\n  |"), names, schema)).toBeNull();
    expect(labels(completeFile(at("access:\n  |", true), names, schema))).toContain("open");
  });
});

describe("completion in a condition", () => {
  const names = [
    { name: "status", type: "text", of: "row" as const },
    { name: "status", type: "text", of: "form" as const },
    { name: "two words", type: "text", of: "row" as const },
    { name: "roles", type: "list", of: "actor" as const },
  ];
  const found = (text: string, place: string): string[] => labels(completeNames(() => names, place)(at(text)));

  test("knows what can be asked at its place", () => {
    expect(found("ro|", "row")).toEqual(expect.arrayContaining(["row.status", 'row["two words"]', "actor.roles"]));
    expect(found("fo|", "row")).not.toContain("form.status");
    expect(found("row.status == fo|", "form")).toContain("form.status");
    expect(found("ac|", "open")).toEqual(expect.arrayContaining(["actor.roles", "now"]));
    expect(found("ac|", "open")).not.toContain("row.status");
  });

  test("goes on after a dot, and only after a name that has parts", () => {
    expect(found("row.st|", "row")).toContain("row.status");
    expect(found("x.st|", "row")).toEqual([]);
  });
});
