import type { Demand } from "./model.js";

/**
 * Reads what a CHECK constraint demands of single columns, from the form in which `pg_get_constraintdef` prints it: ranges
 * against a constant, and lists of values, joined by AND. A part that is anything else is left out: the table judges it all
 * the same, only later.
 *
 * @param definition `CHECK (((channel >= 1) AND (channel <= 16)))`
 */
export function demandsOf(constraint: string, definition: string, columns: readonly string[]): Demand[] {
  const inner = /^CHECK \((.*)\)( NOT VALID| NO INHERIT)*$/s.exec(definition)?.[1];
  if (inner === undefined || / NOT VALID/.test(definition.slice(inner.length))) return [];
  return conjuncts(bare(inner)).flatMap((part) => demandOf(constraint, bare(part), columns) ?? []);
}

/** Whether the text's first parenthesis is closed by its last. */
function isWrapped(text: string): boolean {
  if (!text.startsWith("(")) return false;
  let [depth, quoted] = [0, false];
  for (let index = 0; index < text.length; index++) {
    const character = text[index];
    if (character === "'" || character === '"') quoted = !quoted;
    if (quoted) continue;
    if (character === "(") depth += 1;
    if (character === ")") depth -= 1;
    if (depth === 0) return index === text.length - 1;
  }
  return false;
}

const bare = (text: string): string => (isWrapped(text.trim()) ? bare(text.trim().slice(1, -1)) : text.trim());

/** The parts of a text between ANDs that stand outside of all parentheses and quotes. */
function conjuncts(text: string): string[] {
  const parts: string[] = [];
  let [depth, quoted, start] = [0, false, 0];
  for (let index = 0; index < text.length; index++) {
    const character = text[index];
    if (character === "'" || character === '"') quoted = !quoted;
    if (quoted) continue;
    if (character === "(") depth += 1;
    if (character === ")") depth -= 1;
    if (depth !== 0 || !text.startsWith(" AND ", index)) continue;
    parts.push(text.slice(start, index));
    start = index + 5;
  }
  return [...parts, text.slice(start)].flatMap((part) => {
    const stripped = bare(part);
    return parts.length > 0 || stripped !== part.trim() ? conjuncts(stripped) : [stripped];
  });
}

const unquoted = (name: string): string => (name.startsWith('"') ? name.slice(1, -1).replaceAll('""', '"') : name);

/** A column, bare or cast to a kind of text: `status`, `"Status"`, `(status)::text`. */
function columnIn(text: string, columns: readonly string[]): string | undefined {
  const name = unquoted(bare(text.replace(/::(text|character varying|bpchar)$/, "")));
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

function demandOf(constraint: string, part: string, columns: readonly string[]): Demand | undefined {
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
  return { constraint, column, by: range[2] as Demand["by"], values: [bound] };
}
