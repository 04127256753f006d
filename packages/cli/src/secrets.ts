import { createHmac, randomBytes } from "node:crypto";
import { readFile, rename, writeFile } from "node:fs/promises";
import path from "node:path";

/** The secrets of one data directory: made at the first start, readable by its owner only. */
export interface Secrets {
  readonly postgres: string;
  readonly owner: string;
  readonly pages: string;
  readonly reader: string;
  readonly store: string;
  readonly signing: string;
  readonly demo: string;
}

const names = ["postgres", "owner", "pages", "reader", "store", "signing", "demo"] as const;

/** Reads the secrets of a data directory, and makes them first where there are none. */
export async function secretsOf(directory: string): Promise<Secrets> {
  const file = path.join(directory, "secrets.json");
  try {
    return JSON.parse(await readFile(file, "utf8")) as Secrets;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "ENOENT")
      throw new Error(`${file} can't be read. Start with --fresh after removing it.`, { cause: error });
  }
  const secrets = Object.fromEntries(
    names.map((name) => [name, randomBytes(32).toString("hex")]),
  ) as unknown as Secrets;
  await writeFile(`${file}.new`, JSON.stringify(secrets, null, 2), { mode: 0o600 });
  await rename(`${file}.new`, file);
  return secrets;
}

const words = [
  "alder",
  "beck",
  "cress",
  "dipper",
  "eddy",
  "ferry",
  "gauge",
  "heron",
  "inlet",
  "jetty",
  "kelp",
  "levee",
  "marsh",
  "newt",
  "osier",
  "pool",
];

/** The password of a demo account: the same at every start of one data directory, another one elsewhere. */
export function demoPassword(secrets: Pick<Secrets, "demo">, email: string): string {
  const bytes = createHmac("sha256", secrets.demo).update(email).digest();
  const word = (index: number): string => words[(bytes[index] ?? 0) % words.length] ?? "";
  return `${word(0)}-${word(1)}-${word(2)}-${bytes.readUInt32BE(4).toString(36).padStart(7, "0")}`;
}
