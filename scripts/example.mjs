// `npm run example -- NAME`: runs one of the applications in examples/, over a Marrow Vale of its own.
import { spawn } from "node:child_process";
import { existsSync, readdirSync } from "node:fs";
import { mkdir, readFile } from "node:fs/promises";
import path from "node:path";
import process from "node:process";
import { CannotSetUp, root, setUp } from "./setup.mjs";

const say = (line) => process.stdout.write(`${line}\n`);
const examples = readdirSync(path.join(root, "examples"), { withFileTypes: true })
  .filter((each) => each.isDirectory())
  .map(({ name }) => name);

async function run(name) {
  const place = path.join(root, "examples", name);
  await setUp({ tests: false });
  const { provision, secretsOf, startCluster } = await import("loyal-quill");
  const { default: pg } = await import("pg");
  const directory = path.join(root, ".data", "examples");
  await mkdir(directory, { recursive: true, mode: 0o711 });
  const secrets = await secretsOf(directory);
  const cluster = await startCluster(path.join(directory, "postgres"), secrets.postgres, say);
  try {
    const databases = await provision(cluster, secrets, { fresh: false, now: new Date() }, say);
    if (existsSync(path.join(place, "setup.sql"))) {
      const owner = new pg.Client(databases.owner);
      await owner.connect();
      await owner.query(await readFile(path.join(place, "setup.sql"), "utf8"));
      await owner.end();
    }
    const child = spawn("npm", ["start", "--silent"], {
      cwd: place,
      stdio: "inherit",
      env: {
        ...process.env,
        DATABASE_URL: databases.pages,
        ARCHIVE_URL: databases.archive.pages,
        STORE_URL: databases.store,
        QUILL_SIGNING_KEY: secrets.signing,
      },
    });
    for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => child.kill("SIGTERM"));
    await new Promise((resolve) => child.on("close", resolve));
  } finally {
    await cluster.stop();
  }
}

const [, , name] = process.argv;
if (!examples.includes(name)) {
  process.stderr.write(`Which example? npm run example -- NAME, with one of: ${examples.join(", ")}\n`);
  process.exitCode = 1;
} else
  await run(name).catch((error) => {
    process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
    process.exitCode = 1;
  });
