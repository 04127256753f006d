import { describe, expect, test } from "@jest/globals";
import pg from "pg";
import { createPages, type PagesOptions } from "./index.js";
import { demoPages, hollis } from "./testing/trips.js";

const sound: PagesOptions = {
  database: "postgresql://nobody@127.0.0.1:1/nothing",
  pages: demoPages,
  signingKey: "a key for tests, thirty-two bytes long",
  actor: () => hollis,
};

describe("options that can't be meant", () => {
  test.each<[string, object, RegExp]>([
    [
      "a client in the place of a pool",
      { database: new pg.Client() },
      /database of createPages must be .*a pool of pg/,
    ],
    ["another database's address", { database: "mysql://vale" }, /database of createPages must be postgresql:/],
    ["a database of another kind", { database: { query: () => {} } }, /database of createPages must be/],
    ["an address that is empty, as of a variable that is not set", { database: "" }, /database of createPages must be/],
    ["nobody who says who asks", { actor: undefined }, /actor of createPages is missing\. It is a function/],
    ["somebody in the place of a function", { actor: hollis }, /actor of createPages must be a function/],
    ["no directory", { pages: undefined }, /pages of createPages is missing\. It is the directory/],
    ["a key that is too short", { signingKey: "short" }, /32 bytes/],
    ["a mount that no request can have", { mount: "records" }, /mount of createPages must be the path/],
    ["a layout that is none", { layout: 7 }, /layout of createPages must be a function, or the name of a view/],
    ["a template that is none", { forms: { station: null } }, /forms of createPages must be functions/],
    ["a number that is none", { formAge: "a day" }, /formAge of createPages must be a number of milliseconds/],
    ["a misspelt name", { singIn: "/sign-in" }, /no option "singIn"\. Did you mean "signIn"\?/],
    ["a name that is like no other", { theme: "dark" }, /no option "theme"\.$/],
    ["a rule that judges nothing", { rules: [{ name: "vale-grid", label: "Grid", words: "a grid" }] }, /"broken"/],
    ["a rule without a name", { rules: [{ broken: () => null }] }, /can't be the name of a rule/],
    ["a control that writes nothing", { controls: [{ name: "colour" }] }, /"write"/],
  ])("%s", async (_, wrong, said) => {
    await expect(createPages({ ...sound, ...wrong } as PagesOptions)).rejects.toThrow(said);
  });

  test("are told before anything is connected to; sound ones are not refused", async () => {
    await expect(createPages(sound)).rejects.toThrow(/ECONNREFUSED/);
  });
});
