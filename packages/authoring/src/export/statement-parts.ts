import type { Page } from "@loyal-quill/core/page/page";
import { castText } from "@loyal-quill/core/postgres/text-form";
import type { Column } from "@loyal-quill/core/table/model";
import { NotPlain } from "./logic.js";
import { castIn, identifier } from "./source.js";

/* What statements of exported code are made of. */

/** A column's value as text: texts stand as they are, all else is cast to PostgreSQL's own text form. */
export function asText(alias: string, column: Column): string {
  const { type } = column;
  const isPlain =
    type.kind === "text" && !type.folded && (type.shown === "text" || type.shown.startsWith("character varying"));
  if (column.stamped && type.kind === "text") throw new NotPlain(`a file of text in ${column.name}`);
  const name = `${alias}.${identifier(column.name)}`;
  return isPlain ? name : castText(name, column);
}

/** `t.code = $1::text AND …` over the parameters that stand for the key. */
export const byKey = (page: Page, alias: string, value: (column: Column) => string): string =>
  page.key
    .map((column) => `${alias}.${identifier(column.name)} = \${$(${value(column)})}::${castIn(column.type)}`)
    .join(" AND ");

/** Parts between commas, in lines that can be read. */
export function inLines(parts: readonly string[]): string {
  const lines: string[] = [];
  for (const part of parts) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + part.length < 112) lines[lines.length - 1] = `${last}, ${part}`;
    else lines.push(part);
  }
  return lines.join(",\n  ");
}
