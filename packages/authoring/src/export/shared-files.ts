import { type Language, languages, word } from "@loyal-quill/core/messages/messages";
import { literalOf } from "./source.js";

/* What the exported pages of one directory have in common: a few small files, the same for all of them. */

/** HTML that is escaped unless it says otherwise, and the document around a page. */
export const htmlFile = (language: Language): string => `import { style } from "./style.js";

/** HTML that was written here; whatever else stands in it is escaped. */
export class Html {
  constructor(readonly text: string) {}
}

/** What may stand in HTML: false and null are nothing. */
export type Content = Html | string | false | null | undefined | readonly Content[];

const escapes: Readonly<Record<string, string>> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" };

function written(content: Content): string {
  if (content instanceof Html) return content.text;
  if (typeof content === "string") return content.replaceAll(/[&<>"']/g, (found) => escapes[found] ?? "");
  return content ? content.map(written).join("") : "";
}

/** Tag of a template: \`html\\\`<p>\${text}</p>\\\`\`. */
export const html = (parts: TemplateStringsArray, ...contents: readonly Content[]): Html =>
  new Html(parts.map((part, index) => part + written(contents[index])).join(""));

/** A part of an address. One of dots alone would be taken for a step in the path; "new" and a tilde have a meaning of their own. */
export const segment = (value: string): string =>
  \`\${/^(\\.{0,2}$|~|new$)/.test(value) ? "~" : ""}\${encodeURIComponent(value)}\`;

/** The part of an address as it was meant. */
export const segmentOf = (part: string | readonly string[] | undefined): string => String(part).replace(/^~/, "");

/** The id of a field's control, and of what stands beside it: a column's name may hold what an id may not (HTML, 3.2.6). */
export const idOf = (name: string, part = "field"): string => \`\${part}-\${encodeURIComponent(name)}\`;

/** A whole document around a page's content. */
export const document = (title: string, content: Html): Html => html\`<!doctype html>
<html lang="${language}" dir="${languages[language].direction}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>\${title}</title>
<style>\${new Html(style)}</style>
</head>
<body><main>\${content}</main></body>
</html>
\`;
`;

/** A text of the pages with its places filled by expressions, as a literal. */
function filled(
  language: Language,
  code: Parameters<typeof word>[1],
  places: Readonly<Record<string, string>> = {},
): string {
  const names = Object.keys(places);
  const marked = Object.fromEntries(names.map((name, index) => [name, `\uE000${index}\uE001`]));
  const parts = word(language, code, marked).split(/\uE000(\d+)\uE001/);
  return literalOf(
    parts.map((part, index) => (index % 2 === 0 ? part : { code: places[names[Number(part)] ?? ""] ?? "" })),
  );
}

/** Parts of a form that are the same for every page. */
export const formHtmlFile = (language: Language): string => `import { type Html, html, idOf } from "./html.js";

/** What a control offers to choose from. */
export interface Option {
  readonly value: string;
  readonly label: string;
  /** Whether it is stored and not offered any more. */
  readonly gone?: boolean;
  /** Whether it was found by searching. */
  readonly isFound?: boolean;
}

/** The button that the enter key presses: a form's first one (HTML, 4.10.21.2). Without it that would be one that saves nothing. */
export const byEnter = html\`<button class="unseen" tabindex="-1" aria-hidden="true"></button>\`;

/** What somebody else has stored meanwhile, beside what was typed. */
export interface Conflict<Field extends string> {
  readonly field: Field;
  /** Who did so and when, as far as the log says. */
  readonly change: { readonly by: string; readonly at: string } | null;
}

export function conflictNote({ field, change }: Conflict<string>, stored: string, label: string): Html {
  const who = change ? ${filled(language, "stored-now-by", { by: "change.by", at: "change.at" })} : ${filled(language, "stored-now")};
  return html\`<p class="conflict">\${who} <q>\${stored}</q> <button name="form.take" value="\${field}" formnovalidate>${word(language, "take-theirs")}<span class="unseen"> (\${label})</span></button></p>\`;
}

interface Wrong<Field extends string> {
  readonly problems: readonly { readonly field: string | null; readonly message: string }[];
  readonly conflicts: readonly Conflict<Field>[];
  readonly labels: Readonly<Record<Field, string>>;
  /** What the button says that saves. */
  readonly button: string;
}

/** What is wrong, above the form, each line a link to its field (WCAG 2.2, 3.3.1). */
export function summary<Field extends string>({ problems, conflicts, labels, button }: Wrong<Field>): Html {
  const told = (field: Field): string => ${filled(language, "conflict-field", { label: "labels[field]" })};
  const lines = [...problems, ...conflicts.map(({ field }) => ({ field, message: told(field) }))];
  const counted = lines.length === 1 ? ${filled(language, "one-thing")} : ${filled(language, "many-things", { count: "lines.length" })};
  const [heading, advice] = conflicts.length > 0
    ? [${filled(language, "conflict-heading")}, ${filled(language, "conflict-advice", { button: "button" })}]
    : [counted, ${filled(language, "typed-is-here")}];
  return html\`<section class="summary" role="alert" tabindex="-1" autofocus aria-labelledby="summary-heading">
<h2 id="summary-heading">\${heading}</h2>
<ul>\${lines.map(({ field, message }) => html\`<li>\${field === null ? message : html\`<a href="#\${encodeURIComponent(idOf(field))}">\${message}</a>\`}</li>\`)}</ul>
<p>\${advice}</p>
</section>\`;
}

/** A field that is shown and not taken. */
export const fixed = (label: string, value: string): Html =>
  html\`<div class="field"><span class="label">\${label}</span><span>\${value}</span></div>\`;
`;

/** What a form remembers of its making, signed. */
export const tokenFile = `import { createHmac, timingSafeEqual } from "node:crypto";

/*
 * What a form remembers of its making goes along with it as JSON, signed: nobody can make one for somebody else, and no other site can make one
 * at all. That is what stands against forged requests.
 */

const signature = (json: string, secret: string): Buffer => createHmac("sha256", secret).update(\`form \${json}\`).digest();

/** What a form remembers of its making: of which page's record, for whom, and what its controls showed. */
interface Claims<Texts> {
  readonly page: string;
  readonly key: readonly string[];
  readonly actor: string;
  readonly shown: Texts;
}

export function writeToken<Texts>(claims: Claims<Texts>, secret: string): string {
  const json = JSON.stringify(claims);
  return \`\${signature(json, secret).toString("base64url")}.\${json}\`;
}

/** What the controls of a form showed that was made here, of this record and for this person; null for any other. */
export function readToken<Texts>(token: string | undefined, wanted: Omit<Claims<Texts>, "shown">, secret: string): Texts | null {
  const dot = token?.indexOf(".") ?? -1;
  if (token === undefined || dot < 0) return null;
  const [given, json] = [Buffer.from(token.slice(0, dot), "base64url"), token.slice(dot + 1)];
  const own = signature(json, secret);
  if (given.length !== own.length || !timingSafeEqual(given, own)) return null;
  const { page, key, actor, shown } = JSON.parse(json) as Claims<Texts>;
  return page === wanted.page && actor === wanted.actor && key.join("\\n") === wanted.key.join("\\n") ? shown : null;
}
`;

/** Forms with files. */
export const filesFile = (language: Language): string => `import { createHash } from "node:crypto";
import busboy from "busboy";
import type { Request, RequestHandler, Response } from "express";
import { form, readBefore } from "./answers.js";

export interface SentFile {
  /** Its media type, as the browser names it. */
  readonly type: string;
  readonly content: Buffer;
}
export type Files = Readonly<Record<string, SentFile>>;

/** The most that is read of a form's files together, and of its texts together, in bytes. */
const [mostOfFiles, mostOfTexts] = [16_777_216, 1_048_576];

const sent = new WeakMap<Request, Files>();

/** The files that were sent with a form, by the names of their controls. */
export const filesOf = (request: Request): Files => sent.get(request) ?? {};

/** Reads a form that is sent in parts (RFC 7578) with its files, and any other as forms are read. Of files of somebody who isn't signed in only the name is kept. */
export const fileForm = (actor: (request: Request) => unknown): RequestHandler => (request, response, next) => {
  if (!request.is("multipart")) form(request, response, next);
  else if (request.readableDidRead) next(readBefore());
  else readParts(request, actor).then(() => next(), next);
};

async function readParts(request: Request, actor: (request: Request) => unknown): Promise<void> {
  const isKnown = Boolean(await actor(request));
  const texts = new Map<string, string | string[]>();
  const files = new Map<string, SentFile>();
  let size = 0;
  let length = 0;
  let isTooLarge = false;
  const tooLarge = (): void => {
    isTooLarge = true;
  };
  const isRead = await new Promise<boolean>((resolve) => {
    try {
      const parser = busboy({ headers: request.headers, defParamCharset: "utf8", limits: { fieldSize: mostOfTexts, fields: 2000, files: 50 } });
      parser
        .on("field", (name, text, { valueTruncated }) => {
          length += Buffer.byteLength(name) + Buffer.byteLength(text);
          if (valueTruncated || length > mostOfTexts) return tooLarge();
          texts.set(name, texts.has(name) ? [texts.get(name) ?? "", text].flat() : text);
        })
        .on("file", (name, stream, { filename, mimeType }) => {
          if (!isKnown) {
            if (filename) texts.set(name, ${filled(language, "file-left", { name: "filename" })});
            stream.resume();
            return;
          }
          const parts: Buffer[] = [];
          stream.on("data", (part: Buffer) => {
            size += part.length;
            // What is too much is read to its end, so that the answer can be given, and not kept.
            if (size <= mostOfFiles) parts.push(part);
            else tooLarge();
          });
          // A control in which nothing was chosen sends a part without a name (HTML, 4.10.21.4).
          stream.on("end", () => filename && files.set(name, { type: mimeType.toLowerCase(), content: Buffer.concat(parts) }));
        })
        .on("fieldsLimit", tooLarge)
        .on("filesLimit", tooLarge)
        .on("error", () => resolve(false))
        .on("close", () => resolve(true));
      request.on("error", () => resolve(false)).pipe(parser);
    } catch {
      // It does not say how its parts are told apart.
      resolve(false);
    }
  });
  // What is no form has no body.
  request.body = isRead ? Object.fromEntries(texts) : undefined;
  if (isTooLarge) throw Object.assign(new Error("The form is too large."), { status: 413 });
  sent.set(request, Object.fromEntries(files));
}

/** Whether a file that was sent is the stored one, by what stands for that in a record. */
export const isSameFile = (file: SentFile | undefined, stored: string | null): boolean =>
  file !== undefined && stored === \`sha256:\${createHash("sha256").update(file.content).digest("hex")}:\${file.content.length}\`;

/** Sends a stored file to be kept, and never shown: what it holds is not known. */
export function sendFile(response: Response, name: string, content: Buffer): void {
  response.set({ "cache-control": "no-store", "x-content-type-options": "nosniff" }).attachment(name);
  response.type("application/octet-stream").send(content);
}

/** A file's size as people read it, by what stands for it in a record: powers of a thousand (IEC 80000-13). */
export function toldSize(stored: string): string {
  const bytes = Number(stored.split(":").at(-1));
  const power = Math.min(3, bytes < 1000 ? 0 : Math.floor(Math.log10(bytes) / 3));
  const unit = ["byte", "kilobyte", "megabyte", "gigabyte"][power] ?? "byte";
  const format = new Intl.NumberFormat("${language}", { style: "unit", unit, unitDisplay: "short", maximumFractionDigits: power === 0 ? 0 : 1 });
  return format.format(bytes / 1000 ** power);
}
`;

/** A style sheet for both colour schemes. */
export const styleFile = `/** The pages' style sheet: for both colour schemes. Put your own in its place, or give the routes your layout. */
export const style = \`
:root { color-scheme: light dark; --ink: light-dark(#20262b, #e6eaed); --paper: light-dark(#fbfaf8, #191c1f); --soft: light-dark(#565f66, #a7b0b7); --line: light-dark(#8b949b, #7b858d); --accent: light-dark(#1f4f8f, #9cc0f0); --wrong: light-dark(#a3261b, #ff9d8f); --other: light-dark(#6d4b00, #e5bd6c); }
body { margin: 0; background: var(--paper); color: var(--ink); font: 1rem/1.5 system-ui, sans-serif; }
main { max-width: 40rem; margin: 0 auto; padding: 1.5rem; }
h1 { font-size: 1.6rem; line-height: 1.2; overflow-wrap: anywhere; }
a { color: var(--accent); }
form, fieldset { display: grid; gap: 1rem; border: 0; margin: 0; padding: 0; min-width: 0; }
.field label, .field legend, .field .label { display: block; font-weight: 600; }
fieldset.field { display: block; }
fieldset.field label { display: inline; margin-inline: .3rem .8rem; font-weight: 400; }
fieldset.field p { margin: 0 0 .3rem; }
.field input[type=checkbox] + label { display: inline; margin-inline-start: .5rem; }
.needed::after { content: " *" / ""; }
.help, .unit, .found { color: var(--soft); margin: 0; }
input, select, textarea, button { font: inherit; color: inherit; max-width: 100%; }
input:not([type=checkbox], [type=radio]), select, textarea { background: transparent; border: 1px solid var(--line); padding: .35rem .5rem; }
textarea, input[type=text]:not([inputmode]) { width: 100%; box-sizing: border-box; }
button { background: var(--accent); color: var(--paper); border: 0; padding: .5rem 1.2rem; cursor: pointer; }
:focus-visible { outline: 3px solid var(--accent); outline-offset: 2px; }
[aria-invalid] { border-color: var(--wrong) !important; }
.problem, .summary h2, .summary a { color: var(--wrong); }
.problem { margin: 0; font-weight: 600; }
.summary h2 { font-size: 1.1rem; }
.conflict { margin: 0; color: var(--other); }
button.minor { background: none; border: 1px solid var(--accent); color: var(--accent); }
.conflict button { padding: .1rem .6rem; }
.said, .locked { border-block: 1px solid var(--line); padding: .4rem 0; }
.unseen { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); }
\`;
`;

/** What the statements of all pages need. */
export const databaseFile = `import type { DatabaseError, Pool } from "pg";

/** Takes a value as a parameter of a statement, and answers its place: $1, $2, … */
export type Place = (value: unknown) => string;

export function parameters(): { readonly $: Place; readonly values: unknown[] } {
  const values: unknown[] = [];
  return { values, $: (value) => \`$\${values.push(value)}\` };
}

/** @throws where the pool's sessions may print values in another way than the page and the log go by */
export function needSettings(pool: Pool, ...settings: readonly string[]): void {
  const given = (pool.options.options ?? "").toLowerCase();
  const missing = settings.filter((setting) => !given.includes(setting.toLowerCase())).map((setting) => \`-c \${setting}\`);
  if (missing.length > 0)
    throw new Error(\`The page and the log compare values as text, so every session must print them alike: add "\${missing.join(" ")}" to the options of the pool.\`);
}

/** Whether an error is the database's state, not something about what was sent (PostgreSQL documentation, appendix A; Node's own codes). */
export const isAway = (error: unknown): boolean =>
  error instanceof Error &&
  (/^(08|25|40|53|55|57|58|XX|E[A-Z]+$)/.test("code" in error ? String(error.code) : "") ||
    /^Connection terminated|timeout exceeded/.test(error.message));

/** Whether PostgreSQL has refused a statement, whichever copy of pg says so. */
export const isRefusal = (error: unknown): error is DatabaseError =>
  error instanceof Error && "severity" in error && "code" in error;

/** Whether the key in the address is no value of its column. What a form says is held against its fields before. */
export const isNoKey = (error: unknown): boolean =>
  error instanceof Error && /^22(021|P02|P05)$/.test("code" in error ? String(error.code) : "");

/** Who changed a field of a record last, and when, by the log. */
export async function lastChange(pool: Pool, record: { table: string; key: Readonly<Record<string, string>>; field: string; timeZone: string }): Promise<{ readonly by: string; readonly at: string } | null> {
  const { rows } = await pool.query<{ by: string; at: string }>(
    \`SELECT actor_name AS by, to_char(at AT TIME ZONE $4, 'YYYY-MM-DD HH24:MI:SS') || CASE $4 WHEN 'UTC' THEN ' UTC' ELSE ' (' || $4 || ')' END AS at
     FROM quill_log.change
     WHERE table_name = $1 AND record_key = $2::jsonb AND fields @> jsonb_build_array(jsonb_build_object('field', $3::text))
     ORDER BY id DESC LIMIT 1\`,
    [record.table, record.key, record.field, record.timeZone],
  );
  return rows[0] ?? null;
}
`;
