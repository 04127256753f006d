/** HTML that may be written as it is. Made by {@link html} only, so everything else is escaped. */
export class Markup {
  constructor(readonly text: string) {}
}

type Part = Markup | string | number | null | undefined | false | readonly Part[];

const entities: Readonly<Record<string, string>> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
  "'": "&#39;",
  "\r": "&#13;",
};

/** A text for HTML's content and quoted attributes (HTML, 13.1.2.3 and 13.3); a CR would be read as LF if it were not a reference. */
export const escaped = (text: string): string =>
  text.replaceAll(/[&<>"'\r]/g, (character) => entities[character] ?? character);

function written(part: Part): string {
  if (part instanceof Markup) return part.text;
  if (part === null || part === undefined || part === false) return "";
  if (typeof part === "object") return part.map(written).join("");
  return escaped(String(part));
}

/** A template of HTML: every value in it is escaped, unless it is markup itself; lists are joined, null and false are nothing. */
export const html = (strings: TemplateStringsArray, ...parts: readonly Part[]): Markup =>
  new Markup(strings.reduce((text, string, index) => text + written(parts[index - 1]) + string));

/** Attributes with values of their own: ` name="value"`; true is the bare name, null and false are nothing. */
export const attributes = (values: Readonly<Record<string, string | true | null | false>>): Markup =>
  new Markup(
    Object.entries(values)
      .map(([name, value]) =>
        value === null || value === false ? "" : value === true ? ` ${name}` : ` ${name}="${escaped(value)}"`,
      )
      .join(""),
  );
