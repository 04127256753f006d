/* The text of a CHECK as `pg_get_constraintdef` prints it: its parts, and what is compared in them with what. */

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
export function bare(given: string): string {
  const text = given.trim();
  const wrapped = text.startsWith("(") && depths(text).indexOf(0) === [...text].length - 1;
  return wrapped ? bare(text.slice(1, -1)) : text;
}

/** The parts of a text between ANDs, or ORs, that stand outside of all parentheses and quotes. */
export function partsOf(given: string, word: "AND" | "OR"): string[] {
  const text = bare(given);
  const levels = depths(text);
  const between = [...text.matchAll(new RegExp(` ${word} `, "g"))].find(
    (match) => levels[[...text.slice(0, match.index)].length] === 0,
  );
  if (!between) return [text];
  return [text.slice(0, between.index), text.slice(between.index + between[0].length)].flatMap((part) =>
    partsOf(part, word),
  );
}

const unquoted = (name: string): string => (name.startsWith('"') ? name.slice(1, -1).replaceAll('""', '"') : name);

/** A column, bare or cast to what loses nothing of it, as a domain's is to its own type: `status`, `"Status"`, `(status)::text`, `(share)::numeric`. */
export function columnIn(text: string, columns: readonly string[]): string | undefined {
  const name = unquoted(bare(text.replace(/::(text|character varying|bpchar|numeric)$/, "")));
  return columns.find((column) => column === name);
}

/** A text without the casts and parentheses around it. */
function plain(text: string): string {
  const stripped = bare(text.replace(/::[\w ".]+(\(\d+(,\d+)?\))?(\[\])?$/, ""));
  return stripped === text ? text : plain(stripped);
}

/** A constant: `16`, `'-1'::integer`, `('0.5'::numeric)`, `'a'::text`. */
export function constantIn(text: string): string | undefined {
  const stripped = plain(bare(text));
  if (/^-?\d+(\.\d+)?$/.test(stripped)) return stripped;
  return /^'((?:[^'\\]|'')*)'$/.exec(stripped)?.[1]?.replaceAll("''", "'");
}

/** What is compared with what: `char_length(name)`, `<=`, `80`. */
export type Comparison = readonly [left: string, by: string, right: string];

export function comparisonIn(part: string): Comparison | undefined {
  const levels = depths(part);
  const sign = [...part.matchAll(/ (>=|<=|<>|=|>|<|!?~~\*?|!?~\*?|\^@) /g)].find(
    (match) => levels[[...part.slice(0, match.index)].length] === 0,
  );
  return sign && [part.slice(0, sign.index), sign[1] ?? "", part.slice(sign.index + sign[0].length)];
}
