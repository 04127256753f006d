import type { Field, Page } from "@loyal-quill/core/page/page";
import { wordsFor } from "@loyal-quill/core/settings/constraints";
import { dependsOnForm, offeredFields, takenBy } from "./parts.js";
import { inTemplate, keyOf, quote, said } from "./source.js";

/** PostgreSQL's own types that exported code reads by itself; others are domains, which have rules of their own. */
const builtIn =
  /^(text|citext|name|"char"|character|bpchar|smallint|integer|bigint|numeric|real|double precision|boolean|date|time|timestamp|uuid|bytea)\b/;

/** The fields whose types are domains. */
const domainFields = (page: Page): readonly Field[] =>
  takenBy(page).filter(({ column: { type } }) => type.labels.length === 0 && !builtIn.test(type.shown));

/** Whether PostgreSQL is asked about values by themselves. */
export const asksTypes = (page: Page): boolean => domainFields(page).length > 0;

/** What PostgreSQL says of each value by itself: empty where no field has a type with rules of its own. */
export function typesCode(page: Page): string {
  const fields = domainFields(page);
  if (fields.length === 0) return "";
  const asked = fields.map(({ column }) => `[${quote(column.name)}, \`SELECT $1::${inTemplate(column.type.shown)}\`]`);
  return `/** The values that are none of their own types, which have rules of their own: asked where the statement was refused. */
export async function problemsOfTypes(pool: Pool, error: unknown, changes: Changes): Promise<readonly Problem[]> {
  const isOfValue = (refused: unknown): refused is DatabaseError => isRefusal(refused) && /^(22|23)/.test(refused.code ?? "");
  // What a trigger raised is about more than a value.
  if (!isOfValue(error) || /PL\\/\\w|SQL/.test(error.where ?? "")) return [];
  const problems: Problem[] = [];
  for (const [field, statement] of [${asked.join(", ")}] as const) {
    const value = changes[field];
    if (value == null) continue;
    try {
      await pool.query(statement, [value]);
    } catch (refused) {
      if (!isOfValue(refused)) throw refused;
      problems.push({ field, message: ${said(page.language, "not-of-type", { label: { code: "labels[field]" }, said: { code: "refused.message" } })} });
    }
  }
  return problems;
}`;
}

/** What the table's constraints say: at the fields they are about, in the order of the form. */
export function refusalCode(page: Page): string {
  const { table, language } = page;
  // Of several fields the one whose choices depend on the others is to be put right.
  const at = (columns: readonly string[]): readonly Field[] => {
    const fields = takenBy(page).filter(({ column }) => columns.includes(column.name));
    const dependent = fields.find(dependsOnForm);
    return dependent ? [dependent] : fields;
  };
  const labelOf = (name: string): string => page.fields.find(({ column }) => column.name === name)?.label ?? name;
  const entry = (
    constraint: string,
    columns: readonly string[],
    message: (label: string, others: string) => string,
  ): readonly string[] => {
    const own = wordsFor(page, constraint);
    const named = takenBy(page).filter(({ column }) => own?.at != null && column.name === own.at);
    const [first, ...rest] = named.length > 0 ? named : at(columns);
    const others = columns
      .filter((name) => name !== first?.column.name)
      .map(labelOf)
      .join(", ");
    return [
      `${keyOf(constraint)}: { fields: [${[first, ...rest].flatMap((field) => (field ? [quote(field.column.name)] : [])).join(", ")}], message: ${own ? quote(own.message) : message(first?.label ?? "", others)} },`,
    ];
  };
  const isOfForm = (columns: readonly string[]): boolean => at(columns).length > 0;
  const uniqueSets = new Map(
    [...table.constraints.filter(({ kind }) => kind === "unique"), ...table.keys].map(({ constraint, columns }) => [
      constraint,
      columns,
    ]),
  );
  const all = [
    ...[...uniqueSets].flatMap(([constraint, columns]) =>
      isOfForm(columns)
        ? entry(constraint, columns, (label, others) =>
            others === "" ? said(language, "unique", { label }) : said(language, "unique-together", { label, others }),
          )
        : [],
    ),
    ...table.constraints.flatMap(({ kind, constraint, columns }) =>
      kind === "exclusion" && isOfForm(columns)
        ? entry(constraint, columns, (label) => said(language, "exclusion", { label }))
        : [],
    ),
    // What is chosen is held against the choices before.
    ...table.references.flatMap(({ constraint, columns }) =>
      isOfForm(columns) &&
      !(columns.length === 1 && offeredFields(page).some(({ column }) => columns.includes(column.name)))
        ? entry(constraint, columns, (label) => said(language, "exists", { label }))
        : [],
    ),
    // What can't be changed here can't be refused; a CHECK over several columns can.
    ...table.constraints.flatMap(({ kind, constraint, columns, definition }) =>
      kind === "check" && (columns.length === 0 || isOfForm(columns))
        ? entry(constraint, columns, () => said(language, "check", { constraint, definition }))
        : [],
    ),
  ];
  return `/** What the table's constraints are about, and what is said where one of them does not hold. */
const constraints: Readonly<Record<string, { readonly fields: readonly Field[]; readonly message: string }>> = {
${all.join("\n")}
};

/** A refusal of the database as something wrong with the form; null for what is no fault of it. */
export function refusal(error: unknown, changes: Changes): Problem | null {
  if (!isRefusal(error)) return null;
${page.access.rows ? `  if (error.message.includes(${quote(leavesMark)})) return ${leftRows(page)};\n` : ""}  const known = constraints[error.constraint ?? ""];
  if (known) return { field: known.fields.find((field) => field in changes) ?? known.fields[0] ?? null, message: known.message };
  // Class 22 is about a value, 23 about a constraint, P0 what a trigger raised (PostgreSQL documentation, appendix A).
  if (error.code?.startsWith("22")) return { field: null, message: ${said(language, "value-out-of-range", { said: { code: "error.message" } })} };
  return /^(23|P0)/.test(error.code ?? "") ? { field: null, message: ${said(language, "refused-by-database", { said: { code: "error.message" } })} } : null;
}`;
}

function leftRows(page: Page): string {
  const asked = page.access.rows?.rowColumns ?? [];
  const field = takenBy(page).find(({ column }) => asked.includes(column.name));
  return `{ field: ${field ? quote(field.column.name) : "null"}, message: ${said(page.language, "rows-left", { label: field?.label ?? "" })} }`;
}

/** What stands in the error of a statement that has refused itself. */
export const leavesMark = "leaves its rows:";
