import type { Field, Page } from "../page/page.js";
import { kindOf } from "../rules/index.js";
import type { Column } from "../table/model.js";
import { isJsonNumber, type Json } from "./value.js";

/** A JSON Schema (2020-12), as OpenAPI 3.1 has them. */
export type JsonSchema = { readonly [keyword: string]: Json };

const typed = (column: Column): JsonSchema => {
  // Read, it is told only that there is one; written, it is a text.
  if (column.sensitive)
    return {
      oneOf: [
        { type: "object", properties: { stored: { const: true } }, readOnly: true },
        { type: "string", writeOnly: true },
      ],
    };
  if (column.stamped) return { type: "object", properties: { sha256: { type: "string" }, size: { type: "integer" } } };
  switch (column.type.kind) {
    case "integer":
      return isJsonNumber(column) ? { type: "integer" } : { type: "string", pattern: "^-?\\d+$" };
    case "decimal":
    case "float":
      return { type: "string", description: "A number, written as a text to the digit." };
    case "boolean":
      return { type: "boolean" };
    case "date":
      return { type: "string", format: "date" };
    case "timestamptz":
      return { type: "string", format: "date-time" };
    case "uuid":
      return { type: "string", format: "uuid" };
    case "enum":
      return { type: "string", enum: column.type.labels };
    case "json":
      return {};
    default:
      return { type: "string" };
  }
};

/** What holds of a column's values, null included where it may be. */
function nullable(column: Column, schema: JsonSchema): JsonSchema {
  if (!column.nullable || schema.type === undefined) return schema;
  const { type, enum: labels, ...more } = schema;
  return {
    ...more,
    type: [type ?? "string", "null"],
    ...(Array.isArray(labels) ? { enum: [...(labels as readonly Json[]), null] } : {}),
  };
}

/** What a field's values are: its type, and those of its rules that always hold and that JSON Schema has a word for. */
export function fieldSchema(field: Field): JsonSchema {
  const base = typed(field.column);
  const isText = base.type === "string" || base.type === undefined;
  const rules = field.rules.map((rule) => {
    if (rule.when) return {};
    const said = kindOf(rule).schema?.(rule.demand) ?? {};
    // Numbers that are written as texts have no words for their size.
    return Object.fromEntries(Object.entries(said).filter(([word]) => isText !== isNumeric(word) || !isNumeric(word)));
  });
  const words = Object.assign({}, ...rules) as JsonSchema;
  return {
    title: field.label,
    ...(field.help === null ? {} : { description: field.help }),
    ...nullable(field.column, { ...base, ...words }),
    ...(field.readOnly && !field.onNew ? { readOnly: true } : {}),
  };
}

const isNumeric = (word: string): boolean => word === "minimum" || word === "maximum" || word === "multipleOf";

/** The values of a page's record, by column. */
export const valuesSchema = (page: Page): JsonSchema => ({
  type: "object",
  properties: Object.fromEntries(page.fields.map((field) => [field.column.name, fieldSchema(field)])),
});
