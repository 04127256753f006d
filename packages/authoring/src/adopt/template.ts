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

/** Whether a text has code in it. */
export const isTemplate = (text: string): boolean => {
  const begin = text.indexOf("<%");
  return begin >= 0 && text.indexOf("%>", begin) >= 0;
};

/** A template as a page of HTML. Line breaks of what is left out stay, so that places are those of the template. */
export function readTemplate(text: string): Template {
  const printed: Printed[] = [];
  let html = "";
  let at = 0;
  for (let begin = text.indexOf("<%"); begin >= 0; begin = text.indexOf("<%", at)) {
    const end = text.indexOf("%>", begin);
    if (end < 0) break;
    html += text.slice(at, begin);
    at = end + 2;
    const [, sign = "", code = ""] = /^([=\-#_]?)([\s\S]*?)[-_]?$/.exec(text.slice(begin + 2, end)) ?? [];
    if ((sign === "=" || sign === "-") && !/^\s*include\s*\(/.test(code)) {
      printed.push({ code: code.trim(), isEscaped: sign === "=" });
      html += `${opens}${printed.length - 1}${closes}`;
    }
    html += "\n".repeat(text.slice(begin, at).split("\n").length - 1);
  }
  return { html: html + text.slice(at), printed };
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
