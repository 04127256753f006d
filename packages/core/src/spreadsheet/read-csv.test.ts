import { describe, expect, test } from "@jest/globals";
import { readCsv } from "./read-csv.js";

const rowsOf = (text: string) => {
  const read = readCsv(new TextEncoder().encode(text));
  return typeof read === "string" ? read : read.rows;
};

describe("a CSV", () => {
  const [heads, first, second] = [
    ["a", "b"],
    ["1", "x"],
    ["2", "y"],
  ];

  test.each([
    ["begun by one program and gone on with by another", "a,b\r\n1,x\n2,y\n"],
    ["the other way round", "a,b\n1,x\r\n2,y\r\n"],
    ["with the line ends of old", "a,b\r1,x\r\n2,y"],
    ["with empty lines around it", "\n\na,b\n1,x\n2,y\n\n,\n"],
  ])("%s has the same rows", (_, text) => {
    expect(rowsOf(text)).toEqual([heads, first, second]);
  });

  test("keeps the ends of lines within a cell, whatever those of its rows are", () => {
    expect(rowsOf('a,b\n1,"x\r\nx"\r\n2,"y\ny"\n')).toEqual([heads, ["1", "x\r\nx"], ["2", "y\ny"]]);
  });

  test("keeps the places of rows behind an empty one", () => {
    expect(rowsOf("a,b\n1,x\n\n2,y\n")).toEqual([heads, first, [""], second]);
  });

  test("without a row is none", () => {
    expect([rowsOf(""), rowsOf("\n\n"), rowsOf(",\n")]).toEqual(["no-table", "no-table", "no-table"]);
  });
});
