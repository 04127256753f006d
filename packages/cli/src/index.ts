import { Command, InvalidArgumentError } from "commander";
import { CannotStart, type Started, startDemo } from "./start.js";

export { type Cluster, freePort, startCluster } from "./cluster/cluster.js";
export { type Databases, provision, provisionAccounts } from "./provision.js";
export { demoPassword, type Secrets, secretsOf } from "./secrets.js";
export { CannotStart, type Started, type StartOptions, startDemo } from "./start.js";

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
  say("");
  say("  Demo accounts:");
  for (const account of started.accounts)
    say(`    ${account.email.padEnd(width)}  ${account.password.padEnd(passwords)}  ${account.what}`);
  say("");
  say("Ready. Ctrl+C stops everything.");
}

/** Stops on Ctrl+C, a terminal that closes, or a polite kill; a second one does not interrupt the first. */
function stopOnSignals(started: Started): void {
  let stopping = false;
  for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) {
    process.on(signal, () => {
      if (stopping) return;
      stopping = true;
      say("\nStopping …");
      started.stop().then(
        () => {
          say("Stopped: the server and its database cluster.");
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

/** The command `quill`. */
export async function run(argv: readonly string[]): Promise<void> {
  const program = new Command("quill")
    .description("Build, prove and serve edit pages over a PostgreSQL database.")
    .showHelpAfterError();
  program
    .command("start")
    .description("the demo: a PostgreSQL of its own on loopback, Marrow Vale, the workbench and the pages")
    .option(
      "--port <number>",
      "port on 127.0.0.1 (environment: PORT; otherwise 4310 or the next free one)",
      portNumber,
      process.env.PORT ? portNumber(process.env.PORT) : undefined,
    )
    .option(
      "--data <directory>",
      "where the data lie (environment: LOYAL_QUILL_DATA; otherwise .data in the project)",
      process.env.LOYAL_QUILL_DATA || undefined,
    )
    .option("--fresh", "make the demo anew", false)
    .action(async ({ port, data, fresh }: { port?: number; data?: string; fresh: boolean }) => {
      const started = await startDemo({ port, directory: data, fresh }, say);
      stopOnSignals(started);
      announce(started);
    });
  try {
    await program.parseAsync(argv);
  } catch (error) {
    if (error instanceof CannotStart) process.stderr.write(`${error.message}\n`);
    else
      process.stderr.write(
        `Loyal Quill could not start: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`,
      );
    process.exitCode = 1;
  }
}
