/**
 * A list of 5,000,000 records beside the same of 10,000: what each of its ways to a record costs. The notes of readings, with the indexes
 * that the review asks for, and one of trigrams for the search.
 */
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import pg from "pg";
import { start } from "./child.js";
import { median, table } from "./figures.js";
import { makeGround } from "./ground.js";
import { Load, valuesIn } from "./load.js";

const rounds = process.env.BENCH_QUICK === "1" ? 11 : 41;
/** The part of the list that is asked for in the middle, counted from one; the small list has 200 in all. */
const farPart = { few: 100, many: 10_000 };

const sides = [
  { name: "few", relation: "few_notes", records: 10_000 },
  { name: "many", relation: "reading_note", records: 5_000_000 },
] as const;

const pageFile = ({ name, relation }: (typeof sides)[number]): string => `format: loyal-quill/page@1
title: "Note {id}"
plural: Notes
path: /${name}/{id}
record: { table: field.${relation}, key: id }
time-zone: Europe/London
list: { columns: [station_code, noted_at, level_m, note], search: [note], filter: [station_code, noted_at, level_m] }
fields:
  - station_code: { choices: { by: search } }
  - noted_at
  - level_m
  - note: { control: multi-line }
`;

/** The same small table, of which a part is edited in its rows and saved at once. */
const togetherFile = `format: loyal-quill/page@1
title: "Note {id}"
plural: Notes
path: /together/{id}
record: { table: field.few_notes, key: id }
list: { columns: [note], edit: [note], together: true }
fields:
  - note
`;

/** Rows that are saved together, and one by one. */
const atOnce = 50;

/** Records of either side that a search finds, however many others there are. */
const alike = 20;

/** Fills a table of notes; what refers to stations is checked once, afterwards. */
async function fill(client: pg.Client, relation: string, records: number): Promise<void> {
  const name = `field.${relation}`;
  process.stderr.write(`Making ${records.toLocaleString("en")} records …\n`);
  // Its indexes are made once all of it is there: one by one they would take the longest.
  const { rows } = await client.query<{ name: string; made: string }>(
    `SELECT x.indexrelid::regclass::text AS name, pg_get_indexdef(x.indexrelid) AS made FROM pg_index AS x WHERE x.indrelid = '${name}'::regclass AND NOT x.indisprimary`,
  );
  const indexes = rows.map(({ made }) => made);
  for (const index of rows) await client.query(`DROP INDEX ${index.name}`);
  await client.query(
    `INSERT INTO ${name} (station_code, noted_at, level_m, note)
     SELECT 'MV-' || 100 + n % 480, timestamptz '1990-01-01' + n * interval '3 minutes', (n % 4000)::numeric / 1000,
       (ARRAY['Float stuck', 'Weed at the gauge', 'Ice on the staff', 'Clock put right'])[1 + n % 4]
         || CASE WHEN n % 500 = 7 THEN ', heron on the weir' ELSE '' END
         || CASE WHEN n % ${records / alike} = 11 THEN ', otter seen' ELSE '' END || ', entry ' || n
     FROM generate_series(1, ${records}) AS n`,
  );
  // Its other indexes are the demo's; this one is for this page's order.
  await client.query(`CREATE INDEX ON ${name} (station_code, id)`);
  for (const index of indexes) await client.query(index);
  await client.query(
    `ALTER TABLE ${name} ADD FOREIGN KEY (station_code) REFERENCES network.station ON UPDATE CASCADE; GRANT SELECT, UPDATE ON ${name} TO quill_pages`,
  );
  await client.query(`VACUUM (ANALYZE) ${name}`);
}

/** Drops the indexes of a table that are of trigrams. */
async function dropTrigrams(client: pg.Client, relation: string): Promise<void> {
  const { rows } = await client.query<{ name: string }>(
    "SELECT x.indexrelid::regclass::text AS name FROM pg_index AS x WHERE x.indrelid = $1::regclass AND pg_get_indexdef(x.indexrelid) LIKE '%gin_trgm_ops%'",
    [`field.${relation}`],
  );
  for (const { name } of rows) await client.query(`DROP INDEX ${name}`);
}

const ground = await makeGround();
const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-bench-lists-"));
try {
  const client = new pg.Client(ground.owner);
  await client.connect();
  await client.query("CREATE EXTENSION IF NOT EXISTS pg_trgm");
  await client.query("CREATE TABLE field.few_notes (LIKE field.reading_note INCLUDING ALL)");
  await client.query("ALTER TABLE field.reading_note DROP CONSTRAINT reading_note_station_code_fkey");
  for (const side of sides) {
    await fill(client, side.relation, side.records);
    await writeFile(path.join(directory, `${side.name}.page.yaml`), pageFile(side));
  }
  await writeFile(path.join(directory, "together.page.yaml"), togetherFile);
  await client.end();
  const child = await start("ours", ground.pages, directory);
  const load = new Load(child.port, 1);
  try {
    await load.begin("/few");

    /** @returns the answer, which is to have a status and to contain a text */
    const get = async (address: string, text: string, status = 200): Promise<{ ms: number; body: string }> => {
      const answer = await load.send("GET", address);
      if (answer.status !== status || !answer.body.includes(text))
        throw new Error(`${address} was answered ${answer.status}: ${answer.body.slice(0, 300)}`);
      return answer;
    };

    /** The address of the next part of a list, from where one is. */
    const next = (body: string): string => {
      const [, to] = /<a rel="next" href="([^"]*)"/.exec(body) ?? [];
      if (to === undefined) throw new Error("there is no next part");
      return to.replaceAll("&amp;", "&").replaceAll("&quot;", '"').replaceAll("&#39;", "'").replaceAll("&#34;", '"');
    };

    const far = { few: "", many: "" };
    for (const { name } of sides) {
      process.stderr.write(`Going to part ${farPart[name].toLocaleString("en")} of ${name}, one by one …\n`);
      let address = `/${name}`;
      for (let part = 1; part < farPart[name]; part++) address = next((await get(address, "<tbody")).body);
      far[name] = address;
    }

    let turn = 0;
    const record = (name: "few" | "many"): number => (name === "few" ? 5_000 : 2_500_000) + (turn % 50);
    const save = async (name: "few" | "many"): Promise<{ ms: number }> => {
      const address = `/${name}/${record(name)}/edit`;
      const values = valuesIn((await get(address, "<form")).body);
      values.set("note", `Round ${turn}.`);
      const answer = await load.send("POST", address, values.toString());
      if (answer.status !== 303) throw new Error(`a save was answered ${answer.status}`);
      return answer;
    };
    const ways: readonly (readonly [string, (name: "few" | "many") => Promise<{ ms: number }>])[] = [
      ["first part", (name) => get(`/${name}`, "<tbody")],
      ["part in the middle", (name) => get(far[name], "<tbody")],
      ["last part", (name) => get(`/${name}?last=1`, "<tbody")],
      ["sorted by a moment", (name) => get(`/${name}?sort=-noted_at`, "<tbody")],
      ["search: in every fourth record", (name) => get(`/${name}?q=weed`, "Weed")],
      [`search: in ${alike} records of both`, (name) => get(`/${name}?q=otter`, "otter")],
      ["search: in one record", (name) => get(`/${name}?q=${name === "few" ? "9876" : "4987654"}`, "entry")],
      [
        "search: in one record, and a word in all",
        (name) => get(`/${name}?q=${name === "few" ? "entry+9876" : "entry+4987654"}`, "entry"),
      ],
      ["search: in 20 and in 10,000 records", (name) => get(`/${name}?q=heron`, "heron")],
      ["search: in no record", (name) => get(`/${name}?q=kingfisher`, 'class="quill-empty"')],
      ["filter by a station", (name) => get(`/${name}?is.station_code=MV-107`, "<tbody")],
      [
        "filter by a day: 480 records of both",
        (name) => get(`/${name}?from.noted_at=1990-01-10&to.noted_at=1990-01-10`, "<tbody"),
      ],
      [
        "filter by levels: 5 and 2,500 records",
        (name) => get(`/${name}?from.level_m=1.001&to.level_m=1.002`, "<tbody"),
      ],
      ["go to a key", (name) => get(`/${name}?go.id=${record(name)}`, "", 303)],
      ["open", (name) => get(`/${name}/${record(name)}/edit`, "<form")],
      ["save", save],
    ];
    const lines = [["", "10,000: ms", "5,000,000: ms", "ratio of medians"]];
    const measure = async (
      [way, run]: (typeof ways)[number],
      [before, turns]: readonly [number, number] = [5, rounds],
    ): Promise<void> => {
      const taken = { few: [] as number[], many: [] as number[] };
      for (turn = -before; turn < turns; turn++)
        for (const { name } of turn % 2 === 0 ? sides : sides.toReversed()) {
          const { ms } = await run(name);
          if (turn >= 0) taken[name].push(ms);
        }
      const [few, many] = [median(taken.few), median(taken.many)];
      lines.push([way, few.toFixed(1), many.toFixed(1), (many / few).toFixed(2)]);
    };
    for (const way of ways) await measure(way);
    // Without an index for it a search answers with what it has found so far, and goes on from there.
    const owner = new pg.Client(ground.owner);
    await owner.connect();
    for (const { relation } of sides) await dropTrigrams(owner, relation);
    await owner.end();
    const looked: string[] = [];
    const search = async (name: "few" | "many"): Promise<{ ms: number }> => {
      const answer = await get(`/${name}?q=kingfisher`, 'class="quill-empty"');
      const [, records] = /looked through ([\d,]+) records/.exec(answer.body) ?? [];
      if (records !== undefined) looked.push(records);
      return answer;
    };
    await measure(["search without an index: in no record", search], [1, 11]);
    lines.push(["  of which it looked through", "all", looked.at(-1) ?? "all", ""]);
    // Records of one station: all of the few would be as many as those of one of the many.
    const csv = { few: "/few/~csv", many: "/many/~csv?is.station_code=MV-107" };
    for (const { name } of sides) {
      const taken: number[] = [];
      let rows = 0;
      for (turn = -2; turn < 11; turn++) {
        const { ms, body } = await get(csv[name], "Station code");
        rows = body.split("\r\n").length - 2;
        if (turn >= 0) taken.push(ms);
      }
      const perSecond = Math.round(rows / (median(taken) / 1000)).toLocaleString("en");
      lines.push([
        `CSV of ${rows.toLocaleString("en")} records, ${name}`,
        median(taken).toFixed(1),
        "",
        `${perSecond} rows a second`,
      ]);
    }
    const together: number[] = [];
    const oneByOne: number[] = [];
    for (turn = -2; turn < 11; turn++) {
      const values = valuesIn((await get("/together", "<form")).body);
      for (let row = 0; row < atOnce; row++) values.set(`r${row}:note`, `Together, round ${turn}, row ${row}.`);
      values.set("quill.together", "");
      const answer = await load.send("POST", "/together", values.toString());
      if (answer.status !== 303) throw new Error(`rows saved together were answered ${answer.status}`);
      if (turn >= 0) together.push(answer.ms);
      let sum = 0;
      for (let row = 1; row <= atOnce; row++) {
        const form = valuesIn((await get(`/together/${row}/edit`, "<form")).body);
        form.set("note", `One by one, round ${turn}, row ${row}.`);
        const saved = await load.send("POST", `/together/${row}/edit`, form.toString());
        if (saved.status !== 303) throw new Error(`a save was answered ${saved.status}`);
        sum += saved.ms;
      }
      if (turn >= 0) oneByOne.push(sum);
    }
    lines.push([
      `${atOnce} rows together (left) and one by one`,
      median(together).toFixed(1),
      median(oneByOne).toFixed(1),
      (median(oneByOne) / median(together)).toFixed(2),
    ]);
    process.stdout.write(`${table(lines)}\n\n${rounds} rounds, one request at once, the sides in turn\n`);
  } finally {
    await load.close();
    child.process.disconnect();
  }
} finally {
  await rm(directory, { recursive: true });
  await ground.drop();
}
