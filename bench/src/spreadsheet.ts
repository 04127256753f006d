/** A list that goes out for editing and comes back with every row changed, to as many forms that are opened and saved one by one. */
import { readFileSync } from "node:fs";
import { cp, mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { parse } from "csv-parse/sync";
import { stringify } from "csv-stringify/sync";
import { readXlsx, writeXlsx } from "hucre/xlsx";
import pg from "pg";
import { type Child, start } from "./child.js";
import { table } from "./figures.js";
import { makeGround } from "./ground.js";
import { Load, valuesIn } from "./load.js";

const sizes = [1000, 10_000];
const singles = 2000;
const formats = ["csv", "xlsx"] as const;

/** The greatest memory that a process has had, in MB (proc(5), status). */
const peakOf = ({ process: { pid } }: Child): number =>
  Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0) / 1024;

const seconds = async <Result>(run: () => Promise<Result>): Promise<[number, Result]> => {
  const began = performance.now();
  const result = await run();
  return [(performance.now() - began) / 1000, result];
};

/** The file with its notes changed in every row that may be. */
async function changed(bytes: Uint8Array, format: (typeof formats)[number], note: string): Promise<Uint8Array> {
  const rows: unknown[][] =
    format === "csv"
      ? parse(new TextDecoder().decode(bytes), { bom: true })
      : ((await readXlsx(bytes)).sheets[0]?.rows ?? []);
  const at = (rows[0] ?? []).indexOf("Notes");
  const edited = rows.map((row, index) => (index === 0 ? row : row.with(at, `${note} ${index}`)));
  if (format === "csv") return Buffer.from(stringify(edited as string[][]));
  return (await writeXlsx({ sheets: [{ name: "Sheet1", rows: edited as string[][] }] })) as Uint8Array;
}

const ground = await makeGround();
const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-bench-pages-"));
await cp(fileURLToPath(demoPages), directory, { recursive: true });
const owner = new pg.Client(ground.owner);
await owner.connect();
await owner.query(
  `ALTER TABLE network.station DROP CONSTRAINT station_code_form;
   INSERT INTO network.station (code, name, river_id, region_id, grid_reference, status, alert_m, warning_m, telemetry, installed_on, notes)
   SELECT 'MV-' || n, 'Sheet ' || n, 1 + n % 12, 1 + n % 4, 'S ' || n, 'live', 1.20, 2.40, n % 2 = 0, '2001-02-03', 'Nothing of note.'
   FROM generate_series(1000, 10999) AS n`,
);
await owner.query("ANALYZE network.station");

async function file(child: Child): Promise<void> {
  const origin = `http://127.0.0.1:${child.port}`;
  const first = await fetch(`${origin}/stations`);
  const cookie = first.headers
    .getSetCookie()
    .map((each) => each.split(";")[0])
    .join("; ");
  await first.text();
  const post = async (form: FormData): Promise<Record<string, unknown>> => {
    const headers = { cookie, accept: "application/json" };
    const response = await fetch(`${origin}/stations/~upload`, { method: "POST", body: form, headers });
    if (response.status !== 200) throw new Error(`an upload was answered ${response.status}`);
    return (await response.json()) as Record<string, unknown>;
  };
  const load = new Load(child.port, 10);
  const codes = Array.from({ length: singles }, (_, index) => `MV-${1000 + index}`);
  await load.begin(`/stations/${codes[0]}/edit`);
  const one = async (turn: number): Promise<number> => {
    const { results, seconds: taken } = await load.all(codes, async (code) => {
      const form = valuesIn((await load.send("GET", `/stations/${code}/edit`)).body);
      form.set("notes", `single ${turn} ${code}`);
      return load.send("POST", `/stations/${code}/edit`, form.toString());
    });
    if (results.some(({ status }) => status !== 303)) throw new Error("a save was not answered 303");
    return taken / singles;
  };
  await one(0);
  const single = await one(1);
  const lines: string[][] = [
    ["rows", "file", "MB", "download s", "untouched s", "check s", "save s", "to singles", "peak MB"],
  ];
  for (const size of sizes)
    for (const format of formats) {
      const [download, bytes] = await seconds(async () => {
        const response = await fetch(`${origin}/stations/~spreadsheet?format=${format}`, { headers: { cookie } });
        return new Uint8Array(await response.arrayBuffer());
      });
      const cut = size === 10_000 ? bytes : await cutTo(bytes, format, size);
      const form = (content: Uint8Array): FormData => {
        const sent = new FormData();
        sent.set("quill.file", new Blob([new Uint8Array(content)]), `rows.${format}`);
        return sent;
      };
      const [untouched, same] = await seconds(() => post(form(cut)));
      if ((same.changed as unknown[]).length > 0) throw new Error("an untouched file has changes");
      const edited = await changed(cut, format, `round ${size} ${format}`);
      const [check, looked] = await seconds(() => post(form(edited)));
      const saving = new FormData();
      saving.set("quill.rows", String(looked.rows));
      const [save, saved] = await seconds(() => post(saving));
      const rows = Number(saved.rows);
      lines.push([
        String(rows),
        format,
        (cut.length / 1e6).toFixed(1),
        size === 10_000 ? download.toFixed(2) : "",
        untouched.toFixed(2),
        check.toFixed(2),
        save.toFixed(2),
        ((single * rows) / (check + save)).toFixed(1),
        peakOf(child).toFixed(0),
      ]);
    }
  await load.close();
  process.stdout.write(`${table(lines)}\n\n`);
  process.stdout.write(
    `A form that is opened and saved, ten at once: ${(single * 1000).toFixed(2)} ms; "to singles": how many times longer as many of these take than check and save.\n`,
  );
}

async function cutTo(bytes: Uint8Array, format: (typeof formats)[number], size: number): Promise<Uint8Array> {
  if (format === "csv") {
    const rows: string[][] = parse(new TextDecoder().decode(bytes), { bom: true });
    return Buffer.from(stringify(rows.slice(0, size + 1)));
  }
  const rows = (await readXlsx(bytes)).sheets[0]?.rows ?? [];
  return (await writeXlsx({ sheets: [{ name: "Sheet1", rows: rows.slice(0, size + 1) }] })) as Uint8Array;
}

const child = await start("ours", ground.pages, directory);
try {
  await file(child);
} finally {
  child.process.disconnect();
  await owner.end();
  await ground.drop();
  await rm(directory, { recursive: true });
}
