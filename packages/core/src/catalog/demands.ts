import type { CheckConstraint } from "../table/model.js";

/**
 * Reads what a CHECK constraint demands of single columns, from the form in which `pg_get_constraintdef` prints it: ranges
 * against a constant, and lists of values, joined by AND. A part that is anything else is left out: the table judges it all
 * the same, only later.
 *
 * @param definition `CHECK (((channel >= 1) AND (channel <= 16)))`
 */
export function demandsOf(constraint: string, definition: string, columns: readonly string[]): CheckConstraint[] {
  const inner = /^CHECK \((.*)\)( NOT VALID| NO INHERIT)*$/s.exec(definition)?.[1];
  if (inner === undefined || / NOT VALID/.test(definition.slice(inner.length))) return [];
  return conjuncts(inner).flatMap((part) => demandOf(constraint, part, columns) ?? []);
}

/** How deep in parentheses each character stands, after it; within quotes as deep as before them. */
function depths(text: string): number[] {
  let [depth, quoted] = [0, false];
  return [...text].map((character) => {
    if (character === "'" || character === '"') quoted = !quoted;
    else if (!quoted && character === "(") depth += 1;
    else if (!quoted && character === ")") depth -= 1;
    // What is quoted is deeper than anything that is looked for.
    return quoted ? depth + 1 : depth;
  });
}

/** A text without parentheses around the whole of it. */
function bare(given: string): string {
  const text = given.trim();
  const wrapped = text.startsWith("(") && depths(text).indexOf(0) === [...text].length - 1;
  return wrapped ? bare(text.slice(1, -1)) : text;
}

/** The parts of a text between ANDs that stand outside of all parentheses and quotes. */
function conjuncts(given: string): string[] {
  const text = bare(given);
  const levels = depths(text);
  const and = [...text.matchAll(/ AND /g)].find((match) => levels[[...text.slice(0, match.index)].length] === 0);
  if (!and) return [text];
  return [...conjuncts(text.slice(0, and.index)), ...conjuncts(text.slice(and.index + and[0].length))];
}

const unquoted = (name: string): string => (name.startsWith('"') ? name.slice(1, -1).replaceAll('""', '"') : name);

/** A column, bare or cast to what loses nothing of it, as a domain's is to its own type: `status`, `"Status"`, `(status)::text`, `(share)::numeric`. */
function columnIn(text: string, columns: readonly string[]): string | undefined {
  const name = unquoted(bare(text.replace(/::(text|character varying|bpchar|numeric)$/, "")));
  return columns.find((column) => column === name);
}

/** A text without the casts and parentheses around it. */
function plain(text: string): string {
  const stripped = bare(text.replace(/::[\w ".]+(\(\d+(,\d+)?\))?(\[\])?$/, ""));
  return stripped === text ? text : plain(stripped);
}

/** A constant: `16`, `'-1'::integer`, `('0.5'::numeric)`, `'a'::text`. */
function constantIn(text: string): string | undefined {
  const stripped = plain(bare(text));
  if (/^-?\d+(\.\d+)?$/.test(stripped)) return stripped;
  return /^'((?:[^'\\]|'')*)'$/.exec(stripped)?.[1]?.replaceAll("''", "'");
}

function demandOf(constraint: string, part: string, columns: readonly string[]): CheckConstraint | undefined {
  const list = /^(.+?) = ANY \((?:\()?ARRAY\[(.*?)\](?:\)::[\w ]+\[\])?\)$/s.exec(part);
  if (list) {
    const column = columnIn(list[1] ?? "", columns);
    const values = (list[2] ?? "").match(/'(?:[^'\\]|'')*'(?:::[\w ]+)?|[^,\s][^,]*/g)?.map(constantIn) ?? [];
    if (column === undefined || values.length === 0 || values.includes(undefined)) return undefined;
    return { constraint, column, by: "in", values: values as string[] };
  }
  const range = /^(.+?) (>=|<=|>|<) (.+)$/s.exec(part);
  if (!range) return undefined;
  const column = columnIn(range[1] ?? "", columns);
  const bound = constantIn(range[3] ?? "");
  if (column === undefined || bound === undefined) return undefined;
  return { constraint, column, by: range[2] as CheckConstraint["by"], values: [bound] };
}
