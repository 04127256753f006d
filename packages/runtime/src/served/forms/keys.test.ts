import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Actor } from "@loyal-quill/core";
import { formOf } from "@loyal-quill/testing";
import { hollis, makeTrips, type Trips } from "../../testing/trips.js";

const dara: Actor = { id: "dara", name: "Dara Lindqvist", roles: ["duty-officer"], attributes: { team: "duty" } };
const odd = [
  "a/b",
  "..",
  ".",
  "",
  "~",
  "50 %",
  "%2F",
  "a b",
  "ä ö",
  "🌊",
  "'; --",
  'quo"te',
  "?q=1#x",
  "\\",
  "a\tb",
  "\u00e9",
  "e\u0301",
];

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      'CREATE TABLE proof.odd ("Key" text PRIMARY KEY, note text)',
      "CREATE TABLE proof.net (address inet PRIMARY KEY, note text)",
      "CREATE TABLE proof.keyless (a text, b text UNIQUE, note text)",
      `INSERT INTO proof.odd SELECT * FROM unnest(ARRAY[${odd.map((_, index) => `$${index + 1}`).join(",")}]::text[], ARRAY[]::text[])`.replace(
        /\$\d+/g,
        (place) => `'${(odd[Number(place.slice(1)) - 1] ?? "").replaceAll("'", "''")}'`,
      ),
      "INSERT INTO proof.net VALUES ('10.0.0.1', NULL)",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, UPDATE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
  });
});
afterAll(() => trips.close());

describe("keys", () => {
  test("of any text are opened, saved and listed", async () => {
    await trips.reloadWith({
      odd: `format: loyal-quill/page@1\ntitle: "{Key}"\npath: /odd/{Key}\nrecord: { table: proof.odd, key: Key }\nfields: [Key, note]\n`,
    });
    const list = (await trips.send("GET", "/odd", hollis)).response.body;
    const addresses = [...list.matchAll(/href="(\/odd\/[^"]+\/edit)"/g)].map((match) =>
      (match[1] ?? "").replaceAll("&#39;", "'"),
    );
    expect(addresses).toHaveLength(odd.length);
    for (const address of addresses) {
      const { recorded } = await trips.save(address, hollis, await trips.open(address, hollis), {
        note: `at ${address}`,
      });
      expect([address, recorded?.outcome]).toEqual([address, "saved"]);
    }
    const { rows } = await trips.owner.query<{ Key: string; note: string }>('SELECT "Key", note FROM proof.odd');
    expect(rows.map((row) => row.Key).sort()).toEqual([...odd].sort());
    expect(new Set(rows.map((row) => row.note)).size).toBe(odd.length);
  });

  test("of a type that only PostgreSQL can judge are refused by it, not crashed on", async () => {
    await trips.reloadWith({
      net: `format: loyal-quill/page@1\ntitle: "{address}"\npath: /nets/{address}\nrecord: { table: proof.net, key: address }\nfields: [address, note]\n`,
    });
    expect((await trips.send("GET", "/nets/10.0.0.1/edit", hollis)).response.status).toBe(200);
    expect((await trips.send("GET", "/nets/10.0.0.256/edit", hollis)).response.status).toBe(400);
    expect((await trips.send("GET", "/nets/10.0.0.2/edit", hollis)).response.status).toBe(404);
  });

  test("that are not safe are refused with the reason", async () => {
    await trips.reloadWith({
      keyless: `format: loyal-quill/page@1\ntitle: "{b}"\npath: /keyless/{b}\nrecord: { table: proof.keyless, key: b }\nfields: [note]\n`,
    });
    const findings = trips.site().files.find((file) => file.name === "keyless")?.findings;
    expect(findings?.[0]?.message).toContain("b is not a unique and not-null set of columns");
    expect(findings?.[0]?.message).toContain("This table has no safe key: give it a primary key.");
  });

  test("that may be edited lead on to the new address, and the log follows the record", async () => {
    await trips.reloadWith({});
    const { slug } = await trips.one<{ slug: string }>(
      "SELECT slug FROM office.bulletin WHERE team = 'duty' AND state = 'planned' LIMIT 1",
    );
    const path = (name: string): string => `/bulletins/${name}/edit`;
    const opened = await trips.open(path(slug), dara);
    const first = await trips.save(path(slug), dara, opened, { headline: "Gauges rest, Straße & Ufer", slug: "" });
    expect(first.response.headers.location).toBe("/bulletins/gauges-rest-strasse-ufer/edit");
    const renamed = "gauges-rest-strasse-ufer";
    const entry = await trips.one("SELECT record_key, new_key FROM quill_log.change ORDER BY id DESC LIMIT 1");
    expect(entry).toEqual({ record_key: { slug }, new_key: { slug: renamed } });
    expect((await trips.send("GET", path(slug), dara)).response.status).toBe(404);

    // Somebody who had the form open before finds the record gone from its address, and keeps what was typed.
    const late = await trips.save(path(slug), dara, opened, { body: "Typed meanwhile" });
    expect(late.response.status).toBe(404);
    expect(late.response.body).toContain("Typed meanwhile");

    const stale = await trips.open(path(renamed), dara);
    await trips.save(
      path(renamed),
      { ...dara, id: "wilma", name: "Wilma Prior" },
      await trips.open(path(renamed), { ...dara, id: "wilma" }),
      { headline: "Gauges rest again" },
    );
    const again = await trips.save(path(renamed), dara, stale, { headline: "Gauges rest for ever" });
    expect(again.response.status).toBe(409);
    expect(again.response.body).toContain("Stored now by Wilma Prior");

    const form = formOf(again.response.body);
    const taken = await trips.one<{ slug: string }>("SELECT slug FROM office.bulletin WHERE slug <> $1 LIMIT 1", [
      renamed,
    ]);
    const { response } = await trips.save(path(renamed), dara, form, { slug: taken.slug });
    expect(response.status).toBe(422);
    expect(response.body).toContain("Address is already used by another record");
  });

  test("a rule of its own, a conditional one, a choice that is not offered: all messages at once", async () => {
    const { slug } = await trips.one<{ slug: string }>(
      "SELECT slug FROM office.bulletin WHERE team = 'duty' AND state = 'planned' LIMIT 1",
    );
    const path = `/bulletins/${slug}/edit`;
    const inactive = await trips.one<{ id: string }>("SELECT id FROM office.person WHERE NOT active LIMIT 1");
    const form = await trips.open(path, dara);
    const { response } = await trips.save(path, dara, form, {
      slug: "Not-Good_",
      headline: "Short",
      author_id: inactive.id,
      publish_at: "",
    });
    expect(response.body).toContain("An address has small letters");
    expect(response.body).toContain("at least 10 are needed");
    expect(response.body).toContain("Author must be one of the choices offered.");
    const published = await trips.save(path, dara, form, { state: "published", publish_at: "" });
    expect(published.response.body).toContain("Publish at is needed");
  });

  test("a planned bulletin is published in the future", async () => {
    const { slug } = await trips.one<{ slug: string }>(
      "SELECT slug FROM office.bulletin WHERE team = 'duty' AND state = 'planned' LIMIT 1",
    );
    const path = `/bulletins/${slug}/edit`;
    const { response } = await trips.save(path, dara, await trips.open(path, dara), { publish_at: "2001-01-01T10:00" });
    expect(response.body).toContain("A planned bulletin must be published in the future.");
  });
});
