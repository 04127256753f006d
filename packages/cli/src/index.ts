import { type Attribute, reservedSegments } from "@loyal-quill/core";
import { type SealOptions, sealKey } from "@loyal-quill/runtime";
import { onPublishModes } from "@loyal-quill/server";
import { Command, InvalidArgumentError, Option } from "commander";
import { addAccount } from "./commands/account.js";
import { check } from "./commands/check.js";
import { draft } from "./commands/draft.js";
import { outbox } from "./commands/outbox.js";
import { rehearseCommand } from "./commands/rehearse.js";
import { serve } from "./commands/serve.js";
import { type Started, startDemo } from "./commands/start.js";
import { trail } from "./commands/trail.js";
import { types } from "./commands/types.js";
import { secretOf, secretsOfEnvironment, signInOf } from "./from-environment.js";
import { CannotStart, closePatience, usualPatience } from "./listen.js";
import { addLog } from "./log-commands.js";
import { databaseUrl } from "./open-database.js";
import { collected, database, numberOption, pair } from "./options.js";
import { formats } from "./report/index.js";
import { rehearsalFormats } from "./report/rehearsal.js";

export type { HostPerson, MountedWorkbench, WorkbenchDatabase, WorkbenchOptions } from "@loyal-quill/server";
export { type Cluster, freePort, startCluster } from "./cluster/cluster.js";
export { checkFiles } from "./commands/check.js";
export { draft } from "./commands/draft.js";
export { installLog } from "./commands/log.js";
export { serve } from "./commands/serve.js";
export { type Started, type StartOptions, startDemo } from "./commands/start.js";
export { createWorkbench } from "./create-workbench.js";
export { CannotStart } from "./listen.js";
export { type Databases, provision, provisionAccounts } from "./provision.js";
export { demoPassword, type Secrets, secretsOf } from "./secrets.js";

const say = (line: string): void => {
  process.stdout.write(`${line}\n`);
};

function portNumber(text: string): number {
  const port = Number(text);
  if (!Number.isInteger(port) || port < 1 || port > 65_535)
    throw new InvalidArgumentError("A port is a whole number from 1 to 65535.");
  return port;
}

function announce(started: Started): void {
  const width = Math.max(...started.accounts.map((account) => account.email.length));
  const passwords = Math.max(...started.accounts.map((account) => account.password.length));
  say("");
  say(`  Pages      ${started.address}/`);
  say(`  Workbench  ${started.address}/workbench`);
  say(`  Page files ${started.pages}`);
  say("");
  say("  Demo accounts:");
  for (const account of started.accounts)
    say(`    ${account.email.padEnd(width)}  ${account.password.padEnd(passwords)}  ${account.what}`);
  say("");
  say("Ready. Ctrl+C stops everything.");
}

/** Stops on Ctrl+C, a terminal that closes, or a polite kill; a second one does not interrupt the first. */
function stopOnSignals(started: { readonly stop: () => Promise<void> }, stopped: string, within: number): void {
  let stopping = false;
  for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) {
    process.on(signal, () => {
      if (stopping) return;
      stopping = true;
      say("\nStopping …");
      // Whatever holds it up, it ends.
      setTimeout(() => {
        process.stderr.write("It did not stop in time.\n");
        process.exit(1);
      }, within).unref();
      started.stop().then(
        () => {
          say(stopped);
          process.exit(0);
        },
        (error: unknown) => {
          process.stderr.write(`It did not stop cleanly: ${String(error)}\n`);
          process.exit(1);
        },
      );
    });
  }
}

const port = (): Option =>
  new Option("--port <number>", "port (environment: PORT; otherwise 4310 or the next free one)")
    .argParser(portNumber)
    .env("PORT");
/** An attribute of a person: a number, a truth, nothing or a list where it is written so in JSON, otherwise a text. */
function attribute(text: string, before: Readonly<Record<string, Attribute>>): Record<string, Attribute> {
  const [name = "", value = ""] = Object.entries(pair(text, {}))[0] ?? [];
  return { ...before, [name]: attributeOf(value) };
}

function attributeOf(text: string): Attribute {
  try {
    const value: unknown = JSON.parse(text);
    if (value === null || ["number", "boolean", "string"].includes(typeof value)) return value as Attribute;
    if (Array.isArray(value) && value.every((each) => typeof each === "string")) return value as string[];
  } catch {
    // A text that is no JSON is meant as it stands.
  }
  return text;
}

function addStart(program: Command): void {
  program
    .command("start")
    .description("the demo: a PostgreSQL of its own on loopback, Marrow Vale, the workbench and the pages")
    .addOption(port())
    .option(
      "--data <directory>",
      "where the data lie (environment: LOYAL_QUILL_DATA; otherwise .data in the project)",
      process.env.LOYAL_QUILL_DATA || undefined,
    )
    .option("--fresh", "make the demo anew", false)
    .option("--large", "fill the demo's large table with five million notes in the background", false)
    .action(async (told: { port?: number; data?: string; fresh: boolean; large: boolean }) => {
      const started = await startDemo(
        { port: told.port, directory: told.data, fresh: told.fresh, large: told.large },
        say,
      );
      stopOnSignals(started, "Stopped: the server and its database cluster.", usualPatience + 60_000);
      announce(started);
    });
}

function addServe(program: Command): void {
  program
    .command("serve")
    .description("the pages of a directory, over a database")
    .addOption(database())
    .requiredOption("--pages <directory>", "the page files")
    .addOption(
      new Option(
        "--store <url>",
        "a database of its own, for accounts, sessions and recorded requests (environment: QUILL_STORE)",
      ),
    )
    .addOption(port())
    .option("--host <address>", "the address to listen on", "127.0.0.1")
    .option("--no-workbench", "the pages only")
    .option("--as <name>", "no sign-in: every request is this person's; on loopback only")
    .option("--also <what...>", "NAME URL DIRECTORY: another database with its page files, served below /NAME", [])
    .option("--role <role>", "a role of that person; may be repeated", collected, [])
    .option(
      "--attribute <name=value>",
      "what conditions know of that person besides, as JSON where it is any; may be repeated",
      attribute,
      {},
    )
    .option("--steps", "with --as: the steps of each request on the console, a line each", false)
    .option("--trace", "with --as: the same, with every value and statement", false)
    .addOption(
      numberOption("--pool-size <number>", "connections to each database at most (otherwise 10)", 1, 1000).env(
        "QUILL_POOL_SIZE",
      ),
    )
    .addOption(
      numberOption("--form-age <hours>", "how old a form may be (otherwise 24)", 1, 8760).env("QUILL_FORM_AGE"),
    )
    .addOption(
      numberOption("--stop-within <seconds>", "how long a stop waits for answers (otherwise 10)", 0, 3600).env(
        "QUILL_STOP_WITHIN",
      ),
    )
    .addOption(
      new Option("--rehearsal <mode>", "what a page's quick rehearsal does before it is published in the workbench")
        .choices(onPublishModes)
        .default("warn")
        .env("QUILL_REHEARSAL"),
    )
    .option(
      "--seals-to <place>",
      "writes the seals of the change log there as well: a file, - or an address; may be repeated",
      collected,
      [],
    )
    .option("--no-seals", "makes no seals: somebody else does, with quill log seal")
    .option("--name <name>", "what the application is called", "Loyal Quill")
    .addOption(
      numberOption("--behind-proxy [hops]", "behind so many proxies (1), the last of which ends HTTPS", 1, 10).preset(
        1,
      ),
    )
    .option("--origin <address>", "its own address as browsers see it, like https://records.example")
    .option("--host-name <name>", "a further name under which it may be asked; may be repeated", collected, [])
    .option(
      "--plain-http",
      "on another address than loopback without HTTPS: what is sent can be read on its way",
      false,
    )
    .addOption(
      numberOption("--session-idle <minutes>", "without a request a session ends then (otherwise 120)", 5, 10_080),
    )
    .addOption(numberOption("--session-end <hours>", "a session ends then in any case (otherwise 12)", 1, 720))
    .option("--second-factor <role>", "a role that needs a second factor; may be repeated", collected, [])
    .option("--no-passwords", "people sign in with the provider of QUILL_OIDC_ISSUER only")
    .addHelpText(
      "after",
      `
Secrets come from the environment, or from a file that the variable with _FILE at its end names:
  DATABASE_URL, QUILL_STORE   instead of --database and --store
  QUILL_SIGNING_KEYS          of 32 bytes at least, the newest first: they keep sessions and forms valid over restarts
  QUILL_SEAL_KEY              a private key (Ed25519, PEM) that seals of the change log are signed with: see docs/log.md
  QUILL_SEAL_SECRET           what seals that are posted are signed with, as a webhook is
  QUILL_OIDC_CLIENT_SECRET    with QUILL_OIDC_ISSUER and QUILL_OIDC_CLIENT_ID: single sign-on, see docs/deploying.md`,
    )
    .action(async (told) => {
      const serving = await serve(
        {
          ...told,
          also: databasesOf(told.also as string[]),
          roles: told.role,
          attributes: told.attribute,
          steps: told.trace ? "values" : told.steps ? "steps" : "none",
          database: databaseUrl(told.database),
          signingKeys: secretsOfEnvironment("QUILL_SIGNING_KEYS", "QUILL_SIGNING_KEY"),
          store: told.store ?? secretOf("QUILL_STORE"),
          hostNames: told.hostName,
          seals: sealsOf(told),
          ...(told.as === undefined ? { signIn: signInOf(told) } : {}),
        },
        say,
      );
      const patience = told.stopWithin === undefined ? usualPatience : told.stopWithin * 1000;
      stopOnSignals(serving, "Stopped.", patience + 2 * closePatience);
      say(`Ready: ${serving.address}/   Ctrl+C stops it.`);
    });
}

/** What is done with seals, by the command line and the environment. */
function sealsOf({
  seals,
  sealsTo,
}: {
  readonly seals: boolean;
  readonly sealsTo: readonly string[];
}): SealOptions | false {
  const [privateKey, secret] = [secretOf("QUILL_SEAL_KEY"), secretOf("QUILL_SEAL_SECRET")];
  if (privateKey !== undefined) {
    try {
      sealKey(privateKey);
    } catch (error) {
      throw new CannotStart(
        `QUILL_SEAL_KEY is no private key that seals can be signed with: ${(error as Error).message}`,
      );
    }
  }
  if (!seals) return false;
  return {
    to: sealsTo,
    ...(privateKey === undefined ? {} : { privateKey }),
    ...(secret === undefined ? {} : { secret }),
  };
}

/** Three words a database: its name, its address, the directory of its page files. */
function databasesOf(words: readonly string[]): { name: string; databaseUrl: string; pages: string }[] {
  if (words.length % 3 !== 0)
    throw new CannotStart(
      "--also takes three words: a name, the address of the database, the directory of its page files.",
    );
  return Array.from({ length: words.length / 3 }, (_, index) => {
    const [name = "", address = "", pages = ""] = words.slice(index * 3, index * 3 + 3);
    if (!/^[a-z][a-z0-9-]{0,62}$/.test(name) || reservedSegments.has(name))
      throw new CannotStart(
        `"${name}" can't be the name of a database here: small letters, digits and hyphens, like archive.`,
      );
    return { name, databaseUrl: address, pages };
  });
}

function addPageFileCommands(program: Command): void {
  program
    .command("draft")
    .description("page files from tables; says which tables have no safe key, and why")
    .argument("[tables...]", "schema.table")
    .addOption(database())
    .option("--all", "of every table", false)
    .option("--to <directory>", "where the files go; without it they are shown")
    .action(async (tables: string[], told: { database?: string; all: boolean; to?: string }) => {
      if (told.all === tables.length > 0) throw new CannotStart("Which tables? Name them, or say --all.");
      if (told.all && told.to === undefined) throw new CannotStart("Where do the files go? Say --to DIRECTORY.");
      process.exitCode = await draft(
        { database: databaseUrl(told.database), tables: told.all ? undefined : tables, to: told.to },
        say,
      );
    });
  program
    .command("types")
    .description("the types of tables' rows in TypeScript, for steps of one's own")
    .argument("[tables...]", "schema.table; all of them where none is named")
    .addOption(database())
    .option("--to <file>", "where they go; without it they are shown")
    .action(async (tables: string[], told: { database?: string; to?: string }) =>
      types({ database: databaseUrl(told.database), tables: tables.length > 0 ? tables : undefined, to: told.to }, say),
    );
  program
    .command("check")
    .description("the review: page files held against a database; exit code 1 on an error")
    .argument("<files...>", "page files, or directories of them")
    .addOption(database())
    .addOption(new Option("--format <format>", "how it is written").choices(formats).default("text"))
    .option("--no-rows", "leave the stored rows alone")
    .action(async (files: string[], told) => {
      process.exitCode = await check({ ...told, files, database: databaseUrl(told.database) }, (text) =>
        process.stdout.write(text),
      );
    });
}

function addRehearsal(program: Command): void {
  program
    .command("rehearse")
    .description(
      "the rehearsal: pages run against prepared requests, all rolled back; exit code 1 where one comes out otherwise",
    )
    .argument("<files...>", "page files, or directories of them")
    .addOption(database())
    .addOption(new Option("--format <format>", "how it is written").choices(rehearsalFormats).default("text"))
    .option("--quick", "only what is quickly done", false)
    .option("--all", "list what a page has nothing for as well", false)
    .option("--people <file>", "a list of people (YAML) to rehearse as, with id, name, roles and attributes")
    .option("--against <directory>", "page files as they were: what comes out otherwise than with them is told")
    .action(async (files: string[], told) => {
      process.exitCode = await rehearseCommand({ ...told, files, database: databaseUrl(told.database) }, (text) =>
        process.stdout.write(text),
      );
    });
}

function storeOf(told: string | undefined): string {
  const url = told ?? secretOf("QUILL_STORE");
  if (url === undefined)
    throw new CannotStart("Which store? Say --store postgresql://user@host:port/name, or set QUILL_STORE.");
  return url;
}

function addAdministration(program: Command): void {
  program
    .command("outbox")
    .description("what is still to be done after saves, and what was given up")
    .addOption(database())
    .option("--again", "have what was given up tried again", false)
    .action(async (told: { database?: string; again: boolean }) =>
      outbox({ database: databaseUrl(told.database), again: told.again }, say),
    );
  program
    .command("trail")
    .description("who signed in, and what was done to accounts, pages and drafts; newest first")
    .addOption(new Option("--store <url>", "the store (environment: QUILL_STORE)"))
    .option("--action <name>", "an action, or the beginning of several, like sign-in.failed or account.")
    .option("--person <id>", "who did it, or to whose account it was done")
    .addOption(numberOption("--days <number>", "how far back", 1, 3660).default(30))
    .option("--json", "one JSON object a line", false)
    .action(async (told) => trail({ ...told, store: storeOf(told.store) }, say));
  program
    .command("account")
    .description("who can sign in")
    .command("add")
    .argument("<email>")
    .requiredOption("--name <name>", "the person's name")
    .addOption(new Option("--store <url>", "the store (environment: QUILL_STORE)"))
    .option(
      "--role <role>",
      "a role: builder, administrator, auditor, or one of the pages' own; may be repeated",
      collected,
      [],
    )
    .option("--attribute <name=value>", "what conditions know of the person besides; may be repeated", pair, {})
    .action(async (email: string, told) =>
      addAccount(
        { email, store: storeOf(told.store), name: told.name, roles: told.role, attributes: told.attribute },
        say,
      ),
    );
}

/** The command `quill`. */
export async function run(argv: readonly string[]): Promise<void> {
  // A reader that is gone, like the end of a pipe, must not end a server before it has stopped its database.
  for (const stream of [process.stdout, process.stderr]) {
    stream.on("error", (error: NodeJS.ErrnoException) => {
      if (error.code !== "EPIPE") throw error;
    });
  }
  const program = new Command("quill")
    .description("Build, prove and serve edit pages over a PostgreSQL database.")
    .showHelpAfterError();
  addStart(program);
  addServe(program);
  addPageFileCommands(program);
  addRehearsal(program);
  addLog(program, say);
  addAdministration(program);
  try {
    await program.parseAsync(argv);
  } catch (error) {
    if (error instanceof CannotStart) process.stderr.write(`${error.message}\n`);
    else
      process.stderr.write(
        `Loyal Quill could not go on: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`,
      );
    // Something that was begun may still hold the process; what can't go on ends.
    process.exit(1);
  }
}
