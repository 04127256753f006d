import { expect, test } from "@jest/globals";
import { oneselfFirst } from "./trial.js";

test("a page is first tried through one's own eyes; people keep their order otherwise", () => {
  const people = ["a", "b", "c"].map((id) => ({ id, name: id, roles: [], attributes: {} }));
  const order = (own: { id: string } | null) => oneselfFirst(people, own).map(({ id }) => id);
  expect(order({ id: "b" })).toEqual(["b", "a", "c"]);
  expect(order({ id: "elsewhere" })).toEqual(["a", "b", "c"]);
  expect(order(null)).toEqual(["a", "b", "c"]);
});
