import { describe, expect, test } from "@jest/globals";
import { versionName } from "../statements/load.js";
import { mv014, scripted, tripOf } from "../testing/marrow-vale.js";
import { load } from "./load.js";
import { loadLists } from "./offer.js";

describe("Load", () => {
  test("one row by its key, with its version", async () => {
    const database = scripted({ load: [{ ...mv014, [versionName]: "733" }] });
    const record = await load(tripOf({ database }));
    expect(record?.version).toBe("733");
    expect(record?.row.warning_m).toBe("3.37");
    expect(database.sent[0]?.values).toEqual(["MV-014", "2"]);
  });

  test("no row is no record", async () => {
    expect(await load(tripOf({ key: ["MV-999"] }))).toBeNull();
  });

  test("options come from the enum's labels and from the referenced table", async () => {
    const lists = await loadLists(tripOf({ database: scripted({ choices: [{ value: "6", label: "Embersike" }] }) }));
    expect(lists.get("river_id")?.options).toEqual([{ value: "6", label: "Embersike" }]);
    expect(lists.get("status")?.options.map((option) => option.value)).toEqual([
      "planned",
      "live",
      "suspended",
      "retired",
    ]);
    expect(lists.has("name")).toBe(false);
  });
});
