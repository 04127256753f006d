import { describe, expect, test } from "@jest/globals";
import type { Actor, Page } from "@loyal-quill/core";
import { navigationOf } from "./navigation.js";

type Expression = NonNullable<Page["access"]["open"]>["expression"];

const text = (value: string): Expression => ({ op: "literal", type: "text", value });
const hasRole = (role: string): Expression => ({
  op: "in",
  type: "text",
  value: text(role),
  list: { op: "actor", attribute: "roles" },
});
const compared = (left: Expression, by: "==" | "<", right: Expression): Expression => ({
  op: "compare",
  by,
  type: "text",
  left,
  right,
});
const pageOf = (name: string, expression: Expression | null): Page =>
  ({
    name,
    plural: `The ${name}s`,
    path: { list: `/${name}s` },
    access: { open: expression && { source: "", expression, rowColumns: [], formColumns: [] } },
  }) as unknown as Page;
const named = (pages: readonly Page[], actor: Actor, path = "/", base = ""): readonly string[] =>
  navigationOf(pages, actor, base, path).links.map(({ name }) => name);

const ada: Actor = { id: "1", name: "Ada", roles: ["technician"], attributes: { region: "3" } };

describe("a navigation", () => {
  const pages = [
    pageOf("river", null),
    pageOf("station", hasRole("technician")),
    pageOf("note", compared({ op: "actor", attribute: "region" }, "==", text("3"))),
  ];

  test("is the same one where all that it depends on is the same", () => {
    const one = navigationOf(pages, ada, "/records", "/rivers/1/edit");
    expect(navigationOf(pages, { ...ada, roles: [...ada.roles] }, "/records", "/rivers/2")).toBe(one);
    expect(one).toEqual({
      more: false,
      links: [
        { name: "river", title: "The rivers", href: "/records/rivers", isCurrent: true },
        { name: "station", title: "The stations", href: "/records/stations", isCurrent: false },
        { name: "note", title: "The notes", href: "/records/notes", isCurrent: false },
      ],
    });
  });

  test("is another one for another person, attribute, place, mount or set of pages", () => {
    expect(named(pages, { ...ada, roles: [] })).toEqual(["river", "note"]);
    expect(named(pages, { ...ada, attributes: { region: "4" } })).toEqual(["river", "station"]);
    expect(named(pages, { ...ada, attributes: { region: ["3"] } })).toEqual(["river", "station"]);
    expect(named(pages, { ...ada, pages: ["note"] })).toEqual(["note"]);
    expect(named([pageOf("station", hasRole("auditor"))], ada)).toEqual([]);
    const current = (path: string, base = ""): readonly string[] =>
      navigationOf(pages, ada, base, path).links.flatMap(({ href, isCurrent }) => (isCurrent ? [href] : []));
    expect(current("/stations")).toEqual(["/stations"]);
    expect(current("/rivers/1/edit")).toEqual(["/rivers"]);
    expect(current("/riversides")).toEqual([]);
    expect(current("/stations", "/records")).toEqual(["/records/stations"]);
    expect(named(pages, ada)).toEqual(["river", "station", "note"]);
  });

  test("shows the innermost page as the current one, where one lies below another", () => {
    const outer = { ...pageOf("place", null), path: { list: "/places" } } as Page;
    const inner = { ...pageOf("gate", null), path: { list: "/places/gates" } } as Page;
    for (const nested of [
      [outer, inner],
      [inner, outer],
    ]) {
      const current = (path: string): readonly string[] =>
        navigationOf(nested, ada, "", path).links.flatMap(({ name, isCurrent }) => (isCurrent ? [name] : []));
      expect([current("/places/gates/1/edit"), current("/places/1/edit")]).toEqual([["gate"], ["place"]]);
    }
  });

  test("is made anew where a page asks for the time", () => {
    const timed = [...pages, pageOf("visit", compared({ op: "now" }, "<", text("9999")))];
    const [one, other] = [navigationOf(timed, ada, "", "/"), navigationOf(timed, ada, "", "/")];
    expect(other).toEqual(one);
    expect(other).not.toBe(one);
  });

  test("has as many links as a header has room for, and says that there are more", () => {
    const many = Array.from({ length: 9 }, (_, index) => pageOf(`page${index}`, null));
    const { links, more } = navigationOf(many, ada, "", "/");
    expect([links.length, more]).toEqual([8, true]);
    expect(navigationOf(many.slice(1), ada, "", "/").more).toBe(false);
  });

  test("takes attributes that JSON has no word for", () => {
    for (const region of [3n, [3n]]) {
      const odd = { region } as unknown as Record<string, number>;
      expect(named(pages, { ...ada, attributes: odd })).toContain("station");
    }
  });

  test("is not kept for any number of people", () => {
    const first = navigationOf(pages, ada, "", "/");
    for (let id = 0; id < 600; id++) navigationOf(pages, { ...ada, id: `p${id}` }, "", "/");
    expect(navigationOf(pages, ada, "", "/")).not.toBe(first);
  });
});
