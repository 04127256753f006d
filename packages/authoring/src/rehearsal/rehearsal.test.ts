import { describe, expect, test } from "@jest/globals";
import { bodyOf, readDocument, withValue } from "./browser.js";
import { readCases, readPeople } from "./own-cases.js";
import { asItWas } from "./replay.js";
import { touchedInWords } from "./staging.js";

describe("a document as a browser reads it", () => {
  const html = `<form method="get"><input name="q"></form>
    <form method="post" action="/x"><input type="hidden" name="quill.token" value="a&quot;b">
    <label for="n">Name</label><input id="n" name="name" value="&lt;b&gt;" aria-invalid="true" aria-describedby="n-help n-problem"><p id="n-problem">Too <b>odd</b></p>
    <textarea name="notes">

two
lines</textarea>
    <select name="kind"><option value="1">One</option><option selected>Two</option></select>
    <input type="checkbox" name="on" value="true" checked><input type="checkbox" name="off" value="true">
    <input name="shut" disabled value="x"><button name="save">Save</button></form>
    <p role="status">Saved.</p><a href="/y" onclick="z()">y</a>`;

  test("has the form that changes something, with what it would send", () => {
    const { form, links, handlers, text } = readDocument(html);
    expect(form?.pairs).toEqual([
      ["quill.token", 'a"b'],
      ["name", "<b>"],
      ["notes", "\r\ntwo\r\nlines"],
      ["kind", "Two"],
      ["on", "true"],
    ]);
    expect([links, handlers]).toEqual([["/y"], ["onclick"]]);
    expect(text).toContain("Too odd");
  });

  test("says which control is wrong and why, and which has no name", () => {
    const controls = readDocument(html).form?.controls ?? [];
    expect(controls.find(({ name }) => name === "name")).toMatchObject({
      invalid: true,
      said: "Too odd",
      labelled: true,
    });
    expect(controls.find(({ name }) => name === "notes")).toMatchObject({ invalid: false, labelled: false });
  });

  test("has elements where markup was not escaped, and none where it was", () => {
    expect(readDocument("<p>&lt;quill-mark&gt;</p>").count("quill-mark")).toBe(0);
    expect(readDocument("<p><quill-mark></p>").count("quill-mark")).toBe(1);
  });
});

describe("a body", () => {
  test("has values replaced, added and taken off", () => {
    const body = bodyOf(
      [
        ["a", "1"],
        ["b", "2"],
      ],
      { a: "x y", b: null, c: "&" },
    );
    expect(body).toBe("a=x%20y&c=%26");
    expect(withValue(body, "a", null)).toBe("c=%26");
  });
});

test("a row as it was is the oldest value of each field that was changed since", () => {
  const row = { name: "new", level: "3", notes: null };
  const newestFirst = [
    [{ field: "name", old: "middle", new: "new" }],
    [
      { field: "name", old: "first", new: "middle" },
      { field: "level", old: "3", new: "9" },
      { field: "pin", old: null, new: null, hidden: true as const },
    ],
  ];
  expect(asItWas(row, newestFirst)).toEqual({ name: "first" });
});

test("touched rows are told in words", () => {
  expect(touchedInWords([{ table: "a.b", inserted: 1, updated: 0, deleted: 2 }])).toBe("a.b: 1 added, 2 removed");
});

describe("a file of cases", () => {
  const problems = (text: string) => {
    const read = readCases(text);
    return "problems" in read ? read.problems : [];
  };

  test("says line and name of what is not understood", () => {
    const text =
      "format: loyal-quill/cases@1\ncases:\n  - name: One\n    type: { name: [] }\n    expect: { outcome: kept }\n";
    expect(problems(text)).toEqual([
      { line: 4, message: '"name" can\'t be []. Possible: text, a number, or true or false.' },
      {
        line: 5,
        message:
          '"outcome" can\'t be "kept". Possible: shown, saved, unchanged, invalid, conflict, refused, not-found, failed.',
      },
    ]);
    expect(problems("cases:\n  - One\n")).toEqual([
      { line: 1, message: '"format" is missing.' },
      {
        line: 2,
        message:
          'Entry 1 of "cases" must be a mapping (name: value). Possible: name, as, record, row, type, meanwhile, expect.',
      },
    ]);
    expect(problems("cases:\n\t- name: One\n")[0]?.message).toBe(
      "This line is indented with a tab. YAML is indented with spaces.",
    );
    expect(problems("")).toEqual([
      {
        line: 1,
        message: "The file is empty: it must be a mapping (name: value). Possible: format, people, cases.",
      },
    ]);
  });

  test("people have attributes as an application has them", () => {
    const people = "- { id: h, name: Hollis, attributes: { regions: [1, 2], leads: true } }\n";
    expect(readPeople(people)).toEqual({
      file: [{ id: "h", name: "Hollis", roles: [], attributes: { regions: ["1", "2"], leads: true } }],
    });
    expect(readPeople("- { id: 7, name: Hollis }\n")).toEqual({
      problems: [{ line: 1, message: '"id" must be text: write "7", with the quotes.' }],
    });
    expect(readPeople("id: h\n")).toEqual({
      problems: [{ line: 1, message: 'The file must be a list, each entry on its own line after "- ".' }],
    });
  });

  test("says where it is no YAML", () => {
    expect(problems("format: [\n")[0]?.line).toBeGreaterThan(0);
  });

  test("takes numbers and truths as they are written", () => {
    const read = readCases(
      "format: loyal-quill/cases@1\ncases:\n  - { name: a, record: 7, type: { on: true, n: 1.5, x: null }, expect: {} }\n",
    );
    expect("file" in read && read.file.cases[0]).toEqual({
      name: "a",
      record: "7",
      type: { on: "true", n: "1.5", x: "" },
      expect: {},
    });
  });
});
