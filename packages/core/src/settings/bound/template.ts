import type { Stored } from "../../postgres/statement.js";

/** Text with columns' values in it: `Station {code}, {name}`. */
export interface Template {
  readonly parts: readonly (string | { readonly column: string })[];
  readonly columns: readonly string[];
}

/** Reads `{column}` places; `{{` and `}}` are not special, a brace without a name stays text. */
export function parseTemplate(text: string): Template {
  const parts: (string | { column: string })[] = [];
  let end = 0;
  for (const match of text.matchAll(/\{([^{}]+)\}/g)) {
    if (match.index > end) parts.push(text.slice(end, match.index));
    parts.push({ column: match[1] ?? "" });
    end = match.index + match[0].length;
  }
  if (end < text.length) parts.push(text.slice(end));
  return { parts, columns: parts.flatMap((part) => (typeof part === "string" ? [] : [part.column])) };
}

/** The template with the values of its columns; a null is a dash. */
export const fillTemplate = (template: Template, value: (column: string) => Stored): string =>
  template.parts.map((part) => (typeof part === "string" ? part : (value(part.column) ?? "–"))).join("");
