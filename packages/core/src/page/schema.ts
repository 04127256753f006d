import * as v from "valibot";
import { controlNames, controlsVersion } from "../controls/index.js";
import { type Language, languages } from "../messages/messages.js";
import { rulesVersion } from "../rules/index.js";
import { ruleSchema } from "../rules/schema.js";

/** What may be done to a typed value before it is judged. */
export const tidyings = ["trim", "single-spaces", "upper", "lower"] as const;

const tidying = v.union([v.picklist(tidyings), v.strictObject({ slug: v.pipe(v.string(), v.minLength(1)) })]);

/** How a choice among records is made: from a list of all, or by searching. */
const choiceWays = ["list", "search"] as const;

const line = v.pipe(v.string(), v.trim(), v.minLength(1, "must not be empty"), v.maxLength(500));
const condition = v.pipe(v.string(), v.minLength(1, "must not be empty"), v.maxLength(2000));
/** A condition, or plainly yes or no. */
const allowed = v.union([v.boolean(), condition]);
const fieldSettingsSchema = () =>
  v.strictObject({
    label: v.optional(line),
    help: v.optional(line),
    message: v.optional(line),
    unit: v.optional(line),
    hint: v.optional(line),
    group: v.optional(line),
    autocomplete: v.optional(line),
    control: v.optional(v.picklist([...controlNames()])),
    tidy: v.optional(v.array(tidying)),
    rules: v.optional(v.array(ruleSchema(condition, line))),
    "read-only": v.optional(v.boolean()),
    empty: v.optional(v.picklist(["nothing", "text"])),
    sensitive: v.optional(v.union([v.boolean(), v.literal("shown")])),
    show: v.optional(line),
    choices: v.optional(v.strictObject({ where: v.optional(condition), by: v.optional(v.picklist(choiceWays)) })),
    when: v.optional(condition),
    default: v.optional(v.union([condition, v.number(), v.boolean()])),
  });

/** A field of a page file: a column's name alone, or one name with its settings. */
const fieldSchema = () => v.union([v.string(), v.record(v.string(), v.nullable(fieldSettingsSchema()))]);

const schemaNow = () =>
  v.strictObject({
    format: v.literal("loyal-quill/page@1"),
    title: line,
    plural: v.optional(line),
    description: v.optional(line),
    path: v.pipe(v.string(), v.startsWith("/", "must begin with a slash, like /stations/{code}"), v.maxLength(500)),
    record: v.strictObject({
      table: line,
      key: v.union([line, v.pipe(v.array(line), v.minLength(1))]),
      "key-editable": v.optional(v.boolean()),
    }),
    language: v.optional(v.picklist(Object.keys(languages) as Language[])),
    "time-zone": v.optional(line),
    access: v.optional(
      v.strictObject({
        open: v.optional(condition),
        rows: v.optional(condition),
        edit: v.optional(condition),
        new: v.optional(allowed),
        delete: v.optional(allowed),
        history: v.optional(allowed),
        because: v.optional(line),
      }),
    ),
    list: v.optional(
      v.strictObject({
        columns: v.optional(v.pipe(v.array(line), v.minLength(1))),
        sort: v.optional(line),
        search: v.optional(v.pipe(v.array(line), v.minLength(1))),
        edit: v.optional(v.pipe(v.array(line), v.minLength(1))),
        together: v.optional(v.boolean()),
        form: v.optional(v.picklist(["beside"])),
        filter: v.optional(v.pipe(v.array(line), v.minLength(1))),
      }),
    ),
    fields: v.pipe(v.array(fieldSchema()), v.minLength(1)),
    names: v.optional(v.record(v.string(), line)),
    set: v.optional(
      v.record(
        v.string(),
        v.union([condition, v.strictObject({ to: condition, on: v.optional(v.picklist(["new", "save", "both"])) })]),
      ),
    ),
    checks: v.optional(v.array(v.strictObject({ expect: condition, at: v.optional(line), message: line }))),
    save: v.optional(
      v.strictObject({
        routine: v.optional(line),
        parameters: v.optional(v.record(v.string(), line)),
        reason: v.optional(allowed),
      }),
    ),
    related: v.optional(
      v.pipe(v.array(v.union([line, v.strictObject({ page: line, by: v.optional(line) })])), v.minLength(1)),
    ),
    answer: v.optional(
      v.strictObject({
        saved: v.optional(v.picklist(["list", "page", "view", "next"])),
        message: v.optional(line),
        to: v.optional(
          v.pipe(
            line,
            v.regex(
              /^\/(?![/\\])[^\s]*$/,
              "must be an address on the same host that begins with one slash, like /map?station={code}",
            ),
          ),
        ),
      }),
    ),
  });

type PageSchema = ReturnType<typeof schemaNow>;

let made: { readonly mark: string; readonly schema: PageSchema } | null = null;

/**
 * The page file, `loyal-quill/page@1`. What the table already says is left out of it; the file says what differs. It is made anew once rules or controls
 * were added.
 */
export function pageSchema(): PageSchema {
  const mark = `${controlsVersion()} ${rulesVersion()}`;
  if (made?.mark !== mark) made = { mark, schema: schemaNow() };
  return made.schema;
}

export type PageFile = v.InferOutput<PageSchema>;
export type FieldSettings = v.InferOutput<ReturnType<typeof fieldSettingsSchema>>;
export type Tidying = v.InferOutput<typeof tidying>;
