import { execFile } from "node:child_process";
import { mkdtemp, readdir, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { promisify } from "node:util";

/**
 * Our save statement as a script of pgbench: the same text, with the record and the new value at random. Only the guard differs:
 * the row's version is compared with itself, since pgbench can't know it beforehand without a second trip.
 *
 * @param values of a save that changed the notes of a station
 */
export function scriptOf(text: string, values: readonly (string | null)[], codes: readonly string[]): string {
  const literal = (value: string | null): string => (value === null ? "NULL" : `'${value.replaceAll("'", "''")}'`);
  const first = Number(codes[0]?.slice(3));
  const filled = text
    // What stands after a colon is a variable to pgbench, also inside of a text.
    .replaceAll("quill:leaves-rows", "quill leaves rows")
    .replace(/t\.xmin::text = \$\d+::text/, "t.xmin::text = t.xmin::text")
    .replaceAll(/\$(\d+)::("?[\w". ]+)/g, (_, place: string, type: string) => {
      const value = values[Number(place) - 1] ?? null;
      if (value !== null && codes.includes(value)) return "('MV-' || :n)::text";
      if (value?.startsWith("round ")) return "('round ' || :r)::text";
      return type === "uuid" ? "gen_random_uuid()" : `${literal(value)}::${type}`;
    });
  return `\\set n random(${first}, ${first + codes.length - 1})\n\\set r random(1, 1000000000)\n${filled.replaceAll("\n", " ")};\n`;
}

/** Transactions a second that pgbench reaches with a script over as many connections as the applications have. */
export async function pgbench(url: string, script: string, seconds: number, connections: number): Promise<number> {
  const [version = ""] = (await readdir("/usr/lib/postgresql")).sort((a, b) => Number(b) - Number(a));
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-pgbench-"));
  try {
    const file = path.join(directory, "save.sql");
    await writeFile(file, script);
    const { stdout } = await promisify(execFile)(`/usr/lib/postgresql/${version}/bin/pgbench`, [
      "-n",
      "-M",
      "prepared",
      "-c",
      String(connections),
      "-j",
      String(Math.min(2, connections)),
      "-T",
      String(seconds),
      "-f",
      file,
      url,
    ]);
    return Number(/tps = ([\d.]+)/.exec(stdout)?.[1]);
  } finally {
    await rm(directory, { recursive: true });
  }
}
