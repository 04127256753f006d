import os from "node:os";
import process from "node:process";
import type { ExportForm } from "@loyal-quill/core";
import { type Command, Option } from "commander";
import type { Say } from "./cluster/cluster.js";
import { databaseUrl, secretOf } from "./from-environment.js";
import { CannotStart } from "./listen.js";
import { collected, database, numberOption, pair } from "./options.js";

const exportForms = ["jsonl", "csv", "cloudevents"] as const satisfies readonly ExportForm[];

/** What the commands do, loaded with the first of them that is run. */
const commands = {
  log: () => import("./commands/log.js"),
  export: () => import("./commands/log-export.js"),
  keep: () => import("./commands/log-keep.js"),
  verify: () => import("./commands/log-verify.js"),
  watch: () => import("./commands/log-watch.js"),
};

const key = (text: string, before: Readonly<Record<string, string>>): Record<string, string> => pair(text, before);

/** The account that the command runs as: by its number where it has no name, as in a container that is run as any user. */
function accountName(): string {
  try {
    return os.userInfo().username;
  } catch {
    return `user ${process.getuid?.() ?? "unknown"}`;
  }
}

/** Who is named as having dropped or erased something. */
const by = (): Option =>
  new Option("--by <name>", "who does it, for the seal that says so").default(accountName(), "the account's name");

/** Writes to standard output, and waits until what reads it takes more. @throws where nobody reads it any more */
const write = (text: string): Promise<void> =>
  new Promise((resolve, reject) => {
    const { stdout } = process;
    const gone = (): void => reject(new CannotStart("Nobody reads what is written any more."));
    const done = (): void => {
      for (const name of ["error", "close"]) stdout.off(name, gone);
      resolve();
    };
    if (stdout.destroyed) return gone();
    for (const name of ["error", "close"]) stdout.once(name, gone);
    if (stdout.write(text)) setImmediate(done);
    else stdout.once("drain", done);
  });

function addChecks(log: Command, say: Say): void {
  log
    .command("verify")
    .description("works out anew what the log says of itself; exit code 1 where something is wrong")
    .addOption(database())
    .option("--from <moment>", "entries since then, as far as their seals go: 2026-03-01")
    .option("--to <moment>", "entries until then")
    .option("--table <name>", "with --key: the entries of one record")
    .option("--key <column=value>", "the record's key; may be repeated", key, {})
    .option("--public-key <file>", "the key that seals are signed with")
    .option(
      "--seals <place>",
      "seals that were kept elsewhere, to hold those of the log against: a file, an address or '| command'; may be repeated",
      collected,
      [],
    )
    .option("--json", "the report as JSON", false)
    .action(async (told) => {
      process.exitCode = await (await commands.verify()).verify({ ...told, database: databaseUrl(told.database) }, say);
    });
  log
    .command("seal")
    .description("seals what has no seal yet, and sends places what they lack")
    .addOption(database())
    .option(
      "--to <place>",
      "sends seals there as well: a file, an address, '| command' or -; what could not be sent is sent at the next occasion; may be repeated",
      collected,
      [],
    )
    .option("--all", "sends each place all seals, a file those that it lacks", false)
    .addHelpText(
      "after",
      `
From the environment, or from a file that the variable with _FILE at its end names:
  QUILL_SEAL_KEY      a private key (Ed25519, PEM) that seals are signed with: openssl genpkey -algorithm ed25519
  QUILL_SEAL_SECRET   what seals that are posted are signed with, as a webhook is`,
    )
    .action(async (told: { database?: string; to: string[]; all: boolean }) => {
      process.exitCode = await (await commands.verify()).seal(
        {
          all: told.all,
          database: databaseUrl(told.database),
          to: told.to,
          privateKey: secretOf("QUILL_SEAL_KEY"),
          secret: secretOf("QUILL_SEAL_SECRET"),
        },
        say,
      );
    });
}

function addWatching(log: Command, say: Say): void {
  log
    .command("watch")
    .description("logs whatever happens to a table, whoever does it; as the owner of the table and the log")
    .argument("<table>", "schema.table")
    .addOption(database())
    .option("--key <column>", "a column of the key by which rows are named; may be repeated", collected, [])
    .option("--hide <column>", "log only that it changed; may be repeated", collected, [])
    .option("--show <column>", "it looks like a secret and is none: log its values; may be repeated", collected, [])
    .option("--no-baseline", "keep no digest of each row as it is now")
    .action(
      async (
        table: string,
        told: { database?: string; key: string[]; hide: string[]; show: string[]; baseline: boolean },
      ) =>
        (await commands.watch()).watch(
          { ...told, table, hidden: told.hide, shown: told.show, database: databaseUrl(told.database) },
          say,
        ),
    );
  log
    .command("unwatch")
    .description("watches a table no more")
    .argument("<table>", "schema.table")
    .addOption(database())
    .action(async (table: string, told: { database?: string }) =>
      (await commands.watch()).unwatch({ table, database: databaseUrl(told.database) }, say),
    );
  log
    .command("watched")
    .description("the tables that are watched, and how")
    .addOption(database())
    .action(async (told: { database?: string }) =>
      (await commands.watch()).watched({ database: databaseUrl(told.database) }, say),
    );
}

function addKeeping(log: Command, say: Say): void {
  log
    .command("keep")
    .description("how long entries are kept; lists the rules")
    .argument("[table]", "schema.table, or * for tables without a rule of their own")
    .addOption(database())
    .addOption(numberOption("--months <number>", "for so many months", 1, 1200))
    .addOption(numberOption("--last <number>", "and so many entries of each record in any case", 0, 1000).default(0))
    .option("--forever", "takes the rule away", false)
    .action(async (table: string | undefined, told) =>
      (await commands.keep()).keep({ ...told, table, database: databaseUrl(told.database) }, say),
    );
  log
    .command("drop")
    .description("drops the months that may go by the rules, each after a seal that says so; as the log's owner")
    .addOption(database())
    .addOption(by())
    .option("--dry-run", "only says what would be dropped", false)
    .action(async (told: { database?: string; by: string; dryRun: boolean }) =>
      (await commands.keep()).dropMonths({ ...told, database: databaseUrl(told.database), now: new Date() }, say),
    );
  log
    .command("erase")
    .description("erases values of a record from its entries; the log still verifies; as its owner")
    .argument("<table>", "schema.table")
    .addOption(database())
    .option("--key <column=value>", "the record's key; may be repeated", key, {})
    .option("--field <name>", "a field whose values go; may be repeated", collected, [])
    .option("--reasons", "the reasons that people gave go as well", false)
    .requiredOption("--why <text>", "why, for the seal that says so")
    .addOption(by())
    .action(async (table: string, told) =>
      (await commands.keep()).erase({ ...told, table, fields: told.field, database: databaseUrl(told.database) }, say),
    );
}

/** `quill log …`: the change log of a database. */
export function addLog(program: Command, say: Say): void {
  const log = program.command("log").description("the change log of a database");
  log
    .command("install")
    .description("makes the log in schema quill_log, or upgrades it; as the database's owner")
    .addOption(database())
    .option("--for <role>", "a role that serves pages; may be repeated", collected, [])
    .option("--read-by <role>", "a role that reads the log and verifies it; may be repeated", collected, [])
    .action(async (told: { database?: string; for: string[]; readBy: string[] }) =>
      (await commands.log()).installLog(
        { database: databaseUrl(told.database), roles: told.for, readers: told.readBy, now: new Date() },
        say,
      ),
    );
  addChecks(log, say);
  addWatching(log, say);
  addKeeping(log, say);
  log
    .command("export")
    .description("the log's entries, to standard output; the cursor for the next time comes last, or on standard error")
    .addOption(database())
    .addOption(new Option("--format <format>", "how they are written").choices(exportForms).default("jsonl"))
    .option("--since <cursor>", "what was added since an earlier export")
    .option("--source <address>", "what stands for this database in CloudEvents", "urn:loyal-quill")
    .action(async (told) => {
      const cursor = await (await commands.export()).exportLog(
        { ...told, database: databaseUrl(told.database) },
        write,
      );
      if (told.format !== "jsonl") process.stderr.write(`${cursor}\n`);
    });
  log
    .command("import")
    .description("adds the history of another log, a line of JSON an entry (docs/log.md); as the log's owner")
    .argument("<file>")
    .addOption(database())
    .option("--dry-run", "only looks whether it can be", false)
    .action(async (file: string, told: { database?: string; dryRun: boolean }) =>
      (await commands.keep()).importLog({ file, dryRun: told.dryRun, database: databaseUrl(told.database) }, say),
    );
  log
    .command("notify")
    .description("has listeners on the channel quill_log told of entries, or no more; as the log's owner")
    .addOption(new Option("--off", "no more").default(false))
    .addOption(database())
    .action(async (told: { database?: string; off: boolean }) =>
      (await commands.keep()).notify({ database: databaseUrl(told.database), on: !told.off }, say),
    );
}
