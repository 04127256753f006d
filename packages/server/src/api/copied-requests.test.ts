import { execFileSync } from "node:child_process";
import { createRequire } from "node:module";
import { describe, expect, test } from "@jest/globals";
import { asCase, asCurl, asHar } from "@loyal-quill/authoring";
import { readCases } from "@loyal-quill/authoring/rehearsal";
import type { RecordedRequest } from "@loyal-quill/core";
import { Ajv } from "ajv";
import ajvFormats from "ajv-formats";

const step = { ms: 1, stopped: null, statements: [] } as const;
const recorded: RecordedRequest = {
  id: "3f0c7a10-4b1d-4c55-9d0e-000000000001",
  at: "2026-11-03T09:12:44.120Z",
  operation: "save",
  method: "POST",
  path: "/stations/MV-014/edit",
  page: "station",
  actor: { id: "hollis", name: "Hollis Brandt" },
  key: ["MV-014"],
  outcome: "invalid",
  status: 422,
  ms: 12.5,
  steps: [
    {
      ...step,
      step: "read",
      values: [
        { name: "name", value: "O'Tter Weir", note: "touched" },
        { name: "notes", value: "", note: "untouched" },
      ],
    },
    {
      ...step,
      step: "check",
      stopped: "1 rule failed",
      values: [{ name: "name", value: "Too odd.", note: "pattern" }],
    },
  ],
  wire: {
    query: { sort: "-name" },
    headers: {
      ":version": "1.1",
      "content-type": "application/x-www-form-urlencoded",
      cookie: "(not kept)",
      accept: "text/html",
    },
    body: "name=O'Tter+Weir&notes=",
    answer: { headers: { "content-type": "text/html; charset=utf-8" }, body: "<!doctype html>\u{1F30A}" },
  },
};

const withoutBody: RecordedRequest = recorded.wire ? { ...recorded, wire: { ...recorded.wire, body: null } } : recorded;

const require = createRequire(import.meta.url);

describe("a recorded request for other programs", () => {
  test("is a valid HTTP Archive 1.2, by a schema that isn't ours", () => {
    const schemas = require("har-schema") as Record<string, { $id: string; $schema: string }>;
    const ajv = new Ajv({ strict: false, schemas: Object.values(schemas).map(({ $schema: _, ...schema }) => schema) });
    ajvFormats.default(ajv);
    const validate = ajv.getSchema("har.json#") ?? ajv.getSchema("har.json");
    expect(validate).toBeDefined();
    const har = asHar([recorded, withoutBody], "https://records.example");
    expect(validate?.(har) ? [] : validate?.errors).toEqual([]);
    expect(validate?.({ log: { version: "1.2" } })).toBe(false);
    expect(har).toMatchObject({
      log: {
        version: "1.2",
        entries: [{ request: { url: "https://records.example/stations/MV-014/edit?sort=-name", bodySize: 23 } }, {}],
      },
    });
  });

  test("is a command that a shell takes apart as it was sent", () => {
    const command = asCurl(recorded, "https://records.example").replace(/^curl/, "printf '%s\\n'");
    const words = execFileSync("sh", ["-c", command], { env: { COOKIE: "session=1" }, encoding: "utf8" }).split("\n");
    expect(words).toEqual([
      "--include",
      "--request",
      "POST",
      "https://records.example/stations/MV-014/edit?sort=-name",
      "--header",
      "content-type: application/x-www-form-urlencoded",
      "--header",
      "accept: text/html",
      "--header",
      "cookie: session=1",
      "--data-raw",
      "name=O'Tter+Weir&notes=",
      "",
    ]);
  });

  test("is a case of its page, which reads as one", () => {
    const text = `format: loyal-quill/cases@1\ncases:\n${asCase(recorded).replaceAll(/^/gm, "  ")}`;
    expect(readCases(text)).toEqual({
      file: {
        format: "loyal-quill/cases@1",
        people: {},
        cases: [
          {
            name: "POST /stations/MV-014/edit of 2026-11-03",
            as: "Hollis Brandt",
            record: ["MV-014"],
            type: { name: "O'Tter Weir" },
            expect: { outcome: "invalid", status: 422, at: ["name"] },
          },
        ],
      },
    });
  });
});
