import { readFile } from "node:fs/promises";
import { beforeAll, describe, expect, test } from "@jest/globals";
import { findingsPage, pageJsonSchema, rulesPage, settingsPage } from "@loyal-quill/core";
import { forgetControls } from "@loyal-quill/core/controls/index";
import { forgetRules } from "@loyal-quill/core/rules/index";

// What the applications of other tests in this process have added is not ours.
beforeAll(() => {
  forgetControls();
  forgetRules();
});

const docs = (name: string): Promise<string> => readFile(new URL(`../../../../docs/${name}`, import.meta.url), "utf8");

/** Every name and every value of a list that a JSON Schema knows, wherever it stands. */
function namesIn(schema: unknown): string[] {
  if (Array.isArray(schema)) return schema.flatMap(namesIn);
  if (typeof schema !== "object" || schema === null) return [];
  const own = Object.entries(schema).flatMap(([word, part]) => {
    if (word === "properties") return Object.keys(part as object);
    return word === "enum" || word === "const" ? [part].flat().map(String) : [];
  });
  return [...own, ...Object.values(schema).flatMap(namesIn)];
}

describe("the reference of the page file", () => {
  test("names everything that the schema knows", async () => {
    const text = (await docs("page-file.md")) + (await docs("settings.md")) + (await docs("rules.md"));
    const prose = text.replaceAll(/```[\s\S]*?```/g, "");
    const words = new Set(
      [...prose.matchAll(/`([^`]+)`/g)].flatMap((match) => (match[1] ?? "").split(/[^a-z0-9@/-]+/)),
    );
    const unnamed = [...new Set(namesIn(pageJsonSchema()))].filter((name) => name !== "true" && !words.has(name));
    expect(unnamed).toEqual([]);
  });

  test("its tables name nothing that the schema does not know", async () => {
    const text = await docs("settings.md");
    const known = new Set(namesIn(pageJsonSchema()));
    const named = [...text.matchAll(/^\| ((?:`[a-z.-]+`(?:, )?)+) \|/gm)].flatMap((match) =>
      (match[1] ?? "").split(", ").map((each) => each.replaceAll("`", "").split(".")),
    );
    expect(named.length).toBeGreaterThan(25);
    expect(named.flat().filter((name) => !known.has(name))).toEqual([]);
  });

  test("the published JSON Schema is the one that reads the files", async () => {
    expect(JSON.parse(await docs("page.schema.json"))).toEqual(JSON.parse(JSON.stringify(pageJsonSchema())));
  });
});

test("the published lists of findings, rules and settings are made from the catalogues", async () => {
  expect(await docs("findings.md")).toBe(findingsPage());
  expect(await docs("rules.md")).toBe(rulesPage());
  expect(await docs("settings.md")).toBe(settingsPage());
});
