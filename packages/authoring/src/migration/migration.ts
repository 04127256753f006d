import type { SchemaChange } from "@loyal-quill/core/findings/schema-change";

export interface MigrationFile {
  readonly name: string;
  readonly text: string;
}

/** A name as a part of a file's name. */
const partOf = (name: string): string =>
  name
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "_")
    .replaceAll(/^_+|_+$/g, "")
    .slice(0, 60) || "change";

/** A moment as a number that sorts: `20261126091500`, UTC. */
const numberOf = (at: Date): string => at.toISOString().replaceAll(/\D/g, "").slice(0, 14);

/** What PostgreSQL refuses to run inside of a transaction. */
const isConcurrent = (text: string): boolean => /\bCONCURRENTLY\b/.test(text);

function textOf(changes: readonly SchemaChange[], way: "up" | "down"): string {
  const parts = changes.map((change) => `-- ${change.name}\n${change[way]}`);
  const note = changes.some((change) => isConcurrent(change[way]))
    ? ["-- Not inside of a transaction: an index that is made or dropped CONCURRENTLY refuses to be in one."]
    : [];
  return `${[...note, ...parts].join("\n\n")}\n`;
}

/**
 * Changes of a schema as a migration: two files of plain SQL, numbered by the moment, one that makes the changes and one that takes them back in
 * the opposite order.
 *
 * @param title what the migration is called in its files' names
 */
export function migrationFiles(
  changes: readonly SchemaChange[],
  title: string,
  at: Date,
): { readonly up: MigrationFile; readonly down: MigrationFile } {
  const name = `${numberOf(at)}_${partOf(title)}`;
  return {
    up: { name: `${name}.up.sql`, text: textOf(changes, "up") },
    down: { name: `${name}.down.sql`, text: textOf(changes.toReversed(), "down") },
  };
}
