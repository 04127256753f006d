import { describe, expect, test } from "@jest/globals";
import type { Finding } from "../findings/finding.js";
import { stationFile } from "../testing/marrow-vale.js";
import { parsePage } from "./parse.js";

const findings = (text: string): readonly Finding[] => {
  const result = parsePage(text);
  return result.ok ? [] : result.findings;
};

describe("a page file's text", () => {
  test("a sound file is read", () => {
    expect(parsePage(stationFile)).toMatchObject({ ok: true, page: { file: { path: "/stations/{code}" } } });
  });

  test("an unknown name is an error with line, column and the nearest known name", () => {
    const text = stationFile.replace("plural: Stations", "plurral: Stations");
    expect(findings(text)).toEqual([
      {
        severity: "error",
        code: "unknown-name",
        message: '"plurral" is not a name that a page file knows here. Did you mean "plural"?',
        line: 3,
        column: 1,
        repair: { what: "write plural", wrong: "plurral", right: "plural" },
      },
    ]);
  });

  test("an unknown name inside of a field is found at its place", () => {
    const text = stationFile.replace("alert_m: { unit: m }", "alert_m: { units: m }");
    const [finding] = findings(text);
    expect(finding).toMatchObject({ code: "unknown-name", line: 17 });
    expect(finding?.message).toContain('Did you mean "unit"?');
    expect(text.split("\n")[16]?.slice((finding?.column ?? 0) - 1)).toMatch(/^units:/);
  });

  test("what is missing is named", () => {
    expect(findings("format: loyal-quill/page@1\n").map((finding) => finding.message)).toEqual([
      '"title" is missing.',
      '"path" is missing.',
      '"record" is missing.',
      '"fields" is missing.',
    ]);
  });

  test("a value that is not possible is answered with those that are", () => {
    const [finding] = findings(stationFile.replace("control: multi-line", "control: multiline"));
    expect(finding?.message).toContain('Did you mean "multi-line"?');
    expect(finding?.line).toBe(21);
  });

  const replaced = (line: string, instead: string): string => {
    if (!stationFile.includes(line)) throw new Error(`not in the file: ${line}`);
    return stationFile.replace(line, instead);
  };
  const title = 'title: "Station {code}, {name}"';

  test.each([
    [
      "a list that is one text",
      replaced("rules: [required]", "rules: required"),
      '"rules" must be a list: write [required].',
      ["required"],
    ],
    [
      "a truth that is to be text",
      replaced(title, "title: true"),
      '"title" must be text: write "true", with the quotes.',
      "true",
    ],
    [
      "a number that is to be text",
      replaced("unit: m }", "unit: 5 }"),
      '"unit" must be text: write "5", with the quotes.',
      "5",
    ],
    [
      "a text that is to be a truth",
      `${stationFile}list: { together: yes }\n`,
      '"together" must be true or false: write true.',
      true,
    ],
  ])("%s says how it is written, and can be put right", (_, text, message, value) => {
    const [finding] = findings(text);
    expect(finding).toMatchObject({ code: "wrong-value", message });
    expect(finding?.repair).toMatchObject({ edits: [{ do: "set", value }] });
  });

  test.each([
    [
      "a text that begins with a brace",
      replaced(title, "title: {code}"),
      '"title" must be text. Put text that begins with { or [ in quotes.',
    ],
    [
      "nothing where settings stand",
      `${stationFile}list:\n`,
      '"list" is empty: it must be a mapping (name: value). Possible: columns, search,',
    ],
    [
      "a text where settings stand",
      `${stationFile}list: code\n`,
      '"list" must be a mapping (name: value). Possible: columns, search,',
    ],
    [
      "an entry of a list",
      replaced("  - river_id", "  - 7"),
      'Entry 3 of "fields" can\'t be 7. Possible: text or a mapping (name: value).',
    ],
    [
      "a bound",
      replaced("tidy: [trim, single-spaces], rules: [required]", "rules: [{ max-length: -1 }]"),
      '"max-length" must be at least 1.',
    ],
    ["a list", "- a\n- b\n", "A page file is a mapping (name: value) that begins with format: loyal-quill/page@1."],
    ["nothing at all", "", "A page file is a mapping (name: value) that begins with format: loyal-quill/page@1."],
    ["a name that is no text", `${stationFile}1: 2\n`, '"1" is not a name that a page file knows here.'],
    ["a NUL", replaced(title, 'title: "Station\\0 {code}"'), '"title" contains a NUL or half a character'],
    ["half a character", replaced("unit: m", 'unit: "\\ud800"'), '"unit" contains a NUL or half a character'],
    ["a name twice", `${stationFile}plural: Gauges\n`, '"plural" is here twice. Remove one of them.'],
    [
      "a tab",
      replaced("  - river_id", "\t- river_id"),
      "This line is indented with a tab. YAML is indented with spaces.",
    ],
    [
      "a second colon",
      replaced(title, "title: Station: {code}"),
      "There is a second colon in this line. Put text that contains a colon in quotes.",
    ],
    [
      "a sign that YAML keeps for itself",
      replaced("unit: m, help", "unit: @m, help"),
      "Put text that begins with @ in quotes.",
    ],
    [
      "a missing colon",
      replaced(title, "title Station"),
      "A colon is missing here. A setting is written as name: value, with a space.",
    ],
    [
      "a missing comma",
      replaced("network.station, key", "network.station key"),
      "A comma is missing here, or a closing bracket or brace.",
    ],
    ["a brace that is not closed", replaced("key: code }", "key: code"), "The closing } is missing."],
    ["a quote that is not closed", replaced(title, title.slice(0, -1)), 'The closing " is missing.'],
    [
      "a quote within a text",
      replaced(title, "title: 'Hollis's {code}'"),
      "The value ends before this. Put the whole text in quotes,",
    ],
    [
      "what is escaped and can't be",
      replaced(title, 'title: "\\d {code}"'),
      "\\d means nothing in double quotes. Use \\\\d, or single quotes.",
    ],
    ["an alias of nothing", replaced("unit: m", "unit: *m"), "An alias (*name) has no anchor (&name) before it,"],
    [
      "a list where settings stand",
      `${stationFile}list: [code]\n`,
      '"list" must be a mapping (name: value). Possible: columns,',
    ],
    [
      "a setting between entries and the file's own",
      replaced("checks:", "  wrong: {}\nchecks:"),
      "This line is indented more, or less, than the lines that it belongs to.",
    ],
    ["a second document", `${stationFile}---\ntitle: x\n`, "A second YAML document begins here. A file holds one."],
    ["a tag", replaced("fields:", "fields: !mine"), "YAML tags (!name) have no meaning here. Remove it."],
    [
      "a directive",
      `%WHO knows\n---\n${stationFile}`,
      "YAML directives (lines that begin with %) have no meaning here. Remove it.",
    ],
  ])("%s is told in the words of whoever writes it", (_, text, message) => {
    expect(findings(text)[0]?.message).toContain(message);
  });

  test("a brace too many is one mistake, not all that stands behind it", () => {
    expect(findings(replaced("key: code }", "key: code }}")).map(({ message }) => message)).toEqual([
      "} is not expected here.",
    ]);
  });

  test("text that is no YAML says where", () => {
    expect(findings('format: "x\ntitle: [')[0]).toMatchObject({ code: "not-yaml", severity: "error" });
  });

  test.each(["", "[]", "7", "a: &a [*a, *a]", `x: ${"&a ".repeat(3)}`])("%p is refused without harm", (text) => {
    expect(findings(text).length).toBeGreaterThan(0);
  });

  test("aliases that multiply are refused", () => {
    const bomb = `a: &a [x,x,x,x,x,x,x,x]\n${"bcdefg"
      .split("")
      .map((name, index) => `${name}: &${name} [${Array(8).fill(`*${"abcdefg"[index]}`).join(",")}]`)
      .join("\n")}`;
    expect(findings(bomb).length).toBeGreaterThan(0);
  });

  test("a file of more than 256 KiB is refused", () => {
    expect(findings(`${stationFile}#${"x".repeat(262_144)}`)[0]?.code).toBe("too-long");
  });
});

describe("a text that takes long to read", () => {
  const head =
    'format: loyal-quill/page@1\ntitle: "x"\npath: /x/{code}\nrecord: { table: network.station, key: code }\n';
  const many = (line: (index: number) => string): string =>
    Array.from({ length: 20_000 }, (_, index) => line(index)).join("\n");

  test("a map with thousands of names is given up", () => {
    expect(parsePage(`${head}fields: [code]\n${many((index) => `z${index}: 1`)}`)).toMatchObject({
      ok: false,
      findings: [{ code: "not-yaml", message: "This map has too many names to be read." }],
    });
  });

  test("what is nested too deep says so", () => {
    const read = parsePage(`${head}fields: ${"[".repeat(100_000)}`);
    expect(read).toMatchObject({
      ok: false,
      findings: expect.arrayContaining([expect.objectContaining({ message: "This is nested too deep to be read." })]),
    });
  });

  test("no more than two hundred findings are listed, and how many others there are", () => {
    const settings = many((index) => (index < 1000 ? `  - f${index}: { labl: x }` : "")).trimEnd();
    const read = parsePage(`${head}fields:\n${settings}\n`);
    expect(read.ok).toBe(false);
    expect(read.ok || read.findings.length).toBe(201);
    expect(read.ok || read.findings.at(-1)).toMatchObject({
      severity: "error",
      code: "further",
      message: "There are 800 more findings like these.",
    });
  });
});
