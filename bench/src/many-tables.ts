/** Reading the model of a database with 2,000 tables, against the bare catalog queries that it rests on. */
import { performance } from "node:perf_hooks";
import process from "node:process";
import { type Database, readCatalog } from "@loyal-quill/core";
import { connect, databaseOver } from "@loyal-quill/runtime";
import pg from "pg";
import { median, table } from "./figures.js";
import { makeGround } from "./ground.js";

const tables = 2000;
const rounds = 7;

async function fill(url: string): Promise<void> {
  const client = new pg.Client(url);
  await client.connect();
  await client.query("CREATE SCHEMA wide");
  for (let start = 0; start < tables; start += 100) {
    const statements = Array.from({ length: 100 }, (_, offset) => {
      const index = start + offset;
      const reference = index > 0 ? `, before_id integer REFERENCES wide.table_${index - 1}` : "";
      return `CREATE TABLE wide.table_${index} (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, code text NOT NULL UNIQUE, name varchar(80) NOT NULL,
        level numeric(6,2) CHECK (level > 0), state text NOT NULL DEFAULT 'new' CHECK (state IN ('new', 'old')), seen_at timestamptz DEFAULT now(),
        active boolean NOT NULL DEFAULT true, settings jsonb, notes text, day date${reference})`;
    });
    await client.query(statements.join(";"));
  }
  await client.query(
    "GRANT USAGE ON SCHEMA wide TO quill_pages; GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA wide TO quill_pages",
  );
  await client.end();
}

/** Milliseconds that a task takes. */
async function timed(run: () => Promise<unknown>): Promise<number> {
  const started = performance.now();
  await run();
  return performance.now() - started;
}

const ground = await makeGround();
try {
  await fill(ground.owner);
  const pool = connect(ground.pages, 5);
  const database = databaseOver(pool);
  // The bare queries are those that the reading sends, noted once and then sent alone, as it sends them: at once.
  const texts: string[] = [];
  const noting: Database = {
    ...database,
    run(statement) {
      texts.push(statement.text);
      return database.run(statement);
    },
  };
  const catalog = await readCatalog(noting);
  const bare = () => Promise.all(texts.map((text) => pool.query(text)));
  const [whole, queries]: [number[], number[]] = [[], []];
  for (let round = 0; round <= rounds; round++) {
    const [a, b] = [await timed(bare), await timed(() => readCatalog(database))];
    if (round === 0) continue;
    queries.push(a);
    whole.push(b);
  }
  await pool.end();
  const columns = catalog.tables.reduce((sum, each) => sum + each.columns.length, 0);
  process.stdout.write(
    `${table([
      ["", "ms"],
      ["the bare catalog queries", median(queries).toFixed(0)],
      ["the whole model", median(whole).toFixed(0)],
    ])}\n\n${catalog.tables.length} tables, ${columns} columns. The model to the bare queries: ${median(whole.map((value, index) => value / (queries[index] ?? 1))).toFixed(2)} (median of ${rounds} rounds)\n`,
  );
} finally {
  await ground.drop();
}
