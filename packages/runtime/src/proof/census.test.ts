import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Census, type CensusOptions, takeCensus } from "@loyal-quill/authoring";
import type { Page } from "@loyal-quill/core";
import { factsOf, nobody } from "@loyal-quill/core";
import { makeTrips, type Trips } from "../testing/trips.js";

const ledger = `format: loyal-quill/page@1
title: "{id}"
path: /ledger/{id}
record: { table: network.ledger, key: id }
fields:
  - label: { rules: [required, { min-length: 3 }, { max-length: 8 }, { pattern: "[a-z]+" }, { unique: ignoring-case }] }
  - amount: { rules: [{ min: 0 }, { max: "99.5" }, { step: "0.25" }] }
  - due: { rules: [{ min: 2020-01-01 }, { required: true, when: 'form.kind == "b"' }] }
  - kind: { rules: [{ one-of: [a, b] }] }
  - contact: { rules: [e-mail] }
  - river_id: { choices: { where: row.id <= 3 } }
checks:
  - { expect: form.amount < 50.0 || form.kind != "a", at: amount, message: Too much. }
  - { expect: form.label != actor.name, message: Not yours. }
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      `CREATE TABLE network.ledger (id integer PRIMARY KEY, label text, amount numeric, due date, kind text, contact text,
         river_id integer REFERENCES network.river)`,
      `INSERT INTO network.ledger
       SELECT n, CASE n % 7 WHEN 0 THEN NULL WHEN 1 THEN ' ' WHEN 2 THEN 'Ab' || n WHEN 3 THEN chr(160) ELSE 'abc' || chr(97 + n % 26) || repeat('x', n % 9) END,
         CASE WHEN n % 50 = 0 THEN 'NaN' WHEN n % 51 = 0 THEN 'Infinity' ELSE (n % 120) - 5 + (n % 5) / 4.0 END,
         CASE WHEN n % 8 = 1 THEN NULL ELSE date '2019-06-01' + n END, (ARRAY['a','b','c',NULL])[1 + n % 4],
         (ARRAY['a@b.example','nobody',NULL,'x@y'])[1 + n % 4], 1 + n % 6
       FROM generate_series(1, 3000) AS n`,
      "GRANT SELECT, UPDATE ON network.ledger TO quill_pages",
      "ANALYZE network.ledger",
    ],
    files: { ledger },
  });
});
afterAll(() => trips.close());

const facts = factsOf(nobody, new Date());

const page = (): Page => {
  const found = trips.site().pages.find((each) => each.name === "ledger");
  if (!found) throw new Error(JSON.stringify(trips.site().files.map((file) => file.findings)));
  return found;
};

const taken = (options: CensusOptions = {}): Promise<Census> => takeCensus(page(), facts, trips.database, options);

const counted = ({ counts }: Census) =>
  Object.fromEntries(
    counts.map(({ field, demand, when, refused }) => [`${field} ${demand}${when ? ` when ${when}` : ""}`, refused]),
  );

/** The same, said by PostgreSQL in words of its own. */
const expected: Readonly<Record<string, string>> = {
  "label required": "label IS NULL OR label IN (' ', chr(160))",
  "label at least 3 characters": "length(label) < 3",
  "label at most 8 characters": "length(label) > 8",
  "label pattern [a-z]+": "label !~ '^[a-z]+$'",
  "label unique, ignoring case":
    "lower(label) IN (SELECT lower(label) FROM network.ledger GROUP BY 1 HAVING count(*) > 1)",
  "amount minimum 0": "amount < 0 OR amount = 'NaN'",
  "amount maximum 99.5": "amount > 99.5",
  "amount step 0.25": "amount IN ('NaN', 'Infinity') OR amount % 0.25 <> 0",
  "due minimum 2020-01-01": "due < '2020-01-01'",
  'due required when form.kind == "b"': "kind = 'b' AND due IS NULL",
  "kind one of a, b": "kind NOT IN ('a', 'b')",
  "contact an e-mail address": "contact = 'nobody'",
  "river_id one of those offered: row.id <= 3": "river_id > 3",
  'amount form.amount < 50.0 || form.kind != "a"': "NOT (amount < 50 OR kind <> 'a')",
};

describe("a census", () => {
  test("counts exactly what each rule and check would refuse, and which", async () => {
    const census = await taken();
    expect(census.rows).toBe(3000);
    const found = counted(census);
    for (const [what, where] of Object.entries(expected)) {
      const { n } = (await trips.one(`SELECT count(*)::int AS n FROM network.ledger WHERE ${where}`)) as { n: number };
      expect([what, found[what]]).toEqual([what, n]);
    }
    expect(Object.keys(found).sort()).toEqual([...Object.keys(expected), "null form.label != actor.name"].sort());
    expect(census.counts.find((count) => count.demand.includes("actor"))).toMatchObject({
      refused: null,
      because: "it depends on who asks",
    });
    const oneOf = census.counts.find((count) => count.rule === "one-of");
    expect(oneOf?.examples.slice(0, 3)).toEqual([["2"], ["6"], ["10"]]);
    expect(oneOf?.examples).toHaveLength(20);
  });

  test("comes to the same in small parts, with progress that only grows, and while rows change", async () => {
    const whole = await taken();
    const told: number[] = [];
    const inParts = await taken({
      blocks: 1,
      onProgress: (done) => {
        told.push(done);
        if (told.length === 3) void trips.one("UPDATE network.ledger SET kind = 'c' WHERE id > 1500 RETURNING 1 AS n");
      },
    });
    expect(counted(inParts)).toEqual(counted(whole));
    expect(told.length).toBeGreaterThan(10);
    expect(told).toEqual([...told].sort((a, b) => a - b));
  });

  test("ends when it is cancelled, and gives its connection back", async () => {
    let turns = 0;
    await expect(taken({ blocks: 1, isCancelled: () => ++turns > 2 })).rejects.toThrow("cancelled");
    expect(turns).toBe(3);
    expect((await taken()).rows).toBe(3000);
  });

  test("offers statements that make the table hold a rule once the rows do", async () => {
    const { owner } = trips;
    await owner.query(
      `UPDATE network.ledger SET label = 'abcd' || translate(id::text, '0123456789', 'abcdefghij'), amount = 1.25, due = '2021-01-01', kind = 'b', contact = NULL`,
    );
    await owner.query("UPDATE network.ledger SET label = left(label, 8)");
    const { counts } = await taken();
    const holding = counts.filter((count) => count.hold !== null);
    expect(holding.length).toBeGreaterThan(8);
    for (const { hold, refused, demand, rule } of holding) {
      if (refused !== 0) throw new Error(`${rule} ${demand} still refuses ${refused}`);
      for (const statement of (hold?.up ?? "").split(";\n")) await owner.query(statement);
    }
    const refusal = (sql: string) =>
      owner.query(sql).then(
        () => "taken",
        (error: { constraint?: string; column?: string }) => error.constraint ?? error.column,
      );
    expect(await refusal("UPDATE network.ledger SET label = NULL WHERE id = 1")).toBe("label");
    expect(await refusal("UPDATE network.ledger SET amount = 1.3 WHERE id = 1")).toBe("ledger_amount_step");
    expect(await refusal("UPDATE network.ledger SET kind = 'a', amount = 60 WHERE id = 1")).toBe(
      "ledger_amount_kind_check",
    );
    expect(await refusal("UPDATE network.ledger SET amount = 2 WHERE id = 1")).toBe("taken");
  });
});
