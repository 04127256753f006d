// Sets up everything that the project needs: Debian's packages, npm's packages, the build. Does nothing that is done already.
// Used by `npm start` and `npm test`; only Node's own modules, since nothing is installed yet when it runs.
import { execFileSync, spawn } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import process from "node:process";

export const root = path.dirname(import.meta.dirname);
const notes = path.join(root, ".build");

/** A set-up that can't go on, for a reason that the person can do something about. */
export class CannotSetUp extends Error {}

const say = (line) => process.stdout.write(`${line}\n`);

/** Runs a program; its output is shown only when it fails, a line every few seconds says that it is still at work. */
export function quietly(what, program, args, options = {}) {
  say(`${what} …`);
  return new Promise((resolve, reject) => {
    const started = Date.now();
    const child = spawn(program, args, { cwd: root, stdio: ["ignore", "pipe", "pipe"], ...options });
    const output = [];
    for (const stream of [child.stdout, child.stderr]) stream.on("data", (part) => output.push(part));
    const timer = setInterval(() => say(`  still at it, ${Math.round((Date.now() - started) / 1000)} s`), 10_000);
    child.on("error", reject);
    child.on("close", (code) => {
      clearInterval(timer);
      if (code === 0) return resolve();
      process.stderr.write(Buffer.concat(output));
      reject(new CannotSetUp(`${what} failed: ${program} ended with ${code}.`));
    });
  });
}

const isRoot = process.getuid?.() === 0;

/** Debian's packages that are missing are installed where we have the right to; otherwise it is said which to install. */
async function debianPackages(wanted) {
  const missing = wanted.filter((each) => !each.present());
  if (missing.length === 0) return;
  const names = missing.map((each) => each.name).join(" ");
  if (!isRoot) throw new CannotSetUp(`Missing: ${names}. Install with: sudo apt-get install ${names}`);
  if (!existsSync("/usr/bin/apt-get"))
    throw new CannotSetUp(`Missing: ${names}. This is no Debian machine, so install them by its own means.`);
  const environment = { ...process.env, DEBIAN_FRONTEND: "noninteractive" };
  await quietly("Reading Debian's package lists", "apt-get", ["update", "-q"], { env: environment });
  // Debian's own cluster is not wanted: the project makes one of its own.
  if (missing.some((each) => each.name === "postgresql") && !existsSync("/etc/postgresql-common")) {
    mkdirSync("/etc/postgresql-common", { recursive: true });
    writeFileSync("/etc/postgresql-common/createcluster.conf", "create_main_cluster = false\n");
  }
  await quietly(
    `Installing ${names} from Debian`,
    "apt-get",
    ["install", "-q", "-y", "--no-install-recommends", ...missing.map((each) => each.name)],
    { env: environment },
  );
}

const postgresql = {
  name: "postgresql",
  present: () =>
    existsSync("/usr/lib/postgresql") &&
    readdirSync("/usr/lib/postgresql").some((version) => existsSync(`/usr/lib/postgresql/${version}/bin/initdb`)),
};
/** The verifier in the docs is tested. */
const python = {
  name: "python3",
  present: () => (process.env.PATH ?? "").split(path.delimiter).some((each) => existsSync(path.join(each, "python3"))),
};
/** The pages are tested behind a pooler too. */
const pgbouncer = { name: "pgbouncer", present: () => existsSync("/usr/sbin/pgbouncer") };
const chromium = { name: "chromium-headless-shell", present: () => existsSync("/usr/bin/chromium-headless-shell") };

const digest = (texts) => createHash("sha256").update(texts.join("\0")).digest("hex");
const noted = (name) => (existsSync(path.join(notes, name)) ? readFileSync(path.join(notes, name), "utf8") : "");
const note = (name, text) => {
  mkdirSync(notes, { recursive: true });
  writeFileSync(path.join(notes, name), text);
};

/** What a lock file says is installed: versions by place; what may be missing on this platform is left out. */
const versionsIn = (lock) =>
  Object.entries(lock.packages ?? {}).filter(
    ([place, each]) => place.startsWith("node_modules/") && !each.link && !each.optional && !each.peer,
  );

/** Whether somebody has installed just these packages by hand, with `npm ci`: npm keeps a lock file of what it has installed. */
function isInstalled(lock) {
  try {
    const here = JSON.parse(readFileSync(path.join(root, "node_modules/.package-lock.json"), "utf8")).packages ?? {};
    return versionsIn(JSON.parse(lock)).every(([place, { version }]) => here[place]?.version === version);
  } catch {
    return false;
  }
}

async function npmPackages() {
  const lock = readFileSync(path.join(root, "package-lock.json"), "utf8");
  const wanted = digest([lock, process.version]);
  if (existsSync(path.join(root, "node_modules")) && noted("packages") === wanted) return;
  if (noted("packages") === "" && isInstalled(lock)) return note("packages", wanted);
  await quietly("Installing npm's packages", "npm", ["ci", "--ignore-scripts", "--no-audit", "--no-fund"]);
  note("packages", wanted);
}

/** All files that the build is made of. */
function sources() {
  const listed = execFileSync(
    "find",
    [
      "packages",
      "demo",
      "testing",
      "bench",
      "faults",
      "e2e",
      "examples",
      "docs",
      "tsconfig.base.json",
      "tsconfig.json",
      "package-lock.json",
      "-type",
      "f",
      "-not",
      "-path",
      "*/node_modules/*",
      "-not",
      "-path",
      "*/dist/*",
      "-not",
      "-name",
      "*.tsbuildinfo",
    ],
    { cwd: root, encoding: "utf8", maxBuffer: 1e8 },
  );
  return listed
    .split("\n")
    .filter((name) => /\.(tsx?|json|html|js|md)$/.test(name))
    .sort();
}

async function build() {
  const wanted = digest(sources().map((name) => `${name}\0${readFileSync(path.join(root, name), "utf8")}`));
  if (noted("build") === wanted && existsSync(path.join(root, "packages/workbench/dist/index.html"))) return;
  rmSync(path.join(notes, "build"), { force: true });
  await quietly("Building the packages", "npx", ["tsc", "-b"]);
  await quietly("Building the workbench", "npm", ["run", "build", "--workspace", "packages/workbench"]);
  note("build", wanted);
}

/** @param {{ tests: boolean }} what whether the tests' needs are set up as well */
export async function setUp({ tests }) {
  const [major, minor] = process.versions.node.split(".").map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    throw new CannotSetUp(`Node 20.19 or newer is needed; this is ${process.versions.node}.`);
  await debianPackages(tests ? [postgresql, chromium, python, pgbouncer] : [postgresql]);
  await npmPackages();
  await build();
}

if (process.argv[1] === import.meta.filename) {
  await setUp({ tests: true }).catch((error) => {
    process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
    process.exitCode = 1;
  });
}
