import { describe, expect, test } from "@jest/globals";
import { putBack, type Undone } from "./put-back.js";

const change = (id: string, operation: string, fields: readonly [string, string | null, string | null][]): Undone => ({
  id,
  operation,
  fields: fields.map(([field, old, after]) => ({ field, old, new: after })),
});
const update = (id: string, ...fields: [string, string | null, string | null][]): Undone =>
  change(id, "update", fields);

describe("putting back", () => {
  test("one change: its fields become what they were", () => {
    expect(putBack([update("5", ["a", "1", "2"], ["b", null, "x"])], { a: "2", b: "x" }, null)).toMatchObject({
      does: "change",
      stands: "as-left",
      entries: ["5"],
      fields: [
        { field: "a", now: "2", becomes: "1", isConflict: false },
        { field: "b", now: "x", becomes: null, isConflict: false },
      ],
    });
  });

  test("one field of it", () => {
    const back = putBack([update("5", ["a", "1", "2"], ["b", null, "x"])], { a: "2", b: "x" }, new Set(["b"]));
    expect(back.fields.map(({ field }) => field)).toEqual(["b"]);
  });

  test("several: to before the oldest; what another one changed between them is in conflict", () => {
    const back = putBack([update("7", ["a", "2", "3"]), update("5", ["a", "1", "2"])], { a: "3" }, null);
    expect(back.fields).toEqual([{ field: "a", now: "3", left: "3", becomes: "1", isConflict: false }]);
    const between = putBack([update("7", ["a", "2.5", "3"]), update("5", ["a", "1", "2"])], { a: "3" }, null);
    expect(between.fields[0]).toMatchObject({ becomes: "1", isConflict: true });
  });

  test("what was changed since is in conflict; what is so already is left out", () => {
    const back = putBack([update("5", ["a", "1", "2"], ["b", "x", "y"])], { a: "9", b: "x" }, null);
    expect(back.fields).toEqual([{ field: "a", now: "9", left: "2", becomes: "1", isConflict: true }]);
    expect(putBack([update("5", ["a", "1", "2"])], { a: "1" }, null).does).toBe("nothing");
  });

  test("a record that was deleted is made again, unless there is one", () => {
    const gone = change("8", "delete", [["a", "1", null]]);
    expect(putBack([gone], null, null)).toMatchObject({ does: "new", stands: "as-left", fields: [{ becomes: "1" }] });
    expect(putBack([gone], { a: "1" }, null)).toMatchObject({ does: "new", stands: "there" });
    // With what was changed before: as it was before that.
    expect(putBack([gone, update("7", ["a", "0", "1"])], null, null).fields[0]?.becomes).toBe("0");
  });

  test("a new record is deleted, unless it was changed since", () => {
    const made = change("3", "insert", [["a", null, "1"]]);
    expect(putBack([made], { a: "1" }, null)).toMatchObject({ does: "delete", stands: "as-left" });
    expect(putBack([made], { a: "2" }, null)).toMatchObject({ does: "delete", stands: "changed-since" });
    expect(putBack([made], null, null).does).toBe("nothing");
    expect(putBack([change("4", "delete", [["a", "1", null]]), made], null, null).does).toBe("nothing");
  });

  test("a record that is gone keeps its changes; values that are not told are named", () => {
    expect(putBack([update("5", ["a", "1", "2"])], null, null)).toMatchObject({ does: "nothing", stands: "gone" });
    const hidden = {
      id: "5",
      operation: "update",
      fields: [{ field: "s", old: null, new: null, hidden: true as const }],
    };
    expect(putBack([hidden], { a: "1" }, null)).toMatchObject({ does: "nothing", untold: ["s"], fields: [] });
    const erased = {
      id: "5",
      operation: "update",
      fields: [{ field: "s", old: null, new: null, erased: { old: "00" } }],
    };
    expect(putBack([erased], { s: "1" }, null).untold).toEqual(["s"]);
  });
});
