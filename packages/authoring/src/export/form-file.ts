import { word } from "@loyal-quill/core/messages/messages";
import { isMade, loadedColumns, madeOf } from "@loyal-quill/core/page/columns";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Rule } from "@loyal-quill/core/rules/rule";
import { wordsFor } from "@loyal-quill/core/settings/constraints";
import { fieldsAskedBy, neededBy, saidAt, tableChecks } from "@loyal-quill/core/steps/table-checks";
import { type Code, type HelperName, helpersFor, helperText } from "./helpers.js";
import { NotPlain, PlainCode } from "./logic.js";
import {
  choiceRule,
  choicesAskedWith,
  fileFields,
  freeName,
  hasConditions,
  judgingNeeds,
  offeredFields,
  takenBy,
} from "./parts.js";
import { readerCode, ruleCode, shownCode, tidyCode } from "./reading.js";
import { comment, keyOf, member, quote, recordName, said, typeName } from "./source.js";

import { tellsMoments } from "./told.js";

/* The file that reads and judges what a form sends: no HTTP, no SQL. */

/** Whether a field was changed that a condition asks about. */
function changedAny(page: Page, names: readonly string[]): string {
  const taken = [...new Set(names)].filter((name) => takenBy(page).some(({ column }) => column.name === name));
  return `changed(${taken.map(quote).join(", ")})`;
}

/** A check across fields. */
function checkCode(page: Page, code: PlainCode, { condition, at, message }: Page["checks"][number]): string {
  const failed = code.truth(condition.expression, false);
  return `${comment(condition.source)}
if (${changedAny(page, condition.formColumns)} && ${failed}) problems.push({ field: ${at === null ? "null" : quote(at)}, message: ${quote(message)} });`;
}

/**
 * What a CHECK of the table demands of several fields, where it can be said plainly: it is judged with everything else, at the last field of those
 * that were changed.
 */
function tableCheckCode(page: Page, code: PlainCode, check: ReturnType<typeof tableChecks>[number]): readonly string[] {
  const fields = fieldsAskedBy(page, check);
  const [first] = fields;
  if (!first || !isPlain(check.condition)) return [];
  const name = ({ column }: Field): string => quote(column.name);
  const names = check.condition.formColumns.map(quote).join(", ");
  const push = (field: Field): string =>
    `problems.push({ field: ${name(field)}, message: ${quote(saidAt(page, check, field))} });`;
  const own = wordsFor(page, check.constraint);
  const needed = neededBy(page, check);
  const elsewhere = takenBy(page).find(({ column }) => own?.at != null && column.name === own.at);
  const branches = elsewhere
    ? [push(elsewhere)]
    : [
        ...(needed
          ? [
              `if (${member("form", needed.column.name)} === null) problems.push({ field: ${name(needed)}, message: ${own ? quote(own.message) : said(page.language, "required", { label: needed.label })} });`,
            ]
          : []),
        ...fields.slice(0, -1).map((field) => `if (changed(${name(field)})) ${push(field)}`),
        push(fields.at(-1) ?? first),
      ];
  return [
    `${comment(`${check.sql} (${check.constraint})`)}
if (${changedAny(page, check.condition.formColumns)} && !known.some(({ field }) => field !== null && [${names}].includes(field)) && ${code.truth(check.condition.expression, false)}) {
${branches.join("\nelse ")}
}`,
  ];
}

/** Whether there is plain code for where a condition is false. */
function isPlain(condition: Page["checks"][number]["condition"]): boolean {
  try {
    new PlainCode({ row: "", form: "", actor: "", now: "" }).truth(condition.expression, false);
    return true;
  } catch (error) {
    if (error instanceof NotPlain) return false;
    throw error;
  }
}

/** A rule that holds under a condition. */
function conditionalCode(
  page: Page,
  { code, called }: { readonly code: PlainCode; readonly called: Set<HelperName> },
  field: Field,
  rule: Rule,
): string {
  if (!rule.when) return "";
  const { name } = field.column;
  const value = member("form", name);
  const applies = `isRight(${quote(name)}) && ${changedAny(page, [name, ...rule.when.formColumns])} && ${code.truth(rule.when.expression)}`;
  const what = comment(`${rule.rule} when ${rule.when.source}`);
  if (rule.rule === "required") {
    const message =
      rule.message === null ? said(page.language, "required", { label: field.label }) : quote(rule.message);
    return `${what}\nif (${applies} && (${value} ?? "").trim() === "") problems.push({ field: ${quote(name)}, message: ${message} });`;
  }
  const judge = ruleCode(rule, field, page.language, called);
  if (judge === null) throw new NotPlain(`the rule "${rule.rule}" under a condition`);
  return `${what}\nif (${applies} && ${value} !== null) {
  const message = (${judge.replace("(value)", "(value: string)")})(${value});
  if (message) problems.push({ field: ${quote(name)}, message });
}`;
}

function choiceCode(page: Page): string {
  const fields = offeredFields(page);
  const byMessage = new Map<string, string[]>();
  for (const field of fields) {
    const rule = choiceRule(field);
    const message =
      rule?.message != null
        ? quote(rule.message)
        : said(page.language, rule?.rule === "offered" ? "not-on-offer" : "exists", {
            label: { code: "labels[field]" },
          });
    byMessage.set(message, [...(byMessage.get(message) ?? []), field.column.name]);
  }
  return [...byMessage]
    .map(
      ([message, names]) => `for (const field of [${names.map(quote).join(", ")}] as const)
  if (isRight(field) && changed(field) && form[field] !== null && !choices[field].some(({ value${choicesAskedWith(page).gone ? ", gone" : ""} }) => value === form[field]${choicesAskedWith(page).gone ? " && !gone" : ""}))
    problems.push({ field, message: ${message} });`,
    )
    .join("\n");
}

function reasonCode(page: Page, code: PlainCode): string {
  if (!page.reason) return "";
  return `${comment(`a reason is needed where ${page.reason.source}`)}
if (Object.keys(changes).length > 0 && reason === "" && ${code.truth(page.reason.expression)})
  problems.push({ field: "form.reason", message: ${quote(word(page.language, "reason-needed"))} });`;
}

const imports: Partial<Record<HelperName, string>> = {
  big: 'import Big from "big.js";',
  jsonc: 'import { type ParseError, parse as parseJson } from "jsonc-parser";',
  re2: 'import { RE2JS } from "re2js";',
  transliterate: 'import transliterate from "@sindresorhus/transliterate";',
  temporal: 'import { Temporal } from "temporal-polyfill";',
};

/** What stands for a box that is not ticked, and for radio buttons of which none is: the hidden control beside them says that they were on the form. */
function unsentCode(page: Page): string {
  const controls = takenBy(page).map(({ control }) => control);
  const [boxes, radios] = [controls.includes("check-box"), controls.includes("radio")];
  if (!boxes && !radios) return "";
  const box = "body[`${field}.box`]";
  return ` ?? ${box}`;
}

/** What is wrong with a file that was sent, or with none where one was taken away: an expression over `file`. @throws NotPlain */
function fileRuleCode({ rules, label }: Field, language: Page["language"]): string {
  const tests = rules.map(({ rule, demand, message, when }) => {
    if (when) throw new NotPlain(`a rule of a file under a condition`);
    const told = (code: Code, places: Parameters<typeof said>[2] = {}): string =>
      message === null ? said(language, code, { label, ...places }) : quote(message);
    switch (rule) {
      case "required":
        return `!file && ${told("required")}`;
      case "max-size":
        return `file && file.content.length > ${demand} && ${told("max-size", { limit: Math.floor((demand as number) / 1000) })}`;
      case "media-types": {
        const types = demand as readonly string[];
        const isOne = types.map((each) =>
          each.endsWith("/*") ? `file.type.startsWith(${quote(each.slice(0, -1))})` : `file.type === ${quote(each)}`,
        );
        return `file && !(${isOne.join(" || ")}) && ${told("media-types", { types: types.join(", ") })}`;
      }
      default:
        throw new NotPlain(`the rule "${rule}" of a file`);
    }
  });
  return tests.length === 0 ? "() => false" : `(file) => ${tests.map((each) => `(${each})`).join(" || ")}`;
}

/** What the file knows of fields that are files. */
const filesCode = (page: Page, files: readonly Field[]): string =>
  files.length === 0
    ? ""
    : `
/** Those that are files. What stands for one in a record is its SHA-256 and its size: \`sha256:HEX:BYTES\`. */
export type FileField = ${files.map(({ column }) => quote(column.name)).join(" | ")};
const isFile = (field: string): field is FileField => ${files.map(({ column }) => `field === ${quote(column.name)}`).join(" || ")};
/** What is wrong with a file; with none where it was taken away. */
const fileRules: Readonly<Record<FileField, (file: SentFile | undefined) => string | false | undefined>> = {
${files.map((field) => `${keyOf(field.column.name)}: ${fileRuleCode(field, page.language)},`).join("\n")}
};
`;

/** Which fields are on the form under a condition only. */
function conditionsCode(page: Page): string {
  if (!hasConditions(page)) return "";
  const record = recordName(page);
  const code = new PlainCode({ row: record, form: record, actor: "actor", now: "new Date()" });
  const conditions = page.fields.flatMap(({ column, when }) => {
    if (!when) return [];
    const truth = code.truth(when.expression);
    return `${comment(when.source)}\n${keyOf(column.name)}: (${truth.includes("actor.") ? `${record}, actor` : truth.includes(record) ? record : ""}) => ${truth},`;
  });
  if (code.needs.size > 0) throw new NotPlain("a field under a condition that reckons with numbers or moments");
  return `/** Fields that are on the form of some records only. */
const onlyWhere: Readonly<Record<string, (${record}: ${typeName(page)}, actor: Actor) => boolean>> = {
${conditions.join("\n")}
};

/** Whether a field is on a record's form. */
export const isOn = (field: string, ${record}: ${typeName(page)}, actor: Actor): boolean => onlyWhere[field]?.(${record}, actor) ?? true;

`;
}

/** The text of the file. @throws NotPlain */
export function formFile(page: Page): string {
  const type = typeName(page);
  const record = recordName(page);
  const taken = takenBy(page);
  const called = new Set<HelperName>();
  const code = new PlainCode({ row: record, form: "form", actor: "actor", now: "now" });
  const files = fileFields(page);
  const typed = taken.filter((field) => !files.includes(field));
  const readers = typed.map((field) => `${keyOf(field.column.name)}: ${readerCode(field, page, called)},`);
  const shown = taken.flatMap((field) => {
    const text = shownCode(field, member(record, field.column.name), called);
    return text === null ? [] : [`${keyOf(field.column.name)}: ${text},`];
  });
  const tidied = typed.flatMap((field) => {
    const text = tidyCode(field, called);
    return text === null
      ? []
      : [`${keyOf(field.column.name)}: (${text.includes("body") ? "typed, body" : "typed"}) => ${text},`];
  });
  const conditional = taken.flatMap((field) =>
    field.rules.filter(({ when }) => when).map((rule) => conditionalCode(page, { code, called }, field, rule)),
  );
  const byTable = tableChecks(page).flatMap((check) => tableCheckCode(page, code, check));
  const judged = [
    ...conditional,
    ...page.checks.map((check) => checkCode(page, code, check)),
    ...(byTable.length > 0 ? ["const known = [...problems];", ...byTable] : []),
    conditional.length > 0 || files.length > 0 || page.checks.length > 0 || byTable.length > 0
      ? `// In the order of the form; what concerns no field last.
const placeOf = ({ field }: Problem): number => (field === null ? fields.length : fields.indexOf(field as Field));
problems.sort((a, b) => placeOf(a) - placeOf(b));`
      : "",
    reasonCode(page, code),
    choiceCode(page),
  ].filter(Boolean);
  const body = judged.join("\n");
  if (tellsMoments(page)) called.add("localTime");
  for (const need of code.needs) called.add(need === "length" ? "lengthOf" : need);
  const needs = helpersFor(called);
  const columns = loadedColumns(page);
  const types: Readonly<Record<string, string>> = {
    [record]: type,
    choices: "Choices",
    actor: "Actor",
    now: "Date",
    reason: "string",
  };
  const parameters = judgingNeeds(page);
  const usesForm = parameters.includes(record) && body.includes("form");
  const made = taken.filter(isMade);
  const usesBody = made.length > 0;
  const helpers = [...needs]
    .map((name) => helperText(name, page))
    .filter(Boolean)
    .join("\n\n");
  const imported = [
    ...Object.entries(imports).flatMap(([name, text]) => (needs.has(name as HelperName) ? [text] : [])),
    ...(parameters.includes("actor") || hasConditions(page) ? ['import type { Actor } from "./actor.js";'] : []),
    ...(files.length > 0 ? ['import type { Files, SentFile } from "../shared/files.js";'] : []),
    ...(parameters.includes("choices") ? ['import type { Choices } from "./sql.js";'] : []),
  ];
  return `${imported.join("\n")}

/** A record as it is stored: each value as PostgreSQL prints it. Its ${freeName(page, "version")} is another one as soon as anybody changes the row. */
export interface ${type} {
${columns.map(({ name, nullable }) => `readonly ${keyOf(name)}: string${nullable ? " | null" : ""};`).join("\n")}
readonly ${freeName(page, "version")}: string;
}

/** The same as it may be typed: any value can be missing. */
export type Values = { readonly [Name in keyof ${type}]: string | null };

/** What the form takes, in its order, and what it is called. */
export const labels = {
${taken.map(({ column, label }) => `${keyOf(column.name)}: ${quote(label)},`).join("\n")}
};
export type Field = keyof typeof labels;
export const fields = Object.keys(labels) as readonly Field[];
export type Texts = Readonly<Record<Field, string>>;
export type Changes = Partial<Record<Field, string | null>>;
${filesCode(page, files)}
/** What the controls show of a record${files.length > 0 ? ", and what stands for its files" : ""}. */
export const textsOf = (${record}: Values): Texts => ${
    shown.length === 0
      ? `Object.fromEntries(fields.map((field) => [field, ${record}[field] ?? ""])) as Texts`
      : `({ ...(Object.fromEntries(fields.map((field) => [field, ${record}[field] ?? ""])) as Texts),
${shown.join("\n")}
})`
  };

${conditionsCode(page)}/** Something wrong with what was sent: at a field, or above the form. */
export interface Problem {
  readonly field: Field | ${page.reason ? '"form.reason" | ' : ""}null;
  readonly message: string;
}

/** A typed text as a value of its column, undefined where it is none, and what is wrong with it. */
type Read = { readonly value: string | null | undefined; readonly message: string | null };
${[
  helpers.includes("nothing") ? "const nothing: Read = { value: null, message: null };" : "",
  helpers.includes("right(") ? "const right = (value: string): Read => ({ value, message: null });" : "",
  // A text with a sign that can't be stored is wrong whatever the field is.
  "const wrong = (message: string): Read => ({ value: undefined, message });",
]
  .filter(Boolean)
  .join("\n")}

${helpers}

${
  tidied.length > 0
    ? `/** What is done to a typed text before it is read. */
const tidied: Partial<Record<Field, (typed: string${usesBody ? ", body: Readonly<Record<string, string>>" : ""}) => string>> = {
${tidied.join("\n")}
};

`
    : ""
}const readers: Readonly<Record<${files.length > 0 ? "Exclude<Field, FileField>" : "Field"}, (typed: string, label: string) => Read>> = {
${readers.join("\n")}
};

/** A form that was sent: the texts in its controls, what it would change, and what is wrong with it. */
export type Form = { readonly texts: Partial<Texts>; readonly changes: Changes; readonly problems: readonly Problem[] };

/** Takes the form's own fields and nothing else. What is sent as it was shown is no change, whatever way it went through the browser. */
export function readForm(body: Readonly<Record<string, string>>, ${files.length > 0 ? "files: Files, " : ""}shown: ${hasConditions(page) ? "Partial<Texts>" : "Texts"}, ${record}: ${type}${parameters
    .filter((name) => name !== record)
    .map((name) => `, ${name}: ${types[name]}`)
    .join("")}): Form {
  const texts: Partial<Record<Field, string>> = {};
  const changes: Changes = {};
  ${usesBody ? "let" : "const"} problems: Problem[] = [];
${usesBody ? `  const isLeftEmpty = (field: Field | ${page.reason ? '"form.reason" | ' : ""}null): boolean => ${made.map(({ column }) => `field === ${quote(column.name)}`).join(" || ")} ? (body[field] ?? "").trim() === "" : false;\n` : ""}  for (const field of fields) {
${hasConditions(page) ? "    // It was not on the form.\n    if (shown[field] === undefined) continue;\n" : ""}${
  files.length > 0
    ? `    if (isFile(field)) {
      const file = files[field];
      if (!file && body[\`form.remove:\${field}\`] !== "true") continue;
      changes[field] = file ? \`\\\\x\${file.content.toString("hex")}\` : null;
      const message = fileRules[field](file);
      if (message) problems.push({ field, message });
      continue;
    }
`
    : ""
}    const raw = body[field]${unsentCode(page)};
    if (raw === undefined) continue;
    const ${tidied.length > 0 ? "typed" : "text"} = raw.replaceAll(/\\r\\n?/g, "\\n");
${tidied.length > 0 ? `    const text = typed === shown[field] ? typed : (tidied[field]?.(typed${usesBody ? ", body" : ""}) ?? typed);\n` : ""}    texts[field] = ${usesBody ? "isLeftEmpty(field) ? typed.trim() : text" : "text"};
    if (text === shown[field]) continue;
    const { value, message } = text.includes("\\0")
      ? wrong(${said(page.language, "nul", { label: { code: "labels[field]" } })})
      : readers[field](text, labels[field]);
    if (value !== undefined && textsOf({ ...${record}, [field]: value })[field] === shown[field]) continue;
    changes[field] = value ?? null;
    if (message !== null) problems.push({ field, message });
  }
${made.map((field) => `  // What could not be made of another field is no complaint of its own where that one is complained of.\n  if (problems.some(({ field }) => field === ${quote(madeOf(field) ?? "")})) problems = problems.filter(({ field }) => field !== ${quote(field.column.name)} || !isLeftEmpty(field));\n`).join("")}${usesForm ? `  /** What the record would come to. */\n  const form: Values = { ...${record}, ...changes };\n` : ""}${body.includes("changed(") ? "  const changed = (...names: readonly Field[]): boolean => names.some((name) => name in changes);\n" : ""}${body.includes("isRight(") ? "  const isRight = (name: Field): boolean => problems.every(({ field }) => field !== name);\n" : ""}${body}
  return { texts, changes, problems };
}
`;
}
