import { readFileSync } from "node:fs";
import { Command, Option } from "commander";
import type { Started } from "./commands/start.js";
import { databaseUrl, secretsOfEnvironment, standbysByDatabase, storeUrl } from "./from-environment.js";
import { CannotStart, usualPatience } from "./listen.js";
import { addLog } from "./log-commands.js";
import { collected, controlColumn, database, numberOption, pair, port } from "./options.js";
import { formats } from "./report/formats.js";
import { addServe } from "./serve-command.js";
import { stopOnSignals } from "./stop.js";

/*
 * The command line. A command loads what it needs when it is run: most need neither the server nor what it keeps its store with, which take longer to
 * load than the command takes.
 */

const say = (line: string): void => {
  process.stdout.write(`${line}\n`);
};

function announce(started: Started): void {
  const width = Math.max(...started.accounts.map((account) => account.email.length));
  const passwords = Math.max(...started.accounts.map((account) => account.password.length));
  say("");
  say(`  Pages      ${started.address}/`);
  say(`  Workbench  ${started.address}/workbench`);
  say(`  Page files ${started.pages}`);
  say("  Database   npx quill demo url prints its address, for other commands (--owner, --archive)");
  say("");
  say("  Demo accounts:");
  for (const account of started.accounts)
    say(`    ${account.email.padEnd(width)}  ${account.password.padEnd(passwords)}  ${account.what}`);
  say("");
  say("Ready. Ctrl+C stops everything.");
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
      const { startDemo } = await import("./commands/start.js");
      const started = await startDemo(
        { port: told.port, directory: told.data, fresh: told.fresh, large: told.large },
        say,
      );
      stopOnSignals(started, "Stopped: the server and its database cluster.", usualPatience + 60_000, say);
      announce(started);
    });
}

function addDemo(program: Command): void {
  program
    .command("demo")
    .description("the running demo")
    .command("url")
    .description("the address of its database: export DATABASE_URL=$(quill demo url)")
    .option("--owner", "as the owner of the tables, in the place of the user who serves pages", false)
    .option("--archive", "of the demo's second database", false)
    .option(
      "--data <directory>",
      "where the data lie (environment: LOYAL_QUILL_DATA; otherwise .data in the project)",
      process.env.LOYAL_QUILL_DATA || undefined,
    )
    .action(async (told: { owner: boolean; archive: boolean; data?: string }) => {
      const { demoUrl } = await import("./commands/demo-url.js");
      say(await demoUrl({ directory: told.data, owner: told.owner, archive: told.archive }));
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
      const { draft } = await import("./commands/draft.js");
      process.exitCode = await draft(
        { database: databaseUrl(told.database), tables: told.all ? undefined : tables, to: told.to },
        say,
      );
    });
  program
    .command("adopt")
    .description(
      "a page file from a form that was written elsewhere, and what is wrong with that; exit code 1 on an error",
    )
    .argument("<source>", "the address of the form of one record, on this machine; or a saved page")
    .addOption(database())
    .option("--table <table>", "schema.table; where it is left out, what its handler or its controls tell")
    .option("--key <column=value>", "the record that it shows; may be repeated", pair, {})
    .option(
      "--column <control=column>",
      "which column a control is for, where it is matched with another; nothing after = for none; may be repeated",
      controlColumn,
      {},
    )
    .option("--handler <file>", "its handler, in JavaScript or TypeScript")
    .option("--header <header>", "with which it is asked for, such as 'Cookie: …'; may be repeated", collected, [])
    .option(
      "--time-zone <zone>",
      "in which the form shows moments, such as Europe/London; may be repeated",
      collected,
      [],
    )
    .option("--to <directory>", "where the page file goes; without it it is shown")
    .addOption(new Option("--format <format>", "how it is written").choices(formats.adopt).default("text"))
    .action(async (source: string, told) => {
      const { adopt } = await import("./commands/adopt.js");
      const headers = Object.fromEntries(
        (told.header as string[]).map((each) => {
          const [name = "", ...value] = each.split(":");
          return [name.trim(), value.join(":").trim()];
        }),
      );
      process.exitCode = await adopt(
        { ...told, source, headers, columns: told.column, zones: told.timeZone, database: databaseUrl(told.database) },
        (text) => process.stdout.write(text),
      );
    });
  program
    .command("export")
    .description(
      "pages as plain code for Express and pg, which needs nothing of ours; exit code 1 where one can't be exported",
    )
    .argument("<files...>", "page files, directories of them, or names of pages in pages/")
    .addOption(database())
    .requiredOption("--to <directory>", "where the code goes: a directory for each page, and what they share")
    .option("--force", "write over files that differ", false)
    .action(async (files: string[], told: { database?: string; to: string; force: boolean }) => {
      const { exportFiles } = await import("./commands/export.js");
      process.exitCode = await exportFiles({ ...told, files, database: databaseUrl(told.database) }, say);
    });
  program
    .command("types")
    .description("the types of tables' rows in TypeScript, for steps of one's own")
    .argument("[tables...]", "schema.table; all of them where none is named")
    .addOption(database())
    .option("--to <file>", "where they go; without it they are shown")
    .action(async (tables: string[], told: { database?: string; to?: string }) => {
      const { types } = await import("./commands/types.js");
      await types(
        { database: databaseUrl(told.database), tables: tables.length > 0 ? tables : undefined, to: told.to },
        say,
      );
    });
  program
    .command("check")
    .description("the review: page files held against a database; exit code 1 on an error")
    .argument("<files...>", "page files, directories of them, or names of pages in pages/")
    .addOption(database())
    .addOption(new Option("--format <format>", "how it is written").choices(formats.review).default("text"))
    .option("--no-rows", "leave the stored rows alone")
    .action(async (files: string[], told) => {
      const { check } = await import("./commands/check.js");
      process.exitCode = await check({ ...told, files, database: databaseUrl(told.database) }, (text) =>
        process.stdout.write(text),
      );
    });
}

function addDoctor(program: Command): void {
  program
    .command("doctor")
    .description("looks at all that serving pages needs, and says what to do; exit code 1 where something is bad")
    .addOption(database())
    .option("--store <url>", "the store (environment: QUILL_STORE)")
    .option("--pages <directory>", "the page files")
    .option("--replica <url>", "a standby; may be repeated (environment: QUILL_REPLICAS)", collected, [])
    .addOption(
      numberOption("--pool-size <number>", "connections that one process may want", 1, 1000)
        .default(10)
        .env("QUILL_POOL_SIZE"),
    )
    .option("--json", "as JSON", false)
    .action(async (told) => {
      const { doctor } = await import("./commands/doctor.js");
      process.exitCode = await doctor(
        {
          ...told,
          database: databaseUrl(told.database),
          store: storeUrl(told.store),
          pages: told.pages,
          replicas: standbysByDatabase(told.replica).get("") ?? [],
          poolSize: told.poolSize,
          json: told.json,
          now: new Date(),
        },
        say,
      );
      // A connection that hangs is nobody's to wait for.
      setTimeout(() => process.exit(), 300).unref();
    });
}

function addRehearsal(program: Command): void {
  program
    .command("rehearse")
    .description(
      "the rehearsal: pages run against prepared requests, all rolled back; exit code 1 where one comes out otherwise",
    )
    .argument("<files...>", "page files, directories of them, or names of pages in pages/")
    .addOption(database())
    .addOption(new Option("--format <format>", "how it is written").choices(formats.rehearsal).default("text"))
    .option("--quick", "only what is quickly done", false)
    .option("--all", "list what a page has nothing for as well", false)
    .option("--people <file>", "a list of people (YAML) to rehearse as, with id, name, roles and attributes")
    .option("--against <directory>", "page files as they were: what comes out otherwise than with them is told")
    .action(async (files: string[], told) => {
      const { rehearseCommand } = await import("./commands/rehearse.js");
      process.exitCode = await rehearseCommand({ ...told, files, database: databaseUrl(told.database) }, (text) =>
        process.stdout.write(text),
      );
    });
}

function addRows(program: Command): void {
  const rows = program.command("rows").description("a page's records for editing in a spreadsheet, and back");
  const options = (command: Command): Command =>
    command
      .addOption(database())
      .requiredOption("--pages <directory>", "the page files")
      .requiredOption("--as <id>", "the person's id; a file comes back from who downloaded it")
      .option("--role <role>", "a role of that person; may be repeated", collected, [])
      .option("--attribute <name=value>", "what conditions know of the person besides; may be repeated", pair, {});
  const given = (told: {
    database?: string;
    pages: string;
    as: string;
    role: string[];
    attribute: Record<string, string>;
  }) => ({
    database: databaseUrl(told.database),
    pages: told.pages,
    as: told.as,
    roles: told.role,
    attributes: told.attribute,
    signingKeys: secretsOfEnvironment("QUILL_SIGNING_KEYS", "QUILL_SIGNING_KEY"),
  });
  options(rows.command("get"))
    .description(
      "downloads a page's list for editing (its page file has spreadsheet: true; environment: QUILL_SIGNING_KEYS)",
    )
    .argument("<page>", "the page's name")
    .requiredOption("--to <file>", "where it goes, FILE.csv or FILE.xlsx")
    .option("--query <query>", "filters and order as in the list's address: is.status=live&sort=-code", "")
    .action(async (page: string, told) => {
      const { getRows } = await import("./commands/rows.js");
      await getRows({ ...given(told), page, to: told.to, query: told.query }, say);
    });
  options(rows.command("apply"))
    .description("looks at such a file that was edited, or saves it; exit code 1 where a row is refused or in conflict")
    .argument("<file>", "the edited file")
    .addOption(new Option("--dry-run", "write nothing").conflicts("save"))
    .option("--save", "save it")
    .option("--reason <text>", "why, where the page asks")
    .option("--add-new", "make new records of rows without a mark")
    .option("--left <file>", "where rows go that can't be saved as they are, with messages: FILE.csv or FILE.xlsx")
    .addOption(
      new Option(
        "--conflicts <which>",
        "where somebody else has changed the same field: leave it, or take the values of the file (mine)",
      )
        .choices(["leave", "mine"])
        .default("leave"),
    )
    .addOption(new Option("--format <format>", "how it is written").choices(formats.rows).default("text"))
    .action(async (file: string, told) => {
      if (!told.save && !told.dryRun) throw new CannotStart("Say --dry-run to look at the file, or --save to save it.");
      const { applyRows } = await import("./commands/rows.js");
      process.exitCode = await applyRows(
        {
          ...given(told),
          file,
          save: told.save === true,
          reason: told.reason,
          conflicts: told.conflicts,
          addsNew: told.addNew === true,
          left: told.left,
          format: told.format,
        },
        (text) => process.stdout.write(text),
      );
    });
}

function storeOf(told: string | undefined): string {
  const url = storeUrl(told);
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
    .action(async (told: { database?: string; again: boolean }) => {
      const { outbox } = await import("./commands/outbox.js");
      await outbox({ database: databaseUrl(told.database), again: told.again }, say);
    });
  program
    .command("trail")
    .description("who signed in, and what was done to accounts, pages and drafts; newest first")
    .addOption(new Option("--store <url>", "the store (environment: QUILL_STORE)"))
    .option("--action <name>", "an action, or the beginning of several, like sign-in.failed or account.")
    .option("--person <id>", "who did it, or to whose account it was done")
    .addOption(numberOption("--days <number>", "how far back", 1, 3660).default(30))
    .option("--json", "one JSON object a line", false)
    .action(async (told) => {
      const { trail } = await import("./commands/trail.js");
      await trail({ ...told, store: storeOf(told.store) }, say);
    });
  program
    .command("account")
    .description("who can sign in")
    .command("add")
    .description("makes an account with a password that is shown once; on an empty database it makes the store first")
    .argument("<email>", "the address that the person signs in with")
    .requiredOption("--name <name>", "the person's name")
    .addOption(new Option("--store <url>", "the store (environment: QUILL_STORE)"))
    .option(
      "--role <role>",
      "a role: builder, steward, administrator, auditor, or one of the pages' own; may be repeated",
      collected,
      [],
    )
    .option("--attribute <name=value>", "what conditions know of the person besides; may be repeated", pair, {})
    .action(async (email: string, told) => {
      const { addAccount } = await import("./commands/account.js");
      await addAccount(
        { email, store: storeOf(told.store), name: told.name, roles: told.role, attributes: told.attribute },
        say,
      );
    });
}

const ownVersion = (): string =>
  JSON.parse(readFileSync(new URL("../package.json", import.meta.url), "utf8")).version as string;

/** All commands of `quill` with their arguments and options, none of them run. */
export function commands(): Command {
  const program = new Command("quill")
    .description("Build, prove and serve edit pages over a PostgreSQL database.")
    .version(ownVersion(), "-V, --version", "display the version")
    .showHelpAfterError();
  addStart(program);
  addDemo(program);
  addServe(program, say);
  addPageFileCommands(program);
  addRehearsal(program);
  addRows(program);
  addDoctor(program);
  addLog(program, say);
  addAdministration(program);
  return program;
}

/** A file that isn't there or can't be written, an address that nothing listens on: Node.js says which, and its stack helps nobody. */
const isOfTheSystem = (error: unknown): error is NodeJS.ErrnoException =>
  error instanceof Error && "syscall" in error && "code" in error;

/** The command `quill`. */
export async function run(argv: readonly string[]): Promise<void> {
  // A reader that is gone, like the end of a pipe, must not end a server before it has stopped its database.
  for (const stream of [process.stdout, process.stderr]) {
    stream.on("error", (error: NodeJS.ErrnoException) => {
      if (error.code !== "EPIPE") throw error;
    });
  }
  try {
    await commands().parseAsync(argv);
  } catch (error) {
    const isTheirs = error instanceof CannotStart || isOfTheSystem(error);
    if (isTheirs) process.stderr.write(`${error.message}\n`);
    else
      process.stderr.write(
        `Loyal Quill could not go on: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`,
      );
    // Something that was begun may still hold the process; what can't go on ends.
    process.exit(1);
  }
}
