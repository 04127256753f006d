import type { Attribute } from "@loyal-quill/core";
import type { SealOptions } from "@loyal-quill/runtime";
import type { OnPublish } from "@loyal-quill/server";
import { type Command, Option, type OptionValues } from "commander";
import type { Say } from "./cluster/cluster.js";
import type { ServeOptions } from "./commands/serve.js";
import {
  addressIn,
  addressOf,
  databaseUrl,
  type Standbys,
  secretOf,
  secretsOfEnvironment,
  signInOf,
  standbysByDatabase,
  storeUrl,
} from "./from-environment.js";
import { CannotStart, closePatience, usualPatience } from "./listen.js";
import { collected, database, numberOption, pair, port } from "./options.js";
import { stopOnSignals } from "./stop.js";

const onPublishModes = ["off", "warn", "refuse"] as const satisfies readonly OnPublish[];

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

/** The command with its options. */
const serveCommand = (program: Command) =>
  program
    .command("serve")
    .description("the pages of a directory, over a database")
    .addOption(database())
    .requiredOption("--pages <directory>", "the page files; store for those that were published in the workbench")
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
      numberOption("--pool-wait <seconds>", "how long one of them is waited for (otherwise 3)", 1, 600).env(
        "QUILL_POOL_WAIT",
      ),
    )
    .addOption(
      new Option(
        "--replica <url>",
        "a standby of the database, from which lists, records and histories are read; NAME=URL is one of a database of --also; may be repeated (environment: QUILL_REPLICAS)",
      )
        .argParser(collected)
        .default([], "none"),
    )
    .addOption(
      numberOption(
        "--replica-lag <seconds>",
        "one that is further behind is not read from (otherwise 10)",
        1,
        3600,
      ).env("QUILL_REPLICA_LAG"),
    )
    .option(
      "--store-direct <url>",
      "the store without the connection pooler that --store leads to, so that processes hear of each other at once (environment: QUILL_STORE_DIRECT)",
    )
    .addOption(
      numberOption("--workers <number>", "processes that serve at one port (otherwise 1)", 1, 256).env("QUILL_WORKERS"),
    )
    .addOption(
      numberOption(
        "--drain-delay <seconds>",
        "before a stop, /readyz says no for so long while everything is still served (otherwise 0)",
        0,
        600,
      ).env("QUILL_DRAIN_DELAY"),
    )
    .addOption(
      numberOption("--metrics-port <number>", "measurements for Prometheus at /metrics, on loopback", 1, 65_535).env(
        "QUILL_METRICS_PORT",
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
      "sends the seals of the change log there as well: a file, an address, '| command' or -; may be repeated",
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
  DATABASE_URL, QUILL_STORE   instead of --database and --store; an address may name several servers, see docs/scaling.md
  QUILL_REPLICAS              instead of --replica, a space between each
  QUILL_SIGNING_KEYS          of 32 bytes at least, the newest first: they keep sessions and forms valid over restarts
  QUILL_SEAL_KEY              a private key (Ed25519, PEM) that seals of the change log are signed with: see docs/log.md
  QUILL_SEAL_SECRET           what seals that are posted are signed with, as a webhook is
  QUILL_OIDC_CLIENT_SECRET    with QUILL_OIDC_ISSUER and QUILL_OIDC_CLIENT_ID: single sign-on, see docs/deploying.md`,
    );

/** What the command line gave, as Commander has it. */
interface ServeFlags extends OptionValues {
  readonly seals: boolean;
  readonly sealsTo: readonly string[];
  readonly passwords: boolean;
}

/** Serves by the options, in this process or in several. */
async function serveBy(told: ServeFlags, say: Say): Promise<void> {
  const { isFirst, isWorker, serveWithWorkers, tellReady } = await import("./workers.js");
  const delay = (told.drainDelay ?? 0) * 1000;
  const patience = delay + (told.stopWithin === undefined ? usualPatience : told.stopWithin * 1000) + 2 * closePatience;
  if (told.workers > 1 && !isWorker) {
    if (told.as !== undefined)
      throw new CannotStart("With --as one process serves: leave --workers out, or choose --store.");
    const { workers, port: wanted, metricsPort } = told;
    const serving = await serveWithWorkers({ workers, port: wanted, metricsPort, stopWithin: patience }, say);
    stopOnSignals(serving, "Stopped.", patience + closePatience, say);
    say(`Ready: ${serving.address}/   Ctrl+C stops it.`);
    return;
  }
  const tell: Say = isFirst ? say : () => {};
  const standbys = standbysByDatabase(told.replica);
  const { serve } = await import("./commands/serve.js");
  const serving = await serve(
    {
      ...told,
      pages: told.pages,
      also: await databasesOf(told.also as string[], standbys),
      roles: told.role,
      attributes: told.attribute,
      steps: told.trace ? "values" : told.steps ? "steps" : "none",
      database: databaseUrl(told.database),
      signingKeys: secretsOfEnvironment("QUILL_SIGNING_KEYS", "QUILL_SIGNING_KEY"),
      store: storeUrl(told.store),
      storeDirect: addressIn("--store-direct", told.storeDirect, "QUILL_STORE_DIRECT"),
      replicas: standbys.get("") ?? [],
      hostNames: told.hostName,
      seals: await sealsOf(told),
      ...(told.as === undefined ? { signIn: signInOf(told) } : {}),
      name: told.name,
      host: told.host,
      port: told.port,
      workbench: told.workbench,
      as: told.as,
    },
    tell,
  );
  stopOnSignals(serving, "Stopped.", patience, isWorker ? () => {} : tell);
  if (isWorker) tellReady(serving.address);
  else say(`Ready: ${serving.address}/   Ctrl+C stops it.`);
}

/** `quill serve`. */
export const addServe = (program: Command, say: Say): void =>
  void serveCommand(program).action((told: ServeFlags) => serveBy(told, say));

/** What is done with seals, by the command line and the environment. */
async function sealsOf({
  seals,
  sealsTo,
}: {
  readonly seals: boolean;
  readonly sealsTo: readonly string[];
}): Promise<SealOptions | false> {
  const [privateKey, secret] = [secretOf("QUILL_SEAL_KEY"), secretOf("QUILL_SEAL_SECRET")];
  if (privateKey !== undefined) {
    const { sealKey } = await import("@loyal-quill/runtime");
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
async function databasesOf(words: readonly string[], standbys: Standbys): Promise<NonNullable<ServeOptions["also"]>> {
  const { reservedSegments } = await import("@loyal-quill/core");
  if (words.length % 3 !== 0)
    throw new CannotStart(
      "--also takes three words: a name, the address of the database, the directory of its page files.",
    );
  const databases = Array.from({ length: words.length / 3 }, (_, index) => {
    const [name = "", address = "", pages = ""] = words.slice(index * 3, index * 3 + 3);
    if (!/^[a-z][a-z0-9-]{0,62}$/.test(name) || reservedSegments.has(name))
      throw new CannotStart(
        `"${name}" can't be the name of a database here: small letters, digits and hyphens, like archive.`,
      );
    return { name, databaseUrl: addressOf(`--also ${name}`, address), pages, replicas: standbys.get(name) ?? [] };
  });
  for (const name of standbys.keys())
    if (name !== "" && !databases.some((each) => each.name === name))
      throw new CannotStart(`--replica names "${name}", and no database of --also is called so.`);
  return databases;
}
