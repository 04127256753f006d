import { spawnSync } from "node:child_process";
import { generateKeyPairSync } from "node:crypto";
import { mkdir, mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { ExportForm } from "@loyal-quill/core";
import { connect, readCopies, type VerifyReport, verifyLog } from "@loyal-quill/runtime";
import { freshDatabase, pastPooler, type TestDatabase } from "@loyal-quill/testing";
import { CloudEvent } from "cloudevents";
import pg from "pg";
import { installLog } from "./log.js";
import { exportLog } from "./log-export.js";
import { dropMonths, erase, importLog, keep, notify } from "./log-keep.js";
import { seal, verify } from "./log-verify.js";

const python = fileURLToPath(new URL("../../../../docs/verify-log.py", import.meta.url));
const now = new Date();

let made: TestDatabase;
let owner: pg.Client;
let pool: pg.Pool;
let directory: string;
beforeAll(async () => {
  made = await freshDatabase();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-log-"));
  owner = new pg.Client(made.owner);
  await owner.connect();
  pool = connect(made.owner, 2);
});
afterAll(async () => {
  await owner.end();
  await pool.end();
  await rm(directory, { recursive: true, force: true });
  await made.drop();
});

const lines = async (run: (say: (line: string) => void) => Promise<unknown>): Promise<string[]> => {
  const said: string[] = [];
  await run((line) => said.push(line));
  return said;
};
async function verified(): Promise<VerifyReport> {
  const client = await pool.connect();
  try {
    return await verifyLog(client);
  } finally {
    client.release();
  }
}
async function exported(format: ExportForm, since?: string): Promise<{ text: string; cursor: string }> {
  const parts: string[] = [];
  const cursor = await exportLog(
    { database: made.owner, format, since, source: "https://records.example/" },
    async (part) => void parts.push(part),
  );
  return { text: parts.join(""), cursor };
}
/** What the verifier in the docs says. */
async function byPython(text: string): Promise<{ status: number | null; said: string }> {
  const file = path.join(directory, "log.jsonl");
  await writeFile(file, text);
  const { status, stdout, stderr } = spawnSync("python3", [python, file], { encoding: "utf8" });
  return { status, said: `${stdout}${stderr}`.trim() };
}
const add = (table: string, key: string, fields: string, reason: string | null = null): Promise<unknown> =>
  owner.query(
    "SELECT quill_log.add_change('p', 'P', 'page', 'v', $1, $2, 'update', $3, gen_random_uuid(), $4, NULL, NULL)",
    [table, key, fields, reason],
  );

describe("seals that are written elsewhere", () => {
  test("to a file, and to an address, signed; a place that is away does not keep them from the log", async () => {
    const got: { body: string; headers: NodeJS.Dict<string | string[]> }[] = [];
    const server = createServer((request, response) => {
      let body = "";
      request.on("data", (part) => {
        body += String(part);
      });
      request.on("end", () => {
        got.push({ body, headers: request.headers });
        response.end();
      });
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const { port } = server.address() as AddressInfo;
    const file = path.join(directory, "seals");
    await add("t.t", '{"id":"1"}', '[{"field":"a","old":"1","new":"2"}]');
    const secret = "a secret of webhooks, long enough";
    const to = [file, `http://127.0.0.1:${port}/`, "http://127.0.0.1:9/"];
    expect(await seal({ database: made.owner, privateKey: undefined, to, secret }, () => {})).toBe(1);
    const kept = (await readFile(file, "utf8")).trim().split("\n");
    expect(kept.length).toBeGreaterThan(0);
    expect(got.map(({ body }) => body)).toEqual(kept);
    expect(got[0]?.headers).toMatchObject({
      "webhook-id": `seal-${JSON.parse(kept[0] ?? "").number}`,
      "webhook-signature": expect.stringMatching(/^v1,/),
    });
    server.close();
    expect(await readCopies(file)).toHaveLength(kept.length);
    await writeFile(file, "nonsense");
    await expect(readCopies(file)).rejects.toThrow("line 1 is no seal");
  });
});

describe("a place that seals are sent to", () => {
  const database = (): string => made.owner;
  const sealing = async (to: readonly string[], more: { privateKey?: string; all?: boolean } = {}): Promise<number> => {
    await add("t.t", '{"id":"1"}', '[{"field":"a","old":"1","new":"2"}]');
    return seal({ database: database(), privateKey: undefined, secret: undefined, to, ...more }, () => {});
  };
  const heldAgainst = (seals: readonly string[]): Promise<string[]> =>
    lines((say) =>
      verify(
        {
          database: database(),
          table: undefined,
          key: {},
          from: undefined as never,
          to: undefined as never,
          publicKey: undefined,
          seals,
          json: false,
        },
        say,
      ),
    );
  const numbers = async (file: string): Promise<string[]> =>
    (await readFile(file, "utf8"))
      .trim()
      .split("\n")
      .map((line) => (JSON.parse(line) as { number: string }).number);
  const last = async (): Promise<number> =>
    Number((await owner.query("SELECT max(number)::text AS n FROM quill_log.seal")).rows[0].n);
  const upTo = (from: number, to: number): string[] =>
    Array.from({ length: to - from + 1 }, (_, index) => String(from + index));

  test("gets what it could not take at the next occasion, each place by its own mark", async () => {
    const away = path.join(directory, "away", "seals");
    const there = path.join(directory, "there");
    const first = (await last()) + 1;
    expect(await sealing([away, there])).toBe(1);
    expect(await sealing([away, there])).toBe(1);
    expect(await numbers(there)).toEqual(upTo(first, first + 1));
    await mkdir(path.dirname(away));
    // Nothing is new: what is lacking is sent all the same.
    expect(
      await seal({ database: database(), privateKey: undefined, secret: undefined, to: [away, there] }, () => {}),
    ).toBe(0);
    expect(await numbers(away)).toEqual(upTo(first, first + 1));
    expect(await numbers(there)).toEqual(upTo(first, first + 1));
    expect(await sealing([away])).toBe(0);
    expect(await sealing([there])).toBe(0);
    expect([await numbers(away), await numbers(there)]).toEqual([upTo(first, first + 2), upTo(first, first + 3)]);
  });

  test("gets all that it lacks with --all: a file what is not in it", async () => {
    const file = path.join(directory, "all");
    expect(await sealing([file])).toBe(0);
    const [own] = await numbers(file);
    expect(await sealing([file], { all: true })).toBe(0);
    expect((await numbers(file)).toSorted((a, b) => Number(a) - Number(b))).toEqual(upTo(1, await last()));
    expect((await numbers(file)).filter((number) => number === own)).toHaveLength(1);
  });

  test("is a command as well; one that fails is asked again", async () => {
    const file = path.join(directory, "by-command");
    const command = `| test -e ${directory}/ready && cat >> ${file}`;
    const first = (await last()) + 1;
    expect(await sealing([command])).toBe(1);
    await writeFile(path.join(directory, "ready"), "");
    expect(await sealing([command])).toBe(0);
    expect(await numbers(file)).toEqual(upTo(first, first + 1));
    const report = await heldAgainst([`| cat ${file}`, file]);
    expect(report[0]).toMatch(/^Held against 2 seals from elsewhere, the last of which is seal \d+\./);
  });

  test("holds no secret in the log: an address stands there with its digest", async () => {
    await sealing(["http://127.0.0.1:9/keep?token=a-secret"]);
    const { rows } = await owner.query("SELECT string_agg(place, ' ') AS places FROM quill_log.sent");
    expect(rows[0].places).toContain("127.0.0.1:9 ");
    expect(rows[0].places).not.toContain("a-secret");
  });

  test("says in its first line what can't be ruled out without", async () => {
    const said = await heldAgainst([]);
    expect(said[0]).toContain("There were no seals from elsewhere: that the log's owner has rewritten it");
  });

  test("a signature that is gone is noticed, between others and at the end", async () => {
    const { privateKey, publicKey } = generateKeyPairSync("ed25519");
    const pem = privateKey.export({ type: "pkcs8", format: "pem" }).toString();
    const key = publicKey.export({ type: "spki", format: "pem" }).toString();
    const looked = async (): Promise<string[]> => {
      const pool = connect(made.owner, 1);
      const client = await pool.connect();
      const { findings } = await verifyLog(client, { publicKey: key });
      client.release();
      await pool.end();
      return findings.map(({ kind, said }) => `${kind}: ${said}`);
    };
    expect(await looked()).toEqual(["signature: No seal is signed by any key."]);
    for (let turn = 0; turn < 3; turn++) await sealing([], { privateKey: pem });
    expect(await looked()).toEqual([]);
    await owner.query(
      "UPDATE quill_log.seal SET signature = NULL WHERE number = (SELECT max(number) - 1 FROM quill_log.seal)",
    );
    expect(await looked()).toEqual(["signature: It is not signed, and one before it is."]);
    await owner.query("UPDATE quill_log.seal SET signature = NULL");
  });
});

describe("the verifier in the docs", () => {
  test("has a hundred lines or so, and finds a sound log sound", async () => {
    const source = await readFile(python, "utf8");
    expect(source.split("\n").length).toBeLessThanOrEqual(115);
    const { text } = await exported("jsonl");
    expect(await byPython(text)).toEqual({
      status: 0,
      said: expect.stringMatching(/^\d+ entries, \d+ seals: nothing is wrong\.$/),
    });
  });

  test.each<[string, (text: string) => string, string]>([
    ["a value", (text) => text.replace('"new":"2"', '"new":"3"'), "changed"],
    [
      "an entry that is gone",
      (text) =>
        text
          .split("\n")
          .filter((_line, index) => index !== 40)
          .join("\n"),
      "missing, seal",
    ],
    ["a seal's root", (text) => text.replace(/"root":"./, '"root":"x'), "changed, or not chained"],
    ["a person", (text) => text.replace('"name":"P"', '"name":"Q"'), "changed"],
  ])("finds %s", async (_what, tamper, expected) => {
    const { text } = await exported("jsonl");
    const tampered = tamper(text);
    expect(tampered === text).toBe(false);
    const { status, said } = await byPython(tampered);
    expect(status).toBe(1);
    expect(said).toContain(expected);
  });
});

describe("quill log export", () => {
  test("goes on where it ended, and what came late is not left out", async () => {
    const { text, cursor } = await exported("jsonl");
    expect(JSON.parse(text.trim().split("\n").at(-1) ?? "")).toEqual({ type: "cursor", cursor });
    expect((await exported("csv", cursor)).text).toBe("");
    const late = new pg.Client(made.owner);
    await late.connect();
    await late.query("BEGIN");
    await late.query(
      `SELECT quill_log.add_change('late', 'Late', 'p', 'v', 't.t', '{"id":"7"}', 'update', '[]', NULL, NULL, NULL, NULL)`,
    );
    await add("t.t", '{"id":"8"}', "[]");
    const next = await exported("cloudevents", cursor);
    expect(
      next.text
        .trim()
        .split("\n")
        .map((line) => JSON.parse(line).data.key.id),
    ).toEqual(["8"]);
    await late.query("COMMIT");
    await late.end();
    const last = await exported("cloudevents", next.cursor);
    expect(
      last.text
        .trim()
        .split("\n")
        .map((line) => JSON.parse(line).data.key.id),
    ).toEqual(["7"]);
    expect((await exported("cloudevents", last.cursor)).text).toBe("");
    await expect(exported("jsonl", "x")).rejects.toThrow("--since takes what an earlier export told");
  });

  test("CloudEvents 1.0, by the specification's own library; CSV of a line a field", async () => {
    const events = (await exported("cloudevents")).text
      .trim()
      .split("\n")
      .map((line) => JSON.parse(line));
    for (const each of events) expect(new CloudEvent(each).validate()).toBe(true);
    await add(
      "t.t",
      '{"id":"9"}',
      '[{"field":"a","old":null,"new":"=1+1"},{"field":"b, c","old":"x\\ny","new":null}]',
      "why",
    );
    const rows = (await exported("csv")).text.trimEnd().split("\r\n");
    expect(rows[0]).toBe(
      "id,at,actor_id,actor_name,page,table,key,new_key,operation,field,old,new,hidden,reason,way,undoes,request",
    );
    expect(rows.at(-2)).toContain(`,a,,'=1+1,`);
    expect(rows.at(-1)).toContain(`,"b, c","x\ny",,,why,page,`);
  });
});

describe("quill log erase", () => {
  const key = '{"id":"person-1"}';
  test("erases nothing where a field is not known", async () => {
    await add("t.person", '{"id":"77"}', '[{"field":"name","old":"a","new":"b"}]');
    // The cursor at its end tells of the whole server's transactions.
    const written = async (): Promise<string> => (await exported("jsonl")).text.replace(/^\{"type":"cursor".*$/m, "");
    const before = await written();
    await expect(
      erase(
        {
          database: made.owner,
          table: "t.person",
          key: { id: "77" },
          fields: ["name", "nme"],
          reasons: false,
          by: "x",
          why: "x",
        },
        () => {},
      ),
    ).rejects.toThrow("t.person has no field nme, but name. Nothing was erased.");
    expect(await written()).toBe(before);
  });

  test("takes values away; the log verifies, here and by the verifier in the docs, and says by whom and when", async () => {
    await add(
      "t.person",
      key,
      '[{"field":"telephone","old":"0100 1","new":"0100 2"},{"field":"role","old":"a","new":"b"}]',
      "Called me at 0100 2.",
    );
    await add("t.person", key, '[{"field":"telephone","old":"0100 2","new":null}]');
    await seal({ database: made.owner, privateKey: undefined, to: [], secret: undefined }, () => {});
    const options = {
      database: made.owner,
      table: "t.person",
      key: { id: "person-1" },
      fields: ["telephone"],
      reasons: true,
      by: "Ines",
      why: "Asked for on paper.",
    };
    expect(await lines((say) => erase(options, say))).toEqual([
      expect.stringMatching(/^Erased from 2 entries, seal \d+\.$/),
    ]);
    const { rows } = await owner.query(
      "SELECT fields, reason, kept, salt::text FROM quill_log.change WHERE table_name = 't.person' AND record_key = $1 ORDER BY id",
      [key],
    );
    expect(JSON.stringify(rows)).not.toMatch(/0100 [12]/);
    expect(rows[0].fields[1]).toEqual({ field: "role", old: "a", new: "b" });
    const report = await verified();
    expect(report.findings).toEqual([]);
    expect(report.counts.erased).toBe(2);
    const { text } = await exported("jsonl");
    expect(await byPython(text)).toMatchObject({ status: 0 });
    expect(text).toContain('\\"by\\": \\"Ines\\"');
    expect(await lines((say) => erase(options, say))).toEqual([
      "There is nothing to erase: the log has no such values of this record.",
    ]);
  });

  test("what is left of such an entry is still bound", async () => {
    await owner.query("BEGIN");
    await owner.query(
      `UPDATE quill_log.change SET fields = jsonb_set(fields, '{1,new}', '"c"') WHERE table_name = 't.person' AND record_key = $1 AND jsonb_array_length(fields) = 2`,
      [key],
    );
    await owner.query("COMMIT");
    expect((await verified()).findings.map(({ kind }) => kind)).toEqual(["changed", "root", "act"]);
    await owner.query(
      `UPDATE quill_log.change SET fields = jsonb_set(fields, '{1,new}', '"b"') WHERE table_name = 't.person' AND record_key = $1 AND jsonb_array_length(fields) = 2`,
      [key],
    );
    expect((await verified()).findings).toEqual([]);
  });

  test("is the owner's only, and wants to be told what", async () => {
    const options = {
      database: made.pages,
      table: "t.t",
      key: { id: "1" },
      fields: ["a"],
      reasons: false,
      by: "x",
      why: "y",
    };
    await expect(erase(options, () => {})).rejects.toThrow("It is done as the log's owner.");
    await expect(erase({ ...options, fields: [] }, () => {})).rejects.toThrow("What is to be erased?");
    await expect(erase({ ...options, key: {} }, () => {})).rejects.toThrow("Of which record?");
  });
});

describe("quill log keep and drop", () => {
  const database = (): string => made.owner;
  test("a month goes when everything in it may go, after a seal that says so; the rest still verifies", async () => {
    expect(
      await lines((say) =>
        keep({ database: database(), table: undefined, months: undefined, last: 0, forever: false }, say),
      ),
    ).toEqual(["Everything is kept."]);
    const dry = (): Promise<string[]> =>
      lines((say) => dropMonths({ database: database(), now, dryRun: true, by: "Ines" }, say));
    expect((await dry()).every((line) => line.includes("kept: ") && line.includes("has no rule"))).toBe(true);
    await expect(
      keep({ database: database(), table: "network.statoin", months: 3, last: 0, forever: false }, () => {}),
    ).rejects.toThrow("There is no table network.statoin, and the log has no entry of one.");
    await keep({ database: database(), table: "*", months: 3, last: 0, forever: false }, () => {});
    await keep({ database: database(), table: "network.region", months: 600, last: 0, forever: false }, () => {});
    const months = await dry();
    expect(months.some((line) => line.endsWith("may go"))).toBe(true);
    const before = (await verified()).counts;
    const dropped = await lines((say) => dropMonths({ database: database(), now, dryRun: false, by: "Ines" }, say));
    expect(dropped.filter((line) => line.includes("dropped, seal")).length).toBe(
      months.filter((line) => line.endsWith("may go")).length,
    );
    const after = await verified();
    expect(after.findings).toEqual([]);
    expect(after.counts.dropped).toBeGreaterThan(0);
    // Each drop is an entry itself.
    const acts = dropped.filter((line) => line.includes("dropped, seal")).length;
    expect(after.counts.entries + after.counts.dropped).toBe(before.entries + acts);
    expect(await byPython((await exported("jsonl")).text)).toMatchObject({ status: 0 });
    const { rows } = await owner.query("SELECT detail->>'by' AS by FROM quill_log.seal WHERE kind = 'dropped' LIMIT 1");
    expect(rows).toEqual([{ by: "Ines" }]);
  });

  test("what lies in the default partition goes to its month first, and with it", async () => {
    await owner.query(
      `SELECT quill_log.append(m, 'old', 'Old Clerk', '', '', 't.old', '{"id":"1"}', 'update', '[]', NULL, NULL, NULL, NULL, 'import', NULL) FROM unnest('{1999-01-05Z,1999-01-06Z,1999-03-01Z}'::timestamptz[]) AS m`,
    );
    const inDefault = async (): Promise<number> =>
      (await owner.query("SELECT count(*)::integer AS count FROM quill_log.change_default WHERE way <> 'log'")).rows[0]
        .count;
    const before = await inDefault();
    const drop = (dryRun: boolean): Promise<string[]> =>
      lines((say) => dropMonths({ database: database(), now, dryRun, by: "Ines" }, say));
    const dry = await drop(true);
    expect(dry[0]).toMatch(/^\d+ entries of the default partition would be moved to those of their months\.$/);
    expect(dry).toEqual(expect.arrayContaining(["1999-01  2 entries  may go", "1999-03  1 entry  may go"]));
    expect(await inDefault()).toBe(before);
    const said = await drop(false);
    expect(said).toEqual(
      expect.arrayContaining([
        expect.stringMatching(/^1999-01 {2}2 entries {2}dropped, seal \d+$/),
        expect.stringMatching(/^1999-03 {2}1 entry {2}dropped, seal \d+$/),
      ]),
    );
    expect((await verified()).findings).toEqual([]);
    // What comes of a month after it was dropped goes by itself.
    await owner.query(
      `SELECT quill_log.append('1999-01-07Z', 'old', 'Old Clerk', '', '', 't.old', '{"id":"1"}', 'update', '[]', NULL, NULL, NULL, NULL, 'import', NULL)`,
    );
    expect(await drop(false)).toEqual(
      expect.arrayContaining([expect.stringMatching(/^1999-01 {2}1 entry {2}dropped/)]),
    );
    expect((await verified()).findings).toEqual([]);
    expect(await byPython((await exported("jsonl")).text)).toMatchObject({ status: 0 });
  });

  test("a rule keeps so many entries of each record, however old", async () => {
    await keep({ database: database(), table: "*", months: 1, last: 1000, forever: false }, () => {});
    const kept = await lines((say) => dropMonths({ database: database(), now, dryRun: true, by: "x" }, say));
    expect(kept.some((line) => line.includes("the last 1000 of each record"))).toBe(true);
    expect(kept.some((line) => line.endsWith("may go"))).toBe(false);
  });

  test("a month whose entries are not those that were sealed is not dropped", async () => {
    await keep({ database: database(), table: "*", months: 1, last: 0, forever: false }, () => {});
    await owner.query(
      `SELECT quill_log.append(m, 'old', 'Old Clerk', '', '', 't.old', '{"id":"2"}', 'update', '[]', NULL, NULL, NULL, NULL, 'import', NULL) FROM unnest('{1999-05-05Z,1999-05-06Z}'::timestamptz[]) AS m`,
    );
    await seal({ database: database(), privateKey: undefined, to: [], secret: undefined }, () => {});
    const { rowCount } = await owner.query("DELETE FROM quill_log.change WHERE at = '1999-05-05Z'");
    expect(rowCount).toBe(1);
    await expect(dropMonths({ database: database(), now, dryRun: false, by: "x" }, () => {})).rejects.toThrow(
      "are not those that were sealed: verify the log first",
    );
  });
});

describe("quill log import", () => {
  const line = (more: Record<string, unknown>): string =>
    JSON.stringify({
      at: "2020-05-01T10:00:00Z",
      actor: { id: "old", name: "Old Clerk" },
      table: "t.t",
      key: { id: "1" },
      operation: "update",
      fields: [{ field: "a", old: "x", new: "y" }],
      ...more,
    });

  test("adds another history by its times, marked as such, all of it or nothing", async () => {
    const file = path.join(directory, "history.jsonl");
    await writeFile(
      file,
      [line({ at: "2020-06-01T10:00:00Z", reason: "second" }), "", line({ reason: "first" })].join("\n"),
    );
    expect(await lines((say) => importLog({ database: made.owner, file, dryRun: true }, say))).toEqual([
      "2 entries can be imported.",
    ]);
    expect(await lines((say) => importLog({ database: made.owner, file, dryRun: false }, say))).toEqual([
      "Imported 2 entries.",
    ]);
    const { rows } = await owner.query(
      "SELECT at, actor_name, way, reason FROM quill_log.change WHERE way = 'import' ORDER BY id DESC LIMIT 2",
    );
    expect(rows.toReversed()).toEqual([
      { at: new Date("2020-05-01T10:00:00Z"), actor_name: "Old Clerk", way: "import", reason: "first" },
      { at: new Date("2020-06-01T10:00:00Z"), actor_name: "Old Clerk", way: "import", reason: "second" },
    ]);
  });

  test("takes a file once, and says so", async () => {
    const file = path.join(directory, "once.jsonl");
    await writeFile(file, line({ reason: "once" }));
    const taken = (): Promise<string[]> =>
      lines((say) => importLog({ database: made.owner, file, dryRun: false }, say));
    expect(await taken()).toEqual(["Imported 1 entry."]);
    await expect(taken()).rejects.toThrow(
      /once\.jsonl was imported already, at .* UTC \(entry \d+\)\. Nothing was imported\./,
    );
    const { rows } = await owner.query("SELECT count(*)::integer AS count FROM quill_log.change WHERE reason = 'once'");
    expect(rows).toEqual([{ count: 1 }]);
  });

  test("takes what an export wrote, to another log and back, and both verify", async () => {
    const other = await freshDatabase("template0");
    try {
      await installLog({ database: other.owner, roles: [], now: new Date() }, () => {});
      const file = path.join(directory, "exported.jsonl");
      const { text } = await exported("jsonl");
      await writeFile(file, text);
      const records = text
        .split("\n")
        .filter((each) => each.includes('"type":"entry"') && !each.includes('"table":"quill_log.'));
      expect(await lines((say) => importLog({ database: other.owner, file, dryRun: false }, say))).toEqual([
        `Imported ${records.length} entries.`,
      ]);
      const pool = connect(other.owner, 1);
      const client = await pool.connect();
      await seal({ database: other.owner, privateKey: undefined, to: [], secret: undefined }, () => {});
      const { findings, counts } = await verifyLog(client);
      expect([findings, counts.entries]).toEqual([[], records.length + 2]);
      const { rows } = await client.query(
        "SELECT count(*) FILTER (WHERE origin->'from'->>'hash' IS NOT NULL)::integer AS told, count(DISTINCT origin->'from'->>'entry')::integer AS entries FROM quill_log.change WHERE way = 'import'",
      );
      expect(rows).toEqual([{ told: records.length, entries: records.length }]);
      client.release();
      await pool.end();
      const back: string[] = [];
      await exportLog(
        { database: other.owner, format: "jsonl", since: undefined, source: "x" },
        async (part) => void back.push(part),
      );
      await writeFile(file, back.join(""));
      expect((await byPython(back.join(""))).status).toBe(0);
      expect(await lines((say) => importLog({ database: made.owner, file, dryRun: true }, say))).toEqual([
        `${records.length} entries can be imported.`,
      ]);
    } finally {
      await other.drop();
    }
  });

  test("says which lines are wrong, and why", async () => {
    const file = path.join(directory, "wrong.jsonl");
    await writeFile(
      file,
      [line({}), line({ at: "yesterday" }), "no json", line({ key: {} }), line({ operation: "upsert" })].join("\n"),
    );
    const { rows } = await owner.query("SELECT count(*)::int AS n FROM quill_log.change");
    await expect(importLog({ database: made.owner, file, dryRun: false }, () => {})).rejects.toThrow(
      /wrong\.jsonl:2: at: It is a moment.*\n.*:3: It is no JSON\.\n.*:4: key: It has one column at least\.\n.*:5: operation: .*\nNothing was imported\./,
    );
    expect((await owner.query("SELECT count(*)::int AS n FROM quill_log.change")).rows).toEqual(rows);
  });
});

test("quill log notify: whoever listens is told of entries, once a statement, after it is committed", async () => {
  await notify({ database: made.owner, on: true }, () => {});
  // On a connection of its own: through a pooler nothing is heard.
  const listener = new pg.Client(pastPooler(made.pages));
  await listener.connect();
  const heard: string[] = [];
  listener.on("notification", ({ payload }) => heard.push(payload ?? ""));
  await listener.query("LISTEN quill_log");
  await add("t.t", '{"id":"5"}', "[]");
  await owner.query(
    `BEGIN; SELECT quill_log.add_change('p', 'P', 'page', 'v', 't.t', '{"id":"6"}', 'update', '[]', NULL, NULL, NULL, NULL); ROLLBACK`,
  );
  await listener.query("SELECT 1");
  expect(heard.map((each) => JSON.parse(each))).toEqual([
    { from: expect.stringMatching(/^\d+$/), to: expect.any(String), count: 1, tables: ["t.t"] },
  ]);
  await notify({ database: made.owner, on: false }, () => {});
  await add("t.t", '{"id":"5"}', "[]");
  await listener.query("SELECT 1");
  expect(heard).toHaveLength(1);
  await listener.end();
});
