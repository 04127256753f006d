import { style } from "./style.js";

/** HTML that was written here; whatever else stands in it is escaped. */
export class Html {
  constructor(readonly text: string) {}
}

/** What may stand in HTML: false and null are nothing. */
export type Content = Html | string | false | null | undefined | readonly Content[];

const escapes: Readonly<Record<string, string>> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
  "'": "&#39;",
};

function written(content: Content): string {
  if (content instanceof Html) return content.text;
  if (typeof content === "string") return content.replaceAll(/[&<>"']/g, (found) => escapes[found] ?? "");
  return content ? content.map(written).join("") : "";
}

/** Tag of a template: `html\`<p>${text}</p>\``. */
export const html = (parts: TemplateStringsArray, ...contents: readonly Content[]): Html =>
  new Html(parts.map((part, index) => part + written(contents[index])).join(""));

/** A part of an address. One of dots alone would be taken for a step in the path; "new" and a tilde have a meaning of their own. */
export const segment = (value: string): string =>
  `${/^(\.{0,2}$|~|new$)/.test(value) ? "~" : ""}${encodeURIComponent(value)}`;

/** The part of an address as it was meant. */
export const segmentOf = (part: string | readonly string[] | undefined): string => String(part).replace(/^~/, "");

/** The id of a field's control, and of what stands beside it: a column's name may hold what an id may not (HTML, 3.2.6). */
export const idOf = (name: string, part = "field"): string => `${part}-${encodeURIComponent(name)}`;

/** A whole document around a page's content. */
export const document = (title: string, content: Html): Html => html`<!doctype html>
<html lang="en" dir="ltr">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${title}</title>
<style>${new Html(style)}</style>
</head>
<body><main>${content}</main></body>
</html>
`;
