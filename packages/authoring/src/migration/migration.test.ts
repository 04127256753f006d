import { describe, expect, test } from "@jest/globals";
import { migrationFiles } from "./migration.js";

const at = new Date("2026-11-26T09:15:07.250Z");
const a = {
  name: "a_max",
  up: "ALTER TABLE t ADD CONSTRAINT a_max CHECK (a < 1);",
  down: "ALTER TABLE t DROP CONSTRAINT a_max;",
};
const b = { name: "b_index", up: "CREATE INDEX CONCURRENTLY b_index ON t (b);", down: "DROP INDEX b_index;" };

describe("a migration", () => {
  test("is two numbered files, of which the second takes back what the first does, last first", () => {
    const { up, down } = migrationFiles([a, b], "Station: Regeln & Indexe", at);
    expect([up.name, down.name]).toEqual([
      "20261126091507_station_regeln_indexe.up.sql",
      "20261126091507_station_regeln_indexe.down.sql",
    ]);
    expect(up.text).toBe(
      "-- Not inside of a transaction: an index that is made or dropped CONCURRENTLY refuses to be in one.\n\n-- a_max\nALTER TABLE t ADD CONSTRAINT a_max CHECK (a < 1);\n\n-- b_index\nCREATE INDEX CONCURRENTLY b_index ON t (b);\n",
    );
    expect(down.text).toBe("-- b_index\nDROP INDEX b_index;\n\n-- a_max\nALTER TABLE t DROP CONSTRAINT a_max;\n");
  });

  test("has a name whatever it is called", () => {
    expect(migrationFiles([a], "…", at).up.name).toBe("20261126091507_change.up.sql");
  });
});
