import { everyPart } from "@loyal-quill/core/condition/expression";
import type { Page } from "@loyal-quill/core/page/page";
import { type Column, tableName } from "@loyal-quill/core/table/model";
import { integerRanges } from "@loyal-quill/core/values/integer-ranges";
import { NotPlain, PlainCode } from "./logic.js";
import {
  choicesAskedWith,
  fileFields,
  hasConditions,
  judgingNeeds,
  keyNames,
  searchedFields,
  tableChoices,
  takenBy,
} from "./parts.js";
import { asksTypes } from "./refusal-sql.js";
import { camelCase, comment, inComment, keyOf, member, quote, recordName, typeName } from "./source.js";
import { looksUp } from "./sql-file.js";

/* The file with the page's routes: the way of a request from the address to the answer. */

/** How a part of the key is read from the address: an expression over `text`, null where it is none. */
function keyPart(column: Column, name: string): string {
  const { kind, cast, maxLength, shown } = column.type;
  const text = `segmentOf(request.params.${name})`;
  switch (kind) {
    case "integer": {
      const range = integerRanges[cast];
      if (!range) throw new NotPlain(`a key of type ${shown}`);
      return `wholeNumber(${text}, ${range.min}n, ${range.max}n)`;
    }
    case "text":
      return maxLength === null ? text : `atMost(${text}, ${maxLength})`;
    case "uuid":
      return `uuid(${text})`;
    case "enum":
      return text;
    default:
      throw new NotPlain(`a key of type ${shown}`);
  }
}

/** Parts of a key, as PostgreSQL prints their values; null for what can be none. */
const keyHelpers = {
  wholeNumber: `/** A whole number of the address, as PostgreSQL prints it; null for what can be none. */
function wholeNumber(text: string, least: bigint, most: bigint): string | null {
  if (!/^[+-]?\\d{1,100}$/.test(text)) return null;
  const number = BigInt(text.replace("+", ""));
  return number < least || number > most ? null : number.toString();
}
`,
  atMost: `/** A text of the address that fits its column. */
const atMost = (text: string, characters: number): string | null => ([...text].length > characters ? null : text);
`,
  uuid: `/** A UUID of the address, as PostgreSQL prints it; null for what is none. */
const uuid = (text: string): string | null =>
  /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text) ? text.toLowerCase() : null;
`,
} as const;

/** An address's own text as a path of Express, in which some characters have a meaning. */
const asPath = (text: string): string => text.replaceAll(/[:*?+!(){}[\]\\]/g, "\\$&");

/** The address of a record's form, as Express reads it. */
const pathOf = (page: Page): string =>
  `${asPath(page.path.list)}/${page.path.columns.map((name) => `:${keyNames(page)[page.key.findIndex((column) => column.name === name)]}`).join("/")}/edit`;

/** Where an answer leads after a save. */
function leadsTo(page: Page, record = recordName(page)): string {
  if (page.answer.to) throw new NotPlain("an address of your own to go to after a save");
  // There is no page of a record but its form, and no next one.
  return page.answer.saved === "list" || page.answer.saved === "next"
    ? "list.address"
    : `\`\${addressOf(${record})}/edit\``;
}

/** The function that answers a record's file. */
const downloadCode = (page: Page, reading: string, load: string): string =>
  `/** A stored file, for whoever may see its record. */
async function download({ pool }: Options<Actor>, ${page.access.rows ? "actor: Actor, " : ""}request: Request, response: Response, column: FileField): Promise<Answer | null> {
  ${reading}
  const content = await ${load};
  if (!content) return { notice: "no-such-record" };
  sendFile(response, [${quote(page.name)}, ${page.key.length === 1 ? keyNames(page)[0] : "...key"}, column].join("-"), content);
  return null;
}

`;

/** The routes by which files are downloaded: one for each, so that other addresses below a record's stay the application's. */
const fileRoutes = (page: Page): string =>
  fileFields(page)
    .map(({ column: { name } }) => {
      const path = pathOf(page).replace(/edit$/, () => asPath(encodeURIComponent(name)));
      const actor = page.access.rows ? "actor" : "_actor";
      return `  router.get(${quote(path)}, answer((${actor}, request, response) => download(options, ${page.access.rows ? "actor, " : ""}request, response, ${quote(name)})));\n`;
    })
    .join("");

/** The settings under which the table's values have the text form that page and log go by (decision 20). */
const settingsOf = (page: Page): readonly string[] =>
  (
    [
      ["TimeZone=UTC", /with time zone|\b(timestamptz|timetz|tstz(multi)?range)\b/],
      ["DateStyle=ISO", /\b(date|timestamp|timestamptz|(date|ts|tstz)(multi)?range)\b/],
      ["IntervalStyle=iso_8601", /\binterval\b/],
    ] as const
  ).flatMap(([setting, types]) =>
    page.table.columns.some(({ type: { kind, cast, shown } }) => types.test(`${kind} ${cast} ${shown}`))
      ? [setting]
      : [],
  );

/** The text of the file. @throws NotPlain */
export function routesFile(page: Page): string {
  const type = typeName(page);
  const routes = `${camelCase(page.name)}Routes`;
  const record = recordName(page);
  const hasChoices = takenBy(page).some((field) => tableChoices(field));
  const needs = judgingNeeds(page);
  const isConditional = hasConditions(page);
  const shownType = isConditional ? "Partial<Texts>" : "Texts";
  const onForm = isConditional ? `, isOn: (field: string) => isOn(field, ${record}, actor)` : "";
  const hasFiles = fileFields(page).length > 0;
  const searched = searchedFields(page).map(({ column }) => quote(column.name));
  const setsNow = page.sets.some(({ on, value }) => on !== "new" && value.expression.op === "now");
  const { edit, open, rows } = page.access;
  const asksActor = (condition: Page["access"]["edit"]): boolean =>
    condition !== null && everyPart(condition.expression).some(({ op }) => op === "actor");
  const editArguments = `${record}${asksActor(edit) ? ", actor" : ""}`;
  const opens = open
    ? new PlainCode({ row: "row", form: "form", actor: "actor", now: "new Date()" }).truth(open.expression)
    : "true";
  const keys = keyNames(page);
  const key = page.key.length === 1 ? (keys[0] ?? "") : "...key";
  const load = `load(pool, ${rows ? "actor, " : ""}${key})`;
  const askedWith = choicesAskedWith(page);
  const depends = askedWith.form;
  const isAskedAfter = askedWith.stored || askedWith.form;
  const loadChoices = (values: string): string =>
    `await loadChoices(pool${askedWith.actor ? ", actor" : ""}${askedWith.stored ? `, ${record}` : ""}${depends ? `, ${values}` : ""}${askedWith.find && values !== record ? ", find" : ""})`;
  const loading =
    hasChoices && !isAskedAfter
      ? `const [${record}, choices] = await Promise.all([${load}, loadChoices(pool${askedWith.actor ? ", actor" : ""})]);`
      : `const ${record} = await ${load};`;
  const choices = hasChoices ? ", choices" : "";
  const settings = settingsOf(page);
  const reason = page.reason ? ", reason" : "";
  const lookUp = looksUp(page);
  const isAsked = lookUp !== "never";
  const known = isAsked
    ? `    const taken = ${lookUp === "told" ? "wrong.length === 0 ? [] : " : ""}await takenByOthers(pool, ${record}, changes);
    const problems = [...wrong, ...taken.filter(({ field }) => wrong.every((each) => each.field !== field))];\n`
    : "";
  const keyType = page.key.length === 1 ? "string" : `readonly [${keys.map((name) => `${name}: string`).join(", ")}]`;
  const keyRead = page.key.length === 1 ? keyPart(page.key[0] as Column, keys[0] ?? "") : "";
  const parts = page.key
    .map((column, index) => `const ${keys[index]} = ${keyPart(column, keys[index] ?? "")};`)
    .join("\n  ");
  const mayFail = page.key.filter(
    ({ type: { kind, maxLength } }) => !(kind === "enum" || (kind === "text" && maxLength === null)),
  );
  const malformed = mayFail.map((column) => `${keys[page.key.indexOf(column)]} === null`).join(" || ");
  const keyCode =
    page.key.length === 1
      ? `const keyFrom = (request: Request): string${mayFail.length > 0 ? " | null" : ""} => ${keyRead};`
      : `function keyFrom(request: Request): ${keyType}${mayFail.length > 0 ? " | null" : ""} {
  ${parts}
  return ${malformed === "" ? "" : `${malformed} ? null : `}[${keys.join(", ")}];
}`;
  const keyName = page.key.length === 1 ? (keys[0] ?? "") : "key";
  const recordKey = page.key.map((column) => member(record, column.name)).join(", ");
  const reading = `const ${keyName} = keyFrom(request);${mayFail.length > 0 ? `\n  if (${keyName} === null) return { notice: "malformed-key" };` : ""}`;
  const helpers = [
    ...new Set(
      page.key.flatMap(({ type: { kind, maxLength } }): (keyof typeof keyHelpers)[] =>
        kind === "integer"
          ? ["wholeNumber"]
          : kind === "uuid"
            ? ["uuid"]
            : kind === "text" && maxLength !== null
              ? ["atMost"]
              : [],
      ),
    ),
  ];
  const readForm = (choices: string): string =>
    `readForm(${["body", ...(hasFiles ? ["filesOf(request)"] : []), "shownThen", record, ...needs.filter((name) => name !== record)].map((name) => (name === "choices" ? choices : name)).join(", ")})`;
  const choosing = depends
    ? `    // What may be chosen${searched.length > 0 ? ", and what is called how," : ""} depends on what else is on the form: that is read first.
    const { changes: wanted } = ${readForm(loadChoices(record))};
    const choices = ${loadChoices(`{ ...${record}, ...wanted }`)};\n`
    : isAskedAfter
      ? `    const choices = ${loadChoices(record)};\n`
      : "";
  return `/**
 * The edit page of ${inComment(tableName(page.table))}: GET fills a form from the record, POST saves what was changed in it.
 *
 * Exported from the page file "${page.name}" in version ${page.version}. It is yours: nothing here needs the program that wrote it.
 */
import { type Request, type Response, Router } from "express";
import { type Answer, answering, bodyOf, ${hasFiles ? "" : "form, "}methodNotAllowed, type Options, takeSaid, tooLarge } from "../shared/answers.js";
import { lastChange${settings.length > 0 ? ", needSettings" : ""} } from "../shared/database.js";
${hasFiles ? 'import { fileForm, filesOf, isSameFile, sendFile } from "../shared/files.js";\n' : ""}import { readToken, writeToken } from "../shared/form-token.js";
import { segmentOf } from "../shared/html.js";
import type { Actor } from "./actor.js";
import { type Field, fields, ${hasFiles ? "type FileField, " : ""}${isConditional ? "isOn, " : ""}labels, readForm, type Texts, textsOf, type ${type} } from "./form.js";
import { ${searched.length > 0 ? "type Find, " : ""}load${hasChoices ? ", loadChoices" : ""}${hasFiles ? ", loadFile" : ""}, ${asksTypes(page) ? "problemsOfTypes, " : ""}refusal, ${isAsked ? "takenByOthers, " : ""}update } from "./sql.js";
import { ${leadsTo(page) === "list.address" ? "" : "addressOf, "}formPage, type FormView, list, ${edit ? "lockedText, mayEdit, " : ""}savedText, unchangedText } from "./view.js";

${open ? `${comment(open.source)}\n` : ""}const mayOpen = (${opens.includes("actor") ? "actor: Actor" : ""}): boolean => ${opens};

const tokenFor = (${record}: ${type}, actor: Actor, secret: string): string =>
  writeToken<${shownType}>({ page: ${quote(page.name)}, key: [${recordKey}], actor: actor.id, shown: ${isConditional ? `Object.fromEntries(fields.filter((field) => isOn(field, ${record}, actor)).map((field) => [field, textsOf(${record})[field]]))` : `textsOf(${record})`} }, secret);

${keyCode}
${
  searched.length > 0
    ? `
/** What is to be found among choices: by its button, or by the enter key in its text. */
function findIn(body: Readonly<Record<string, string>>): Find {
  const field = ([${searched.join(", ")}] as const).find((name) => body["form.look"] === name || body[\`form.find:\${name}\`]?.trim());
  return field ? { [field]: (body[\`form.find:\${field}\`] ?? "").trim() } : {};
}
`
    : ""
}
async function open({ pool, secret }: Options<Actor>, actor: Actor, request: Request, response: Response): Promise<Answer> {
  ${reading}
  ${loading}
  if (!${record}) return { notice: "no-such-record" };
${isAskedAfter ? `  const choices = ${loadChoices(record)};\n` : ""}  const view = { record: ${record}${choices}${onForm}, texts: textsOf(${record}), token: tokenFor(${record}, actor, secret), base: request.baseUrl };
  return { status: 200, ...formPage({ ...view${edit ? `, isLocked: !mayEdit(${editArguments})` : ""}, said: takeSaid(request, response) }) };
}

${hasFiles ? downloadCode(page, reading, `loadFile(pool, ${rows ? "actor, " : ""}column, ${key})`) : ""}async function save({ pool, secret }: Options<Actor>, actor: Actor, request: Request): Promise<Answer> {
  ${reading}
  const body = bodyOf(request);
  if (!body) return { notice: "form-broken" };
  const typed = fields.map((field) => [labels[field], body[field]] as const);
  const shownThen = readToken<${shownType}>(body["form.token"], { page: ${quote(page.name)}, key: ${page.key.length === 1 ? `[${keyName}]` : "key"}, actor: actor.id }, secret);
  if (!shownThen) return { notice: "form-not-yours", typed };
${page.reason ? '  const reason = (body["form.reason"] ?? "").replaceAll(/\\r\\n?/g, "\\n").trim().slice(0, 1000);\n' : ""}${searched.length > 0 ? "  const find = findIn(body);\n" : ""}${needs.includes("now") || setsNow ? "  const now = new Date();\n" : ""}  for (let turn = 1; turn <= 5; turn += 1) {
    // Tried anew where somebody has changed the record between this and the statement.
    ${loading}
    if (!${record}) return { notice: "record-gone", typed };
${choosing}    const { texts, changes, problems${isAsked ? ": wrong" : ""} } = ${readForm("choices")};
    const stored = textsOf(${record});
    const shown = { record: ${record}${choices}${onForm}${reason}, token: body["form.token"] ?? "", base: request.baseUrl, texts: { ...stored, ...texts } };
    const again = (status: number, view: Partial<FormView>): Answer => ({ status, ...formPage({ ...shown, ...view }) });
${searched.length > 0 ? '    if (body["form.look"] !== undefined || Object.keys(find).length > 0) return again(200, { find });\n' : depends ? '    if (body["form.look"] !== undefined) return again(200, {});\n' : ""}    /** The form made anew upon what is stored now, with what was typed in these fields. */
    const renewed = (status: number, names: readonly Field[], view: Partial<FormView> = {}): Answer => {
      const typed = Object.fromEntries(names.map((field) => [field, texts[field]]));
      return again(status, { token: tokenFor(${record}, actor, secret), texts: { ...stored, ...typed }, ...view });
    };
    const changed = fields.filter((field) => field in changes && field !== body["form.take"]);
    if (body["form.take"] !== undefined) return renewed(200, changed);
${known}    if (problems.length > 0) return again(422, { problems });
    for (const field of fields) if (changes[field] === ${record}[field]${hasFiles ? ` || isSameFile(filesOf(request)[field], ${record}[field])` : ""}) delete changes[field];
    if (Object.keys(changes).length === 0) return { to: ${leadsTo(page)}, said: unchangedText(${record}) };
${edit ? `    if (!mayEdit(${editArguments})) return { notice: "may-not-edit", because: lockedText, typed };\n` : ""}    // Changes of different fields are merged; where somebody has changed the same one, it is for the person to decide.
    const differing = fields.filter((field) => field in changes && stored[field] !== shownThen[field]);
    if (differing.length > 0) {
      const conflictAt = async (field: Field) => ({ field, change: await lastChange(pool, { table: ${quote(tableName(page.table))}, key: { ${page.key.map(({ name }) => `${keyOf(name)}: ${member(record, name)}`).join(", ")} }, field, timeZone: ${quote(page.timeZone)} }) });
      return renewed(409, changed, { conflicts: await Promise.all(differing.map(conflictAt)) });
    }
    try {
      const written = await update(pool, actor, ${record}, changes${setsNow ? ", now" : ""}${reason});
      if (written) {
        const tell = written.isChanged ? savedText : unchangedText;
        return { to: ${leadsTo(page, `written.${record}`)}, said: tell(written.${record}) };
      }
    } catch (error) {
${asksTypes(page) ? "      const wrong = await problemsOfTypes(pool, error, changes);\n      if (wrong.length > 0) return again(422, { problems: wrong });\n" : ""}      const problem = refusal(error, changes);
      if (!problem) throw error;
      return again(422, { problems: [problem] });
    }
  }
  return { notice: "too-busy", typed };
}

${helpers.map((name) => keyHelpers[name]).join("\n")}

/**
 * The routes of the page: \`app.use(${routes}({ pool, secret, actor }))\`.
 *
 * The pool's role needs SELECT and UPDATE on ${inComment(tableName(page.table))}${inComment(grantsBeside(page))}, SELECT on quill_log.change, and EXECUTE on quill_log.add_change.${settings.length > 0 ? ` Its sessions have ${settings.join(", ")}.` : ""}
 */
export function ${routes}(options: Options<Actor>): Router {
${settings.length > 0 ? `  needSettings(options.pool, ${settings.map(quote).join(", ")});\n` : ""}  const answer = answering(options, mayOpen, list);
  const router = Router();
  router
    .route(${quote(pathOf(page))})
    .get(answer((actor, request, response) => open(options, actor, request, response)))
    .post(${hasFiles ? "fileForm(options.actor)" : "form"}, answer((actor, request) => save(options, actor, request)))
    .all(methodNotAllowed(options, list));
${fileRoutes(page)}  router.use(tooLarge(options, list));
  return router;
}
`;
}

/** The other tables that the page reads and the routine that it calls, for the grants. */
function grantsBeside(page: Page): string {
  const tables = new Set(
    takenBy(page).flatMap((field) => {
      const choices = tableChoices(field);
      return choices ? [tableName(choices.table)] : [];
    }),
  );
  const routine = page.routine ? `, EXECUTE on ${page.routine.routine.schema}.${page.routine.routine.name}` : "";
  return `${tables.size === 0 ? "" : `, SELECT on ${[...tables].join(" and ")}`}${routine}`;
}
