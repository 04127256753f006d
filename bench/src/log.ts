/** What the log's chain costs a save: beside the same save whose entry is inserted as it is, into a table of the same columns and indexes. */
import process from "node:process";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import pg from "pg";
import { start } from "./child.js";
import { makeGround } from "./ground.js";
import { savesBeside } from "./saves-beside.js";

const pages = fileURLToPath(demoPages);
const say = (line: string): void => void process.stdout.write(`${line}\n`);

/** The log as it would be without a chain: partitioned and indexed as ours is. */
const unchainedSchema = `CREATE TABLE office.change_unchained (
  id bigint GENERATED ALWAYS AS IDENTITY, at timestamptz NOT NULL DEFAULT clock_timestamp(), actor_id text NOT NULL, actor_name text NOT NULL,
  page text NOT NULL, page_version text NOT NULL, table_name text NOT NULL, record_key jsonb NOT NULL, new_key jsonb, operation text NOT NULL,
  fields jsonb NOT NULL CHECK (jsonb_typeof(fields) = 'array'), request_id uuid, reason text, undoes bigint[], PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE INDEX ON office.change_unchained (table_name, record_key, id DESC);
CREATE INDEX ON office.change_unchained (table_name, new_key) WHERE new_key IS NOT NULL;
CREATE INDEX ON office.change_unchained (actor_id, id DESC);
CREATE INDEX ON office.change_unchained (request_id);
CREATE TABLE office.change_unchained_default PARTITION OF office.change_unchained DEFAULT;
DO $$ BEGIN FOR m IN 0 .. 23 LOOP
  EXECUTE format('CREATE TABLE office.change_unchained_%s PARTITION OF office.change_unchained FOR VALUES FROM (%L) TO (%L)', m,
    date_trunc('month', now()) + make_interval(months => m - 6), date_trunc('month', now()) + make_interval(months => m - 5));
END LOOP; END $$;
GRANT SELECT, INSERT ON office.change_unchained TO quill_pages;`;

const ground = await makeGround();
try {
  const owner = new pg.Client(ground.owner);
  await owner.connect();
  await owner.query(unchainedSchema);
  const [chained, unchained] = [
    await start("ours", ground.pages, pages),
    await start("ours-unchained", ground.pages, pages),
  ];
  for (const concurrency of [1, 10])
    say(await savesBeside("a save with the chain, to one without", unchained, chained, concurrency, ground.codes));
  for (const each of [chained, unchained]) each.process.disconnect();
  const { rows } = await owner.query("SELECT count(*)::int AS n FROM office.change_unchained");
  say(`entries without a chain: ${rows[0].n}`);
  await owner.end();
} finally {
  await ground.drop();
}
