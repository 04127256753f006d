/** A function that a trigger calls for each row before it is written. */
export interface RowTrigger {
  readonly function: string;
  /** The function's body; null where it is not written in PL/pgSQL. */
  readonly source: string | null;
  readonly arguments: readonly string[];
}

/** Functions of PostgreSQL and its extensions (PostgreSQL documentation, 9.28, 12.4.3 and F.37) that change only the columns that their triggers name, or none. */
const naming: ReadonlySet<string> = new Set([
  "autoinc",
  "insert_username",
  "lo_manage",
  "moddatetime",
  "suppress_redundant_updates_trigger",
  "tsvector_update_trigger",
  "tsvector_update_trigger_column",
]);

/** What begins a statement of PL/pgSQL (PostgreSQL documentation, 41.5 and 41.6). */
const beginnings: ReadonlySet<string | undefined> = new Set([undefined, ";", "begin", "then", "else", "loop", ">"]);

/** What a function may give back: the row itself, or nothing. */
const returned: ReadonlySet<string> = new Set(["new", "( new )", "old", "null", "coalesce ( new , old )"]);

/** Comments, texts, names in quotes, other names, numbers and signs. */
const parts =
  /--[^\n]*|\/\*[\s\S]*?\*\/|\be'(?:[^'\\]|\\.|'')*'|'(?:[^']|'')*'|\$(\w*)\$[\s\S]*?\$\1\$|"(?:[^"]|"")*"|[\p{L}_][\p{L}\p{N}_$]*|\d[\w.]*|:=|[^\s\w]/giu;

/** The words and signs of a body, without comments and what texts say; names as PostgreSQL reads them, those in quotes with their quotes. */
const tokensOf = (source: string): readonly string[] =>
  [...source.matchAll(parts)].flatMap(([part]) => {
    if (/^(--|\/\*)/.test(part)) return [];
    if (/^(e?'|\$)/i.test(part)) return ["''"];
    return [part.startsWith('"') ? part : part.toLowerCase()];
  });

const nameOf = (token: string): string => (token.startsWith('"') ? token.slice(1, -1).replaceAll('""', '"') : token);

/** Where what a name leads on to ends: `.part` and `[1]` after it. */
function afterParts(tokens: readonly string[], start: number): number {
  if (tokens[start] === ".") return afterParts(tokens, start + 2);
  if (tokens[start] !== "[") return start;
  const end = tokens.indexOf("]", start);
  return end < 0 ? tokens.length : afterParts(tokens, end + 1);
}

/** Which tokens after `INTO` are targets: the first of each, up to what is neither a target nor a comma. */
function targetsAfter(tokens: readonly string[], start: number): readonly number[] {
  const first = tokens[start] === "strict" ? start + 1 : start;
  const end = afterParts(tokens, first + 1);
  return tokens[end] === "," ? [first, ...targetsAfter(tokens, end + 1)] : [first];
}

/** The columns that a body in PL/pgSQL sets of the row; null where that can't be told. */
function setIn(source: string): readonly string[] | null {
  const tokens = tokensOf(source);
  const upToEnd = (start: number): readonly string[] => {
    const end = tokens.indexOf(";", start);
    return tokens.slice(start, end < 0 ? undefined : end);
  };
  const targets = new Set(tokens.flatMap((token, index) => (token === "into" ? targetsAfter(tokens, index + 1) : [])));
  const columns = new Set<string>();
  for (const [index, token] of tokens.entries()) {
    const before = tokens[index - 1];
    if (token === "return" && !returned.has(upToEnd(index + 1).join(" "))) return null;
    // A procedure may give back what it was given.
    if (token === "call" && beginnings.has(before) && upToEnd(index).includes("new")) return null;
    if (token !== "new" || before === ".") continue;
    const sign = tokens[afterParts(tokens, index + 1)];
    const isSet =
      targets.has(index) ||
      sign === ":=" ||
      (sign === "=" && (beginnings.has(before) || before === "diagnostics" || before === ",")) ||
      // FOR new.line IN …; and a name of its own for the row, by ALIAS FOR new.
      before === "for" ||
      before === "foreach";
    if (!isSet) continue;
    if (tokens[index + 1] !== ".") return null;
    columns.add(nameOf(tokens[index + 2] ?? ""));
  }
  return [...columns];
}

/**
 * The columns that a trigger may set before a row is written, so that what the table demands of them can't be judged by what was typed.
 *
 * @returns null where it may be any: it is written in another language, or gives back a row of its own
 */
export function setByTrigger(trigger: RowTrigger): readonly string[] | null {
  if (trigger.source !== null) return setIn(trigger.source);
  return naming.has(trigger.function) ? trigger.arguments : null;
}
