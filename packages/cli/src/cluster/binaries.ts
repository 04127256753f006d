import { existsSync, readdirSync } from "node:fs";
import path from "node:path";

/** Where Debian puts PostgreSQL's programs: one directory a major version. */
const debian = "/usr/lib/postgresql";

/** The directory with `initdb` and `pg_ctl`: Debian's newest, else the first on PATH; undefined where there is none. */
export function postgresBinaries(): string | undefined {
  const versions = existsSync(debian) ? readdirSync(debian).filter((name) => /^\d+$/.test(name)) : [];
  const candidates = [
    ...versions.sort((a, b) => Number(b) - Number(a)).map((version) => path.join(debian, version, "bin")),
    ...(process.env.PATH ?? "").split(path.delimiter),
  ];
  return candidates.find(
    (directory) => existsSync(path.join(directory, "initdb")) && existsSync(path.join(directory, "pg_ctl")),
  );
}
