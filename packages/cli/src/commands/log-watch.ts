import {
  findTable,
  looksSecret,
  namesIn,
  readCatalog,
  unwatchStatements,
  watchedStatement,
  watchStatements,
} from "@loyal-quill/core";
import { overClient } from "@loyal-quill/runtime";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { inTransaction } from "../log-client.js";

interface WatchOptions {
  readonly database: string;
  readonly table: string;
  /** The columns of the key by which the log names the rows; where none are told, those that its pages use, else the primary key. */
  readonly key: readonly string[];
  /** Columns of which it is logged only that they changed, and those that look like secrets and are logged all the same. */
  readonly hidden: readonly string[];
  readonly shown?: readonly string[];
  readonly baseline: boolean;
}

const asOwner = (said: string): string =>
  `Nothing was changed: ${said}. Tables are watched by whoever owns both them and the log.`;

/** `quill log watch`: logs whatever happens to a table, whoever does it. */
export async function watch(
  { database, table: name, key, hidden: told, shown = [], baseline }: WatchOptions,
  say: Say,
): Promise<void> {
  const { key: keyed, hidden } = await inTransaction(
    database,
    async (client) => {
      const opened = overClient(client);
      const table = findTable((await readCatalog(opened)).tables, name);
      if (!table) throw new CannotStart(`There is no table ${name} that can be watched. Write schema.name.`);
      const unknown = [...key, ...told, ...shown].filter(
        (column) => !table.columns.some((each) => each.name === column),
      );
      if (unknown.length > 0) throw new CannotStart(`${name} has no column ${unknown.join(", ")}.`);
      // What looks like a secret is one, unless it is said not to be: as on pages.
      const hidden = table.columns.flatMap((column) =>
        told.includes(column.name) || (looksSecret(column) && !shown.includes(column.name)) ? [column.name] : [],
      );
      const [used] = await opened.run({
        purpose: "the key that pages use",
        text: `SELECT (SELECT json_agg(k) FROM jsonb_object_keys(c.record_key) AS k)::text AS "key" FROM quill_log.change AS c
WHERE c.table_name = $1::text AND c.way = 'page' ORDER BY c.id DESC LIMIT 1`,
        values: [`${table.schema}.${table.name}`],
      });
      const usedKey = namesIn(used?.key);
      const wanted = key.length > 0 ? key : usedKey.length > 0 ? usedKey : (table.keys[0]?.columns ?? []);
      const found = table.keys.find(({ columns }) => columns.toSorted().join() === wanted.toSorted().join());
      if (!found)
        throw new CannotStart(
          table.keys.length === 0
            ? `${name} has no key: no unique set of columns that are never null.`
            : `${wanted.join(", ")} is no key of ${name}. It has: ${table.keys.map(({ columns }) => columns.join(", ")).join("; ")}.`,
        );
      for (const statement of watchStatements({ table, key: found.columns, hidden }, baseline))
        await client.query(statement);
      return { key: found.columns, hidden };
    },
    asOwner,
  );
  say(`${name} is watched, its rows are named by ${keyed.join(", ")}.`);
  if (hidden.length > 0)
    say(`Without values: ${hidden.join(", ")}. To log those of one that is no secret: --show COLUMN.`);
}

/** `quill log unwatch`. */
export async function unwatch({ database, table: name }: { database: string; table: string }, say: Say): Promise<void> {
  await inTransaction(
    database,
    async (client) => {
      const table = findTable((await readCatalog(overClient(client))).tables, name);
      if (!table) throw new CannotStart(`There is no table ${name}. Write schema.name.`);
      for (const statement of unwatchStatements(table)) await client.query(statement);
    },
    asOwner,
  );
  say(`${name} is not watched any more.`);
}

/** `quill log watched`: which tables are watched, and how. */
export async function watched({ database }: { database: string }, say: Say): Promise<void> {
  await inTransaction(
    database,
    async (client) => {
      const rows = await overClient(client).run(watchedStatement());
      for (const row of rows) {
        const list = (text: string | null | undefined): string => namesIn(text).join(", ");
        say(
          [
            row.table,
            `since ${row.since}`,
            `by ${list(row.key)}`,
            ...(row.hidden === "[]" ? [] : [`hidden: ${list(row.hidden)}`]),
            ...(row.new_columns ? [`not logged: ${list(row.new_columns)}`] : []),
            ...(row.off ? [`NOT WATCHED: ${row.off}`] : []),
          ].join("  "),
        );
      }
      if (rows.length === 0) say("No table is watched.");
    },
    asOwner,
  );
}
