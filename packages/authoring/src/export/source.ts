import type { MessageCode } from "@loyal-quill/core/messages/catalog";
import { type Language, message } from "@loyal-quill/core/messages/messages";
import type { Template } from "@loyal-quill/core/settings/bound/template";

/* Parts of TypeScript and SQL as text: names, literals, and sentences with expressions in them. */

/** A value that stands in a sentence as an expression of TypeScript. */
export interface Expression {
  readonly code: string;
}

/** What a sentence is put together from: its own text, and expressions. */
export type Part = string | Expression;

/** A text that stands in a template literal, as those of statements are. */
export const inTemplate = (text: string): string => text.replaceAll(/[\\`]|\$\{/g, (found) => `\\${found}`);

/** A text as a literal of TypeScript: a template where expressions stand in it. */
export function literalOf(parts: readonly Part[]): string {
  if (parts.every((part) => typeof part === "string")) return JSON.stringify(parts.join(""));
  return `\`${parts.map((part) => (typeof part === "string" ? inTemplate(part) : `\${${part.code}}`)).join("")}\``;
}

export const quote = (text: string): string => JSON.stringify(text);

/** A message of the pages, with its places filled by texts or expressions, as a literal. */
export function said(
  language: Language,
  code: MessageCode,
  places: Readonly<Record<string, string | number | Expression>> = {},
): string {
  const expressions: Expression[] = [];
  const marked = Object.fromEntries(
    Object.entries(places).map(([name, place]) =>
      typeof place === "object" ? [name, `\uE000${expressions.push(place) - 1}\uE001`] : [name, place],
    ),
  );
  const parts = message(language, code, marked).split(/\uE000(\d+)\uE001/);
  return literalOf(parts.map((part, index) => (index % 2 === 0 ? part : (expressions[Number(part)] ?? ""))));
}

/** A text with values of a record in it. @param value the expression for a column's value, as people read it */
export const templateLiteral = (template: Template, value: (column: string) => string): string =>
  literalOf(template.parts.map((part) => (typeof part === "string" ? part : { code: value(part.column) })));

const isIdentifier = (name: string): boolean => /^[A-Za-z_$][\w$]*$/.test(name);

/** A member of an object: `station.name`, or `station["a name"]`. */
export const member = (object: string, name: string): string =>
  isIdentifier(name) ? `${object}.${name}` : `${object}[${quote(name)}]`;

/** A name as a key of an object, or of a type. */
export const keyOf = (name: string): string => (isIdentifier(name) ? name : quote(name));

const words = (name: string): readonly string[] => name.split(/[^A-Za-z0-9]+/).filter((word) => word !== "");

/** Words of the language, and names that stand in exported files: a variable or type that is called like one of them has an ending. */
const taken: ReadonlySet<string> = new Set(
  "abstract accept actor after again answer any app arguments as async await before body boolean break by byEnter byRoutine case catch change changed changes check choices class client conflicts const constraints constructor containing content continue date debugger declare default delete described differing do document download else enum error eval export extends false field fields file fileForm fileRules files filesOf finally find findIn finder fixed float for form formPage found from function get help helps html idOf if implements import in instance interface is isFile isOn isRefusal isSameFile kept key known label labelOf labels lastChange let line lines list load loadFile lockedText look match may module moment mostFound namespace needed never new none nothing notice now null number object of offered onlyWhere open options order package parameters parts pattern pool private problem problems protected public query raw read readForm reason record refusal renewed request response result return right route router row rows said save saved savedText saveText secret searched segment select sendFile selected sent shownOf server set shared shown static status stored string style summary super switch symbol table take takeSaid tell text texts textsOf this throw title titleOf token toldSize tooLarge true try turn type typed typeof undefined unique unknown update uuid value values var view void wanted while whole with written wrong yield zone".split(
    " ",
  ),
);
const takenTypes: ReadonlySet<string> = new Set(
  "Actor Answer Array Around Big BigInt Boolean Buffer Changes Choices Conflict Date DatabaseError Error Field FileField Files Find Form FormView Html Map Number Object Option Options ParseError Partial Place Pool PoolClient Problem Promise Read Readonly Record Request Response Router Row SentFile Set String Symbol Temporal Texts Values".split(
    " ",
  ),
);

/** The name of a variable for this. */
export const variable = (name: string): string => {
  const plain = camelCase(name);
  return taken.has(plain) ? `${plain}Value` : plain;
};

/** What a page's record is called: its variable and its type. */
export const recordName = ({ name }: { readonly name: string }): string => {
  const plain = camelCase(name);
  return taken.has(plain) ? `${plain}Record` : plain;
};
export const typeName = ({ name }: { readonly name: string }): string => {
  const plain = pascalCase(name);
  return takenTypes.has(plain) || taken.has(plain) ? `${plain}Record` : plain;
};

/** `reading-note` as `readingNote`. */
export function camelCase(name: string): string {
  const [first = "record", ...rest] = words(name);
  const joined = [first.toLowerCase(), ...rest.map(capital)].join("");
  return /^\d/.test(joined) ? `record${joined}` : joined;
}

const capital = (word: string): string => `${word.charAt(0).toUpperCase()}${word.slice(1)}`;

/** `reading-note` as `ReadingNote`. */
const pascalCase = (name: string): string => capital(camelCase(name));

/** Words that PostgreSQL takes for parts of a statement unless they are quoted (documentation, appendix C). */
const reserved: ReadonlySet<string> = new Set(
  "all analyse analyze and any array as asc asymmetric authorization binary both case cast check collate collation column concurrently constraint create cross current_catalog current_date current_role current_schema current_time current_timestamp current_user default deferrable desc distinct do else end except false fetch for foreign freeze from full grant group having ilike in initially inner intersect into is isnull join lateral leading left like limit localtime localtimestamp natural not notnull null offset on only or order outer overlaps placing primary references returning right select session_user similar some symmetric system_user table tablesample then to trailing true union unique user using variadic verbose when where window with between bigint bit boolean char character coalesce dec decimal exists extract float greatest grouping inout int integer interval least national nchar none normalize nullif numeric out overlay position precision real row setof smallint substring time timestamp treat trim values varchar".split(
    " ",
  ),
);

/** A name of SQL in a template literal. */
export const identifier = (name: string): string =>
  /^[a-z_][a-z0-9_]*$/.test(name) && !reserved.has(name) ? name : inTemplate(`"${name.replaceAll('"', '""')}"`);

export const tableIdentifier = ({ schema, name }: { readonly schema: string; readonly name: string }): string =>
  `${identifier(schema)}.${identifier(name)}`;

/** A type's name as it stands in a statement of a template literal. */
export const castIn = ({ cast }: { readonly cast: string }): string => inTemplate(cast);

/** A text as a literal of SQL in a template literal. */
export const sqlText = (text: string): string =>
  inTemplate(
    text.includes("\\")
      ? `E'${text.replaceAll("\\", "\\\\").replaceAll("'", "''")}'`
      : `'${text.replaceAll("'", "''")}'`,
  );

/** A comment above what it explains, each line of it. */
export const comment = (text: string): string =>
  text
    // Every line terminator of the language (ECMA-262, 12.3) ends a comment.
    .split(/\r\n|[\n\r\u2028\u2029]/)
    .map((line) => `// ${line}`)
    .join("\n");

/** A text inside of a comment between signs, which it must not end. */
export const inComment = (text: string): string => text.replaceAll("*/", "* /").replaceAll(/[\r\n\u2028\u2029]/g, " ");
