import { tokenName } from "../page/names.js";
import type { Field, Page } from "../page/page.js";
import { fieldSchema, type JsonSchema, valuesSchema } from "./schema.js";
import type { Json } from "./value.js";

const ref = (name: string): Json => ({ $ref: `#/components/schemas/${name}` });
const contentOf = (schema: Json, type = "application/json"): Readonly<Record<string, Json>> => ({ [type]: { schema } });
const body = (schema: Json, type?: string): Json => ({ content: contentOf(schema, type) });
const answer = (description: string, schema: Json): Json => ({ description, ...(body(schema) as object) });
const problem = (description: string): Json => ({
  description,
  ...(body(ref("Problem"), "application/problem+json") as object),
});

/** Names of a schema in the components: letters, digits, `.`, `-` and `_` (OpenAPI 3.1, 4.8.7.1). */
const schemaName = ({ name }: Page): string => name.replaceAll(/[^A-Za-z0-9._-]/g, "_");

const queries = (page: Page): readonly Json[] => [
  { name: "q", in: "query", description: "Words that are searched for.", schema: { type: "string" } },
  {
    name: "sort",
    in: "query",
    description: "A column; with - before it downwards.",
    schema: { type: "string", enum: sortable(page).flatMap((name) => [name, `-${name}`]) },
  },
  { name: "after", in: "query", description: "As the address of the next part has it.", schema: { type: "string" } },
  {
    name: "before",
    in: "query",
    description: "As the address of the previous part has it.",
    schema: { type: "string" },
  },
  {
    name: "last",
    in: "query",
    description: "Without a value: the last part.",
    allowEmptyValue: true,
    schema: { type: "string" },
  },
  ...page.list.filters.flatMap(({ column, label, way }) => [
    ...(way.by === "range" || way.by === "days"
      ? ["from", "to"].map((bound) => ({
          name: `${bound}.${column.name}`,
          in: "query",
          description: `${label}, ${bound}.`,
          schema: { type: "string" },
        }))
      : []),
    { name: `is.${column.name}`, in: "query", description: `${label}; ~empty or ~filled.`, schema: { type: "string" } },
  ]),
];

const sortable = ({ list }: Page): readonly string[] => [
  ...new Set([list.sort.column.name, ...list.columns.flatMap((each) => (each.sortable ? [each.column.name] : []))]),
];

const common = {
  "401": problem("Nobody is signed in, or the token is not one."),
  "403": problem("The person may not."),
  "503": problem("The database can't be reached, or not in time."),
};

const changed = {
  "412": problem("The record was changed since: load it again."),
  "422": problem("Something can't be saved: errors has a JSON Pointer for each."),
  "428": problem("If-Match is missing."),
};

const ifMatch: Json = {
  name: "If-Match",
  in: "header",
  required: true,
  description: "The record's ETag.",
  schema: { type: "string" },
};
const prefer: Json = {
  name: "Prefer",
  in: "header",
  description: "return=minimal leaves the record out of the answer (RFC 7240).",
  schema: { type: "string" },
};

/** What may be sent: of a change any of the fields, of a new record those that it needs. */
function sentSchema(fields: readonly Field[], isNew: boolean): JsonSchema {
  const needed = fields.filter(
    ({ column, default: given }) =>
      isNew && !column.nullable && !column.setByTrigger && column.default === null && given === null,
  );
  return {
    type: "object",
    additionalProperties: false,
    properties: Object.fromEntries(
      fields.map((field) => {
        const { readOnly: _, ...schema } = fieldSchema(field);
        return [field.column.name, schema];
      }),
    ),
    ...(needed.length > 0 ? { required: needed.map(({ column }) => column.name) } : {}),
  };
}

/** What a script gets that sends a page's form and asks for JSON. */
const formAnswers: Readonly<Record<string, Json>> = {
  "200": answer("It is saved, or had the values already: location says where the page would go.", ref("FormAnswer")),
  "404": problem("There is no such record for this person."),
  "409": problem("Somebody else has changed the same fields, or refers to the record. The token is for the next try."),
  "422": problem("Something can't be saved: errors has a JSON Pointer for each. The token is for the next try."),
};

/** What the rows of a list send. */
const rowsContent = contentOf(
  {
    type: "object",
    description:
      "The controls of each row, named as on the page (r0:alert_m), with each row's token (r0:quill.token); quill.row holds the number of the row that is saved.",
  },
  "application/x-www-form-urlencoded",
);

/** The same address by a form: what a page's own form would send, with its token. */
function formPath(page: Page, ending: "new" | "edit" | "delete", summary: string): Json {
  const name = schemaName(page);
  const fields = page.fields.filter(({ onNew, readOnly }) =>
    ending === "new" ? onNew : ending === "edit" ? !readOnly : false,
  );
  const schema: JsonSchema = {
    type: "object",
    properties: {
      [tokenName]: { type: "string", description: "As the page's form has it." },
      ...Object.fromEntries(fields.map(({ formName, label }) => [formName, { type: "string", description: label }])),
    },
    required: [tokenName],
  };
  return {
    operationId: `${name}.form.${ending}`,
    tags: [page.plural],
    summary,
    requestBody: { required: true, ...(body(schema, "application/x-www-form-urlencoded") as object) },
    responses: { ...formAnswers, ...common },
  };
}

const keyParameters = (page: Page): Json =>
  page.path.columns.map((column) => ({ name: column, in: "path", required: true, schema: { type: "string" } }));

/** The addresses of a page's forms. */
function formPaths(page: Page): readonly [string, Json][] {
  const at = `${page.path.list}/${page.path.columns.map((column) => `{${column}}`).join("/")}`;
  const parameters = keyParameters(page);
  return [
    [`${at}/edit`, { parameters, post: formPath(page, "edit", "The form of a record, sent by a script") }],
    ...(page.access.new
      ? [
          [`${page.path.list}/new`, { post: formPath(page, "new", "The form of a new record, sent by a script") }] as [
            string,
            Json,
          ],
        ]
      : []),
    ...(page.access.delete
      ? [
          [
            `${at}/delete`,
            { parameters, post: formPath(page, "delete", "The question before a deletion, answered by a script") },
          ] as [string, Json],
        ]
      : []),
  ];
}

const formAnswer: JsonSchema = {
  type: "object",
  required: ["outcome", "message", "location"],
  properties: {
    outcome: { type: "string", enum: ["saved", "unchanged"] },
    message: { type: "string", description: "The line that the page would show." },
    location: { type: "string", description: "Where the page would lead." },
  },
};

function listPaths(page: Page): Json {
  const name = schemaName(page);
  const created = page.fields.filter(({ onNew }) => onNew);
  const hasRows = page.list.edit.length > 0;
  return {
    get: {
      operationId: `${name}.list`,
      tags: [page.plural],
      summary: `${page.plural}, part by part`,
      parameters: queries(page),
      responses: {
        "200": answer("A part of the list.", ref(`${name}.List`)),
        "400": problem("The address asks for what the list does not have: errors names each parameter."),
        ...common,
      },
    },
    ...(page.access.new
      ? {
          post: {
            operationId: `${name}.create`,
            tags: [page.plural],
            summary: "A new record",
            parameters: [prefer],
            requestBody: {
              required: true,
              content: { ...contentOf(sentSchema(created, true)), ...(hasRows ? rowsContent : {}) },
            },
            responses: {
              "201": answer("The record as it is stored.", ref(`${name}.Record`)),
              "422": changed["422"],
              ...(hasRows ? formAnswers : {}),
              ...common,
            },
          },
        }
      : hasRows
        ? {
            post: {
              operationId: `${name}.form.rows`,
              tags: [page.plural],
              summary: "Rows of the list, sent by a script",
              requestBody: { required: true, content: rowsContent },
              responses: { ...formAnswers, ...common },
            },
          }
        : {}),
  };
}

function recordPaths(page: Page): Json {
  const name = schemaName(page);
  const edited = page.fields.filter(({ readOnly }) => !readOnly);
  const record = answer("The record.", ref(`${name}.Record`));
  return {
    parameters: keyParameters(page),
    get: {
      operationId: `${name}.read`,
      tags: [page.plural],
      summary: "One record",
      parameters: [{ name: "If-None-Match", in: "header", description: "An ETag.", schema: { type: "string" } }],
      responses: {
        "200": record,
        "304": { description: "It is as it was." },
        "404": problem("There is no such record for this person."),
        ...common,
      },
    },
    ...(edited.length > 0
      ? {
          patch: {
            operationId: `${name}.change`,
            tags: [page.plural],
            summary: "Changes some fields of a record",
            parameters: [ifMatch, prefer],
            requestBody: {
              required: true,
              ...(body(sentSchema(edited, false), "application/merge-patch+json") as object),
            },
            responses: {
              "200": record,
              "404": problem("There is no such record for this person."),
              ...changed,
              ...common,
            },
          },
        }
      : {}),
    ...(page.access.delete
      ? {
          delete: {
            operationId: `${name}.delete`,
            tags: [page.plural],
            summary: "Deletes a record",
            parameters: [ifMatch],
            responses: {
              "204": { description: "It is deleted." },
              "404": problem("There is no such record for this person."),
              "409": problem("Other records refer to it."),
              ...changed,
              ...common,
            },
          },
        }
      : {}),
  };
}

const record = (page: Page): JsonSchema => ({
  type: "object",
  required: ["address", "key", "title", "editable", "values"],
  properties: {
    address: { type: "string" },
    key: { type: "object", additionalProperties: { type: "string" } },
    title: { type: "string" },
    editable: { type: "boolean" },
    because: { type: "string", description: "Why it can't be edited." },
    deletable: { type: "boolean" },
    values: valuesSchema(page),
    labels: { type: "object", description: "What is shown of references, by column." },
    fields: { type: "object", description: "A JSON Schema for each field, with its choices." },
  },
});

const list: JsonSchema = {
  type: "object",
  required: ["title", "items", "next", "previous"],
  properties: {
    title: { type: "string" },
    items: {
      type: "array",
      items: {
        type: "object",
        required: ["address", "key", "values"],
        properties: {
          address: { type: "string" },
          key: { type: "object", additionalProperties: { type: "string" } },
          editable: { type: "boolean" },
          values: { type: "object", description: "The columns that the list shows." },
          labels: { type: "object", description: "What is shown of references, by column." },
        },
      },
    },
    next: { type: ["string", "null"] },
    previous: { type: ["string", "null"] },
    count: { type: ["object", "null"] },
  },
};

const problemSchema: JsonSchema = {
  type: "object",
  description: "Problem details (RFC 9457).",
  required: ["type", "title", "status"],
  properties: {
    type: { type: "string" },
    title: { type: "string" },
    status: { type: "integer" },
    detail: { type: "string" },
    errors: {
      type: "array",
      items: {
        type: "object",
        required: ["detail"],
        properties: {
          pointer: { type: "string", description: "A JSON Pointer (RFC 6901) into what was sent." },
          parameter: { type: "string", description: "A parameter of the address." },
          detail: { type: "string" },
        },
      },
    },
    [tokenName]: { type: "string", description: "Where a form was sent: its token for the next try." },
  },
};

/**
 * The description of the pages as an API, in OpenAPI 3.1.
 *
 * @param pages those that the person who asks may open
 * @param base where they are mounted
 */
export const openApi = (pages: readonly Page[], application: string, base: string, version: string): Json => ({
  openapi: "3.1.0",
  info: { title: application, version, description: "The same addresses that people use, as JSON." },
  servers: [{ url: base === "" ? "/" : base }],
  security: [{ bearer: [] }, { session: [] }],
  tags: pages.map(({ plural, description }) => ({ name: plural, ...(description === null ? {} : { description }) })),
  paths: Object.fromEntries(
    pages.flatMap((page) => [
      [page.path.list, listPaths(page)],
      [`${page.path.list}/${page.path.columns.map((column) => `{${column}}`).join("/")}`, recordPaths(page)],
      ...formPaths(page),
    ]),
  ),
  components: {
    securitySchemes: {
      bearer: { type: "http", scheme: "bearer" },
      session: { type: "apiKey", in: "cookie", name: "session" },
    },
    schemas: {
      Problem: problemSchema,
      FormAnswer: formAnswer,
      ...Object.fromEntries(
        pages.flatMap((page) => [
          [`${schemaName(page)}.Record`, record(page)],
          [`${schemaName(page)}.List`, list],
        ]),
      ),
    },
  },
});
