import { readdir, readFile } from "node:fs/promises";
import { describe, expect, test } from "@jest/globals";
import { styleSheet } from "@loyal-quill/core";

const root = new URL("../../../", import.meta.url);
const textOf = (name: string): Promise<string> => readFile(new URL(name, root), "utf8");

/** Everything of ours that writes HTML for the served pages. */
async function sources(): Promise<string> {
  const folders = ["packages/core/src/html/", "packages/core/src/controls/", "packages/runtime/browser/"];
  const files = await Promise.all(
    folders.map(async (folder) => {
      const names = await readdir(new URL(folder, root));
      const own = names.filter((name) => name.endsWith(".ts") && !name.endsWith(".test.ts") && name !== "style.ts");
      return Promise.all(own.map((name) => textOf(`${folder}${name}`)));
    }),
  );
  return files.flat().join("\n");
}

const namesIn = (text: string): ReadonlySet<string> =>
  new Set([...text.matchAll(/(?<![\w-])quill-[a-z]+(?:-[a-z]+)*/g)].map(([name]) => name));

/** What is called so and is no class: the names of files. */
const files = new Set(["quill-config"]);

describe("the look of the pages", () => {
  test("goes by classes that all begin alike, wherever HTML is written", async () => {
    const text = await sources();
    const written = [...text.matchAll(/\bclass(?:=|: |Name = )"([^"$]*)/g)].flatMap(([, names = ""]) =>
      names.split(" "),
    );
    expect(written.filter((name) => name !== "" && !/^quill(-|$)/.test(name))).toEqual([]);
    const conditional = [...text.matchAll(/\? "( ?[a-z][a-z -]*)" : (?:""|null|"[a-z -]*")/g)].map(
      ([, name = ""]) => name,
    );
    expect(conditional.filter((name) => namesIn(styleSheet).has(`quill-${name.trim()}`))).toEqual([]);
  });

  test("touches nothing that is not ours: every selector is about one of our classes, or about what is inside of ours", () => {
    const rules = styleSheet.replaceAll(/\/\*[\s\S]*?\*\//g, "").matchAll(/(?:^|[{}])\s*([^@{}]+?)\s*\{/g);
    const selectors = [...rules].map(([, selector = ""]) => selector).filter((each) => each !== ":root");
    expect(selectors.length).toBeGreaterThan(100);
    expect(selectors.filter((each) => each.split(/,(?![^(]*\))/).some((one) => !one.includes(".quill")))).toEqual([]);
  });

  test("has the classes and custom properties that the documentation promises, and no others", async () => {
    const [told, used] = [namesIn(await textOf("docs/mounting.md")), namesIn(`${await sources()}\n${styleSheet}`)];
    const properties = new Set([...styleSheet.matchAll(/--quill-[a-z-]+/g)].map(([name]) => name));
    const promised = new Set(
      [...(await textOf("docs/mounting.md")).matchAll(/--quill-[a-z-]+/g)].map(([name]) => name),
    );
    expect([...properties].sort()).toEqual([...promised].sort());
    // Those of the application's own pages (accounts, home) are no served page's, and one is a header's.
    const ours = new Set([
      "quill-narrow",
      "quill-account",
      "quill-sessions",
      "quill-codes",
      "quill-hint",
      "quill-qr",
      "quill-in-place",
      "quill-work",
    ]);
    const classes = [...used].filter((name) => !ours.has(name) && !properties.has(`--${name}`));
    expect(classes.filter((name) => !told.has(name)).sort()).toEqual([]);
    expect([...told].filter((name) => !used.has(name) && !files.has(name)).sort()).toEqual([]);
  });
});
