import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const page = (name: string, key: string, fields: string, more = ""): string => `format: loyal-quill/page@1
title: "${name} {${key}}"
path: /${name}/{${key}}
record: { table: proof.${name}, key: ${key}${more} }
fields: ${fields}
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.note (id integer PRIMARY KEY, slug text, topic text, said text)",
      "CREATE UNIQUE INDEX note_slug ON proof.note (lower(slug))",
      "CREATE UNIQUE INDEX note_topic ON proof.note (lower(topic), id) WHERE said IS NULL",
      "INSERT INTO proof.note VALUES (1, 'High-Water', 'a', NULL), (2, 'low-water', 'b', NULL)",
      "CREATE TABLE proof.audit (modification_type text NOT NULL)",
      "CREATE TABLE proof.closed (id integer)",
      `CREATE FUNCTION proof.judge() RETURNS trigger LANGUAGE plpgsql SECURITY INVOKER AS $$
       BEGIN
         CASE NEW.said
           WHEN 'audit' THEN INSERT INTO proof.audit VALUES (NULL);
           WHEN 'gone' THEN INSERT INTO proof.no_such_table VALUES (1);
           WHEN 'closed' THEN INSERT INTO proof.closed VALUES (1);
           WHEN 'own code' THEN RAISE EXCEPTION 'The gauge is not ready.' USING ERRCODE = 'MY001';
           WHEN 'foreign code' THEN RAISE EXCEPTION 'The gauge is not ready.' USING ERRCODE = '38001';
           WHEN 'no return' THEN RAISE EXCEPTION 'The gauge is not ready.' USING ERRCODE = '2F000';
           WHEN 'division' THEN NEW.said := 1 / (length(NEW.said) - 8);
           ELSE
         END CASE;
         RETURN NEW;
       END $$`,
      "CREATE TRIGGER judge BEFORE UPDATE ON proof.note FOR EACH ROW EXECUTE FUNCTION proof.judge()",
      "CREATE TABLE proof.flow (day date NOT NULL, site text NOT NULL, value integer CHECK (value < 100), PRIMARY KEY (site, day)) PARTITION BY RANGE (day)",
      "CREATE TABLE proof.flow_2026 PARTITION OF proof.flow FOR VALUES FROM ('2026-01-01') TO ('2027-01-01')",
      "CREATE UNIQUE INDEX ON proof.flow_2026 (lower(site)) WHERE value = 7",
      "INSERT INTO proof.flow VALUES ('2026-01-01', 'a', 1), ('2026-01-02', 'b', 2)",
      "CREATE TABLE proof.place (code text PRIMARY KEY)",
      "CREATE TABLE proof.lamp (id integer PRIMARY KEY, place text NOT NULL REFERENCES proof.place)",
      "INSERT INTO proof.place VALUES ('P1'), ('P2')",
      "INSERT INTO proof.lamp VALUES (1, 'P1')",
      "CREATE TABLE proof.tank (code text PRIMARY KEY) PARTITION BY HASH (code)",
      "CREATE TABLE proof.tank_all PARTITION OF proof.tank FOR VALUES WITH (MODULUS 1, REMAINDER 0)",
      "CREATE TABLE proof.tap (id integer PRIMARY KEY, tank text NOT NULL REFERENCES proof.tank)",
      "INSERT INTO proof.tank VALUES ('T1')",
      "INSERT INTO proof.tap VALUES (1, 'T1')",
      "CREATE TABLE proof.ruled (id integer PRIMARY KEY, name text)",
      "INSERT INTO proof.ruled VALUES (1, 'one')",
      "CREATE RULE keep AS ON UPDATE TO proof.ruled DO INSTEAD NOTHING",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE ON ALL TABLES IN SCHEMA proof TO quill_pages",
      "REVOKE ALL ON proof.closed FROM quill_pages",
    ],
    files: {
      note: page("note", "id", "[slug, topic, said]"),
      flow: page("flow", "site", "[value]", "")
        .replace("/{site}", "/{site}/{day}")
        .replace("key: site", "key: [site, day]"),
      place: page("place", "code", "[code]", ", key-editable: true"),
      tank: page("tank", "code", "[code]", ", key-editable: true"),
      ruled: page("ruled", "id", "[name]"),
    },
  });
});
afterAll(() => trips.close());

const attempt = async (address: string, edits: Record<string, string>) => {
  const form = await trips.open(address, tamsin);
  return trips.save(address, tamsin, form, edits);
};

describe("a refusal names what it concerns", () => {
  test("the fields of a unique index on an expression", async () => {
    const { response } = await attempt("/note/2/edit", { slug: "HIGH-water" });
    expect(response.status).toBe(422);
    expect(response.body).toContain(
      '<a href="#field-1">Slug is already used by another record: enter a different one.</a>',
    );
  });

  test("the fields of a partition, whose constraints have names of their own", async () => {
    const { response } = await attempt("/flow/a/2026-01-01/edit", { value: "100" });
    expect(response.body).toContain("Value is above 99");
    await trips.owner.query("UPDATE proof.flow SET value = 7 WHERE site = 'b'");
    await trips.owner.query("UPDATE proof.flow SET site = 'B' WHERE site = 'a'");
    const taken = await attempt("/flow/B/2026-01-01/edit", { value: "7" });
    expect(taken.response.status).toBe(422);
    expect(taken.response.body).toMatch(/Value together with Site is already used by another record\./);
  });

  test("the records of another table that refer to a key which is to change", async () => {
    const { response } = await attempt("/place/P1/edit", { code: "P3" });
    expect(response.status).toBe(422);
    expect(response.body).toContain("Code can&#39;t be changed: records in Lamp refer to it.");
    // A partition is referred to by a constraint of another name.
    const parted = await attempt("/tank/T1/edit", { code: "T2" });
    expect(parted.response.status).toBe(422);
    expect(parted.response.body).toContain("Code can&#39;t be changed: records in Tap refer to it.");
  });

  test("another table that a trigger could not write to, and that it was a trigger", async () => {
    const { response } = await attempt("/note/1/edit", { said: "audit" });
    expect(response.status).toBe(422);
    expect(response.body).toContain(
      "A trigger of the database refused this, so nothing was saved. It could not write to proof.audit: null value in column",
    );
    expect(response.body).not.toContain("Modification type is needed");
    expect(formOf(response.body).get("said")).toBe("audit");
  });

  test.each([
    ["gone", "relation &quot;proof.no_such_table&quot; does not exist"],
    ["closed", "permission denied for table closed"],
    ["division", "division by zero"],
  ])("what is wrong inside a trigger is the trigger's matter, not the page's: %s", async (said, message) => {
    const { response } = await attempt("/note/1/edit", { said });
    expect([response.status, formOf(response.body).get("said")]).toEqual([422, said]);
    expect(response.body).toContain(`A trigger of the database refused this, so nothing was saved: ${message}`);
  });
});

describe("a refusal is one, whatever its code", () => {
  test.each(["own code", "foreign code", "no return"])("a trigger's own SQLSTATE: %s", async (said) => {
    const { response, recorded } = await attempt("/note/1/edit", { said });
    expect([response.status, recorded.outcome]).toEqual([422, "invalid"]);
    expect(response.body).toContain("The database refuses this: The gauge is not ready.");
    expect(formOf(response.body).get("said")).toBe(said);
    expect(await trips.one("SELECT said FROM proof.note WHERE id = 1")).toEqual({ said: null });
  });

  test("a table whose updates a rule rewrites is told by the review, and its saves are answered", async () => {
    const file = trips.site().files.find((each) => each.name === "ruled");
    expect(file?.findings.map(({ code, severity, line }) => [code, severity, line])).toEqual([
      ["open-to-everybody", "warning", expect.any(Number)],
      ["rewrite-rule", "warning", 4],
    ]);
    const { response } = await attempt("/ruled/1/edit", { name: "two" });
    expect(response.status).toBe(503);
    expect(response.body).toContain("This page does not fit its table any more");
    expect(formOf(response.body).get("name")).toBe("two");
  });
});
