/** What proof costs: a save that is recorded beside one that isn't; a quick rehearsal beside as many plain requests; kept requests by the hundred thousand. */
import { randomUUID } from "node:crypto";
import { performance } from "node:perf_hooks";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { rehearse } from "@loyal-quill/authoring/rehearsal";
import { handle, route } from "@loyal-quill/core";
import { demoPages } from "@loyal-quill/demo";
import { connect, databaseOver, loadPageFiles, signerOf } from "@loyal-quill/runtime";
import { Store } from "@loyal-quill/server";
import pg from "pg";
import { type Child, start } from "./child.js";
import { median, table } from "./figures.js";
import { makeGround } from "./ground.js";
import { Load, valuesIn } from "./load.js";
import { technician } from "./people.js";
import { rounds, savesBeside, shown } from "./saves-beside.js";

const pages = fileURLToPath(demoPages);

/** Who rehearses: the technician, and somebody to whom nothing is open. */
const people = [
  { ...technician, attributes: { region_id: technician.regionId } },
  { id: "guest", name: "A Guest", roles: [], attributes: {} },
];

const ground = await makeGround();
/** A quick rehearsal, and as many plain opens and saves one after the other. */
async function rehearsing(plain: Child): Promise<string> {
  const pool = connect(ground.pages, 5);
  const database = databaseOver(pool);
  const site = await loadPageFiles(pages, database);
  const page = site.pages.find(({ name }) => name === "station");
  if (!page) throw new Error("the page has errors");
  const load = new Load(plain.port, 1);
  await load.begin(`/stations/${ground.codes[0]}/edit`);
  const ratios: number[] = [];
  const told: number[] = [];
  let requests = 0;
  for (let round = -2; round < rounds; round++) {
    let [sent, posts] = [0, 0];
    const begun = performance.now();
    const found = await rehearse({
      page,
      site,
      people,
      quick: true,
      database,
      signer: signerOf("a key for benchmarks, thirty-two bytes"),
      now: () => new Date(),
      newId: randomUUID,
      elapsed: () => performance.now(),
      engine: {
        route,
        handle: (matched, request, dependencies) => {
          // All that are sent, those included by which a case finds out what it can type.
          sent += 1;
          if (request.method === "POST") posts += 1;
          return handle(matched, request, dependencies);
        },
      },
    });
    const ms = performance.now() - begun;
    if (found.counts.otherwise > 0) throw new Error("the rehearsal found faults");
    const codes = Array.from({ length: posts }, (_, index) => ground.codes[index % ground.codes.length] ?? "");
    const plainly = performance.now();
    for (const code of codes) {
      const form = valuesIn((await load.send("GET", `/stations/${code}/edit`)).body);
      form.set("notes", `rehearsed ${round} ${Math.random()}`);
      await load.send("POST", `/stations/${code}/edit`, form.toString());
    }
    // Each of the posts had a form opened for it; what was only opened besides is added by what an open takes.
    const opens = performance.now();
    for (const code of ground.codes.slice(0, Math.max(0, sent - 2 * posts)))
      await load.send("GET", `/stations/${code}/edit`);
    const asMany = opens - plainly + (performance.now() - opens);
    if (round < 0) continue;
    requests = sent;
    ratios.push(ms / sent / (asMany / Math.max(sent, 2 * posts)));
    told.push(ms);
  }
  await load.close();
  await pool.end();
  return `the quick rehearsal of the station page, a request, to a plain one over HTTP: ${shown(ratios)}; ${requests} requests in ${(median(told) / 1000).toFixed(2)} s`;
}

/** How long the list of kept requests takes with so many kept. */
async function kept(store: Store, most: number): Promise<Record<string, number>> {
  const client = new pg.Client(ground.store);
  await client.connect();
  await client.query("TRUNCATE request");
  await client.query(
    `INSERT INTO request (id, database, at, page, operation, outcome, actor_id, actor_name, method, path, status, ms, record, stopped_at, reason, problems, statements, glance, recorded, format)
     SELECT gen_random_uuid(), '', now() - n * interval '1 minute', 'page-' || n % 20, CASE WHEN n % 3 = 0 THEN 'save' ELSE 'open' END,
       CASE WHEN n % 9 = 0 THEN 'invalid' WHEN n % 3 = 0 THEN 'saved' ELSE 'shown' END, 'p' || n % 50, 'Person ' || n % 50, 'GET', '/records/' || n || '/edit', 200, n % 97, n::text,
       CASE WHEN n % 9 = 0 THEN 'check' END, CASE WHEN n % 9 = 0 THEN 'one rule failed: too long by ' || n % 13 END,
       CASE WHEN n % 9 = 0 THEN jsonb_build_array(jsonb_build_object('field', 'name', 'by', 'max-length')) ELSE '[]' END, 1,
       '[{"step":"route","ms":0.1,"stopped":null},{"step":"load","ms":1.5,"stopped":null},{"step":"prefill","ms":0.7,"stopped":null}]',
       jsonb_build_object('steps', jsonb_build_array(), 'filler', repeat(md5(n::text), 60)), 1
     FROM generate_series(${most}, 1, -1) AS n`,
  );
  await client.query("VACUUM ANALYZE request");
  await client.end();
  const asked = {
    "the newest": {},
    "of a page": { page: "page-7" },
    "of a person, refused": { person: "p7", outcome: "refusals" },
    "with a field": { field: "name" },
    "of a record": { record: "77" },
    "with a text": { text: "records/123" },
    "with a text that nothing has": { text: "nothing has this" },
  };
  const times: Record<string, number> = {};
  for (const [name, query] of Object.entries(asked)) {
    const ms: number[] = [];
    for (let turn = 0; turn < 9; turn++) {
      const begun = performance.now();
      await store.requests.told(query, 101);
      ms.push(performance.now() - begun);
    }
    times[name] = median(ms);
  }
  const begun = performance.now();
  await store.requests.sums({});
  times.sums = performance.now() - begun;
  return times;
}

try {
  const store = await Store.open(ground.store, ground.reader);
  const plain = await start("ours", ground.pages, pages);
  const recorded = await start("ours-recorded", ground.pages, pages, undefined, {
    STORE_URL: ground.store,
    LOG_URL: ground.reader,
  });
  for (const concurrency of [1, 10])
    process.stdout.write(
      `${await savesBeside("a recorded save to one that isn't", plain, recorded, concurrency, ground.codes)}\n`,
    );
  recorded.process.disconnect();
  process.stdout.write(`${await rehearsing(plain)}\n\n`);
  plain.process.disconnect();
  const [few, many] = [await kept(store, 1000), await kept(store, 100_000)];
  process.stdout.write(
    `${table([["kept requests", "1,000: ms", "100,000: ms"], ...Object.keys(few).map((name) => [name, (few[name] ?? 0).toFixed(1), (many[name] ?? 0).toFixed(1)])])}\n`,
  );
  await store.close();
} finally {
  await ground.drop();
}
