import type { Column } from "@loyal-quill/core/table/model";

/*
 * A template of HTML with code between `<%` and `%>` (EJS, and others that look like it): each expression that is printed stands for what it prints, as
 * a sign that no page has. Code that prints nothing is left out.
 */

/** An expression that a template prints. */
interface Printed {
  readonly code: string;
  readonly isEscaped: boolean;
}

export interface Template {
  readonly html: string;
  readonly printed: readonly Printed[];
}

const [opens, closes] = ["\uE000", "\uE001"];
export const mark = /\uE000(\d+)\uE001/g;

export const isTemplate = (text: string): boolean => /<%[\s\S]*?%>/.test(text);

/** A template as a page of HTML. Line breaks of what is left out stay, so that places are those of the template. */
export function readTemplate(text: string): Template {
  const printed: Printed[] = [];
  const html = text.replaceAll(/<%([=\-#_]?)([\s\S]*?)[-_]?%>/g, (whole: string, sign: string, code: string) => {
    const lines = "\n".repeat(whole.split("\n").length - 1);
    if ((sign !== "=" && sign !== "-") || /^\s*include\s*\(/.test(code)) return lines;
    printed.push({ code: code.trim(), isEscaped: sign === "=" });
    return `${opens}${printed.length - 1}${closes}${lines}`;
  });
  return { html, printed };
}

/** What is printed in a text. */
export const printsIn = (text: string, { printed }: Template): readonly Printed[] =>
  [...text.matchAll(mark)].flatMap(([, index]) => printed[Number(index)] ?? []);

/** Names that stand in code as what something has: `station.alert_m`, `row["alert_m"]`; or by themselves. */
const namesIn = (code: string): ReadonlySet<string> =>
  new Set(
    [...code.replaceAll(/(['"`])((?:(?!\1).)*)\1/g, " $2 ").matchAll(/[\p{L}_$][\p{L}\p{N}_$]*/gu)].map(
      ([name]) => name,
    ),
  );

const camel = (name: string): string => name.replaceAll(/_(\w)/g, (_, sign: string) => sign.toUpperCase());

/** Whether code speaks of a column. */
export const speaksOf = ({ code }: Printed, { name }: Column): boolean => {
  const names = namesIn(code);
  return names.has(name) || names.has(camel(name));
};
