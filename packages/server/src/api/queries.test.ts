import { expect, test } from "@jest/globals";
import { entryNumber, formOf, key, moment, number, reading, textOf, texts } from "./queries.js";

const read = reading({
  text: textOf(4),
  before: entryNumber,
  way: formOf(/^a|b$/),
  least: number,
  from: moment,
  key,
  several: texts,
});
const nothing = { several: [] };

test("what fits is read, by its names only", () => {
  expect(
    read({
      text: "weir",
      before: "12",
      way: "b",
      least: "1.5",
      from: "2026-11-30T10:00+01:00",
      key: '{"code":"MV-014"}',
      several: ["a", "b"],
      more: "x",
    }),
  ).toEqual({
    text: "weir",
    before: "12",
    way: "b",
    least: 1.5,
    from: "2026-11-30T09:00:00.000Z",
    key: { code: "MV-014" },
    several: ["a", "b"],
  });
  expect(read({ several: "one" })).toEqual({ several: ["one"] });
});

test("what does not is as if it were not there", () => {
  expect(read({})).toEqual(nothing);
  for (const wrong of ["", "\0", ["a", "b"], { a: "b" }, undefined, null, 7])
    expect(
      JSON.parse(
        JSON.stringify(read({ text: wrong, before: wrong, way: wrong, least: wrong, from: wrong, key: wrong })),
      ),
    ).toEqual(nothing);
  for (const wrong of [
    "[]",
    "7",
    '{"code":7}',
    '{"code":null}',
    '{"code":"\\u0000"}',
    "{",
    `{"code":"${"x".repeat(4000)}"}`,
  ])
    expect(read({ key: wrong }).key).toBeUndefined();
});

test("a column may be called what other objects have, and no character is cut in two", () => {
  expect(read({ key: '{"constructor":"1","__proto__":"2"}' }).key).toEqual(
    JSON.parse('{"constructor":"1","__proto__":"2"}'),
  );
  expect([read({ text: "weirs" }).text, read({ text: "abc𝄞d" }).text]).toEqual(["weir", "abc"]);
});
