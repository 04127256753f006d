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
