/** HTML that may be written as it is. Made by {@link html} only, so everything else is escaped. */
export class Markup {
  constructor(readonly text: string) {}

  /** The HTML itself: for templates that are not made with {@link html}. */
  toString(): string {
    return this.text;
  }
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

/** A text with references for the characters that `every` finds; `some` finds whether there is any. */
const withReferences = (text: string, some: RegExp, every: RegExp): string =>
  // Most texts have nothing to escape; looking first is cheaper than replacing nothing.
  some.test(text) ? text.replaceAll(every, (character) => entities[character] ?? character) : text;

const special = /[&<>"'\r]/;
const everySpecial = /[&<>"'\r]/g;

/** A text for HTML's content and quoted attributes (HTML, 13.1.2.3 and 13.3); a CR would be read as LF if it were not a reference. */
export const escaped = (text: string): string => withReferences(text, special, everySpecial);

const specialInApostrophes = /[&<>'\r]/;
const everySpecialInApostrophes = /[&<>'\r]/g;

/** The value of an attribute between apostrophes (HTML, 13.1.2.3): for JSON, whose many quotation marks then stand as they are. */
export const inApostrophes = (text: string): Markup =>
  new Markup(`'${withReferences(text, specialInApostrophes, everySpecialInApostrophes)}'`);

function written(part: Part): string {
  if (part instanceof Markup) return part.text;
  if (part === null || part === undefined || part === false) return "";
  if (typeof part === "object") return part.map(written).join("");
  return escaped(String(part));
}

/**
 * A template of HTML: every value in it is escaped, unless it is markup itself; lists are joined, null and false are nothing.
 *
 * @example html`<ul>${names.map((name) => html`<li>${name}</li>`)}</ul>`
 */
export function html(strings: TemplateStringsArray, ...parts: readonly Part[]): Markup {
  let text = strings[0] ?? "";
  for (let index = 0; index < parts.length; index++) text += written(parts[index]) + (strings[index + 1] ?? "");
  return new Markup(text);
}

/** Attributes with values of their own: ` name="value"`; true is the bare name, null and false are nothing. */
export function attributes(values: Readonly<Record<string, string | true | null | false>>): Markup {
  let text = "";
  for (const name in values) {
    const value = values[name];
    if (value === true) text += ` ${name}`;
    else if (typeof value === "string") text += ` ${name}="${escaped(value)}"`;
  }
  return new Markup(text);
}
