import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { parse } from "yaml";
import { stationFile } from "../testing/marrow-vale.js";
import { contentOf } from "./content.js";
import { parsePage } from "./parse.js";
import { contentByParts, cut } from "./text-parts.js";

const head = "format: loyal-quill/page@1\ntitle: T\npath: /t/{a}\nrecord: { table: t, key: a }\n";

/** A field's entry in one of the ways in which people write it. */
const entry = fc
  .record({
    name: fc.stringMatching(/^[a-z]{1,4}$/),
    text: fc.constantFrom("plain", "'quo- ted'", '"two\\nlines"', "a # b", '"x: y"', "{ braces }", "[1, 2]", "1 - 2"),
    way: fc.constantFrom("name", "flow", "block", "folded", "literal", "nothing"),
    after: fc.constantFrom("", "  # about the next\n", "\n", "# at the margin\n", "      # deep\n"),
    beside: fc.constantFrom("", "   # why"),
  })
  .map(({ name, text, way, after, beside }) => {
    const entries: Readonly<Record<string, string>> = {
      name: `  - ${name}${beside}\n`,
      flow: `  - ${name}: { help: ${text.startsWith("a #") ? "a" : text} }${beside}\n`,
      block: `  - ${name}:${beside}\n      help: ${text}\n      label: x\n`,
      folded: `  - ${name}:\n      help: >\n        one - two\n\n        - three\n        # four\n`,
      literal: `  - ${name}: # why\n      help: |-\n        fields:\n          - inner\n`,
      nothing: `  - ${name}:\n`,
    };
    return `${entries[way]}${after}`;
  });

const file = fc
  .record({
    before: fc.constantFrom("", "# all of it\n", "language: de\n", "\n\n"),
    begun: fc.constantFrom("fields:\n", "fields: # these\n", "fields:\n  # first\n\n"),
    entries: fc.array(entry, { minLength: 1, maxLength: 6 }),
    after: fc.constantFrom("", "list: { sort: a }\n", "checks:\n  - { expect: form.a > 1, message: More. }\n", "# end"),
  })
  .map(({ before, begun, entries, after }) => `${head}${before}${begun}${entries.join("")}${after}`);

const whole = (text: string): unknown => {
  try {
    return parse(text);
  } catch {
    return "unreadable";
  }
};

describe("a page file's text, cut into parts", () => {
  test("any text is put together again as it was", () => {
    fc.assert(
      fc.property(file, (text) => {
        const parts = cut(text);
        expect(parts && parts.before + parts.entries.join("") + parts.after).toBe(text);
      }),
    );
  });

  test("any file read by its parts is the file read as a whole", () => {
    fc.assert(
      fc.property(file, (text) => {
        const quick = contentByParts(text);
        if (quick) expect(quick).toEqual(whole(text));
        else expect(contentOf(text) ?? "unreadable").toEqual(whole(text));
      }),
      { numRuns: 500 },
    );
  });

  test("most files are: it is no shortcut that is never taken", () => {
    expect(contentByParts(stationFile)).toEqual(parse(stationFile));
    expect(contentByParts(`${head}fields:\n- a\n- b: { help: x }\n`)).toEqual(
      parse(`${head}fields:\n- a\n- b: { help: x }\n`),
    );
  });

  test.each([
    ["an alias", "fields:\n  - a: { help: &x text }\n  - b: { help: *x }\n"],
    ["a list in one line", "fields: [a, b]\n"],
    ["the list twice", "fields:\n  - a\nfields:\n  - b\n"],
    ["a tab", "fields:\n  - a:\t{ help: x }\n"],
    ["line ends of another system", "fields:\r\n  - a\r\n"],
    ["several documents", "fields:\n  - a\n---\nfields:\n  - b\n"],
  ])("%s is left to be read as a whole", (_, fields) => {
    expect(contentByParts(head + fields)).toBeUndefined();
  });

  test("an error is told at its place in the whole text, also where an entry alone would be none", () => {
    const broken = `${head}fields:\n  - a: { help: x\n  - b\n`;
    expect(contentOf(broken)).toBeUndefined();
    const parsed = parsePage(broken);
    expect(parsed.ok ? [] : parsed.findings[0]).toMatchObject({ code: "not-yaml", line: 7 });
    const unknown = parsePage(`${head}fields:\n  - a\n  - b: { lable: x }\n`);
    expect(unknown.ok ? [] : unknown.findings).toMatchObject([{ code: "unknown-name", line: 7, column: 10 }]);
  });

  test("what was read once is not changed by whoever reads it again", () => {
    const [, name] = (contentByParts(stationFile)?.fields ?? []) as { name?: object }[];
    expect(() => Object.assign(name?.name ?? {}, { label: "x" })).toThrow();
  });
});
