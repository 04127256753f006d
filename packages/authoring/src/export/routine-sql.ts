import type { Page, RoutineCall } from "@loyal-quill/core/page/page";
import { tableName } from "@loyal-quill/core/table/model";
import { NotPlain } from "./logic.js";
import { freeName, takenBy } from "./parts.js";
import { castIn, identifier, keyOf, member, quote, recordName, tableIdentifier, typeName } from "./source.js";
import { asText, byKey, inLines } from "./statement-parts.js";

/** Where an argument of the routine comes from, as an expression. */
function argumentCode(page: Page, { from, name }: RoutineCall["arguments"][number]): string {
  if (from === "actor") return member("actor", name);
  return member(from === "form" ? "form" : recordName(page), name);
}

/**
 * The save of a page whose routine saves: the record before and after is compared, and written to the log, in one transaction.
 *
 * @throws NotPlain
 */
export function routineCode(page: Page, { routine, arguments: given }: RoutineCall): string {
  const record = recordName(page);
  const type = typeName(page);
  const table = tableIdentifier(page.table);
  if (page.access.rows) throw new NotPlain("a routine that saves, and records that somebody may not see");
  if (page.key.some((column) => takenBy(page).some((field) => field.column === column)))
    throw new NotPlain("a routine that saves, and a key that can be changed");
  const version = freeName(page, "version");
  const columns = page.table.columns.map((column) => `${asText("t", column)} AS ${identifier(column.name)}`);
  const whole = inLines([...columns, `t.xmin::text AS ${identifier(version)}`]);
  const where = byKey(page, "t", (column) => member(record, column.name));
  const call = given
    .map(
      (each) =>
        `${identifier(each.parameter.name ?? "")} => \${$(${argumentCode(page, each)})}::${castIn(each.parameter.type)}`,
    )
    .join(", ");
  const named = `${tableIdentifier(routine)}(${call})`;
  const usesForm = given.some(({ from }) => from === "form");
  const key = page.key.map((column) => `${keyOf(column.name)}: ${member(record, column.name)}`).join(", ");
  return `/** Every column of the record: the routine may change any of them. */
const whole = \`${whole}\`;
type Row = Readonly<Record<string, string | null>>;

/**
 * Changes the record by ${routine.schema}.${routine.name}, which knows what the table does not, and writes what that came to into the log: in one
 * transaction, both or neither.
 *
 * @returns the record as it is stored now; null where somebody else has changed it meanwhile
 */
export async function update(
  pool: Pool,
  actor: Actor,
  ${record}: ${type},
  changes: Changes,${page.reason ? "\n  reason: string," : ""}
): Promise<{ readonly ${record}: ${type}; readonly isChanged: boolean } | null> {
  const client = await pool.connect();
  try {
    await client.query("BEGIN");
    const written = await byRoutine(client, actor, ${record}, changes${page.reason ? ", reason" : ""});
    await client.query(written ? "COMMIT" : "ROLLBACK");
    return written && { ${record}: written, isChanged: true };
  } catch (error) {
    // Where the connection is gone, there is nothing left to roll back.
    await client.query("ROLLBACK").catch(() => {});
    throw error;
  } finally {
    client.release();
  }
}

async function byRoutine(client: PoolClient, actor: Actor, ${record}: ${type}, changes: Changes${page.reason ? ", reason: string" : ""}): Promise<${type} | null> {
  const { $, values } = parameters();
  const take = (): unknown[] => values.splice(0);
  const request = randomUUID();
  await client.query("SELECT set_config('quill.actor', $1, true), set_config('quill.page', $2, true), set_config('quill.request', $3, true)", [
    actor.id,
    ${quote(page.name)},
    request,
  ]);
  const { rows: [before] } = await client.query<Row>(
    \`SELECT \${whole} FROM ${table} AS t WHERE ${where} AND t.xmin::text = \${$(${member(record, version)})} FOR NO KEY UPDATE\`,
    take(),
  );
  if (!before) return null;
${usesForm ? `  const form = { ...${record}, ...changes };\n` : "  void changes;\n"}  await client.query(\`${routine.kind === "procedure" ? "CALL" : "SELECT FROM"} ${named}\`, take());
  const { rows: [after] } = await client.query<Row>(\`SELECT \${whole} FROM ${table} AS t WHERE ${where}\`, take());
  const differing = Object.keys(before).filter((name) => name !== ${quote(version)} && before[name] !== (after?.[name] ?? null));
  const fields = differing.map((field) => ({ field, old: before[field], new: after?.[field] ?? null }));
  await client.query("SELECT quill_log.add_change($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, NULL, NULL)", [
    actor.id,
    actor.name,
    ${quote(page.name)},
    ${quote(page.version)},
    ${quote(tableName(page.table))},
    JSON.stringify({ ${key} }),
    after ? "update" : "delete",
    JSON.stringify(fields),
    request,
    ${page.reason ? `reason === "" ? ${quote(`by ${routine.schema}.${routine.name}`)} : reason` : quote(`by ${routine.schema}.${routine.name}`)},
  ]);
  return { ...${record}, ...after };
}`;
}
