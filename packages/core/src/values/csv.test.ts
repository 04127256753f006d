import { describe, expect, test } from "@jest/globals";
import { csvLines } from "./csv.js";

const line = (text: string, isText = true): string => csvLines([[{ text, isText }]]);

describe("a text that a spreadsheet could take for a formula", () => {
  test.each([
    "=1+1",
    "+1",
    "-1",
    "@SUM(A1)",
    "\t=1",
    "\r=1",
    "\n=1",
    "\r\n=1",
    " =1",
    "\n\n \t@x",
    "\u00a0=1",
    "\u2003=1",
    "\ufeff=1",
    "＝1",
    "\n＋1",
  ])("%j stands behind an apostrophe", (text) => {
    expect(line(text).replace(/^"/, "").startsWith("'")).toBe(true);
  });

  test.each(["a=1", "1-1", "", " ", "text", "'=1", '"=1"', "é=1"])("%j stands as it is", (text) => {
    expect(line(text)).not.toMatch(/^"?'(?!=)/);
  });

  test("a number is none, whatever its sign", () => {
    expect(line("-1.5", false)).toBe("-1.5\r\n");
  });

  test("a heading ID is quoted: a file that begins with it would be taken for one of another kind", () => {
    expect(csvLines([["ID", "Name"].map((text) => ({ text, isText: true }))])).toBe('"ID",Name\r\n');
  });

  test("what is quoted is quoted once (RFC 4180, 2.7)", () => {
    expect(line('=a"b\nc')).toBe('"\'=a""b\nc"\r\n');
  });
});
