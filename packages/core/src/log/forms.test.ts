import { expect, test } from "@jest/globals";
import { importedFrom } from "./forms.js";

const line = {
  at: "2026-03-01T09:30:00Z",
  actor: { id: "u-1", name: "Ines" },
  table: "network.station",
  key: { code: "MV-001" },
  operation: "update",
  fields: [{ field: "name", old: null, new: "Weir" }],
};

test("a line of another history is an entry", () => {
  expect(importedFrom(JSON.stringify(line))).toEqual({ ...line, new_key: null, reason: null, page: "" });
});

test.each([
  ["3", ["the line: It must be an object."]],
  ["[]", ["the line: It must be an object."]],
  ["{", ["It is no JSON."]],
  ["{}", ["at", "actor", "table", "key", "operation", "fields"].map((name) => `${name}: It is missing.`)],
  [
    JSON.stringify({ ...line, actor: { id: "", name: 3 }, operation: "upsert", more: 1 }),
    [
      "actor.id: It must not be empty.",
      "actor.name: It must be a text.",
      'operation: It must be "insert" or "update" or "delete".',
      "more: An entry has no such member.",
    ],
  ],
  [
    JSON.stringify({ ...line, actor: null, key: { code: 1 }, fields: {} }),
    ["actor: It must be an object, and is null.", "key.code: It must be a text.", "fields: It must be a list."],
  ],
  [
    JSON.stringify({ type: "entry" }),
    ["id", "hash", "way", "request", "fields"].map((name) => `${name}: It is missing.`),
  ],
])("what is wrong with %s is said in words", (text, wrong) => {
  expect(importedFrom(text)).toEqual({ wrong });
});
