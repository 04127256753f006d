import { type DefaultTreeAdapterTypes, parse } from "parse5";

type Node = DefaultTreeAdapterTypes.ChildNode;
type Element = DefaultTreeAdapterTypes.Element;

const isElement = (node: Node): node is Element => "tagName" in node;
const attribute = (element: Element, name: string): string | undefined =>
  element.attrs.find((each) => each.name === name)?.value;

function all(node: { childNodes: Node[] }, tag: string): Element[] {
  return node.childNodes.flatMap((child) =>
    isElement(child) ? [...(child.tagName === tag ? [child] : []), ...all(child, tag)] : [],
  );
}

const textOf = (element: Element): string =>
  element.childNodes
    .map((child) =>
      child.nodeName === "#text" ? (child as { value: string }).value : isElement(child) ? textOf(child) : "",
    )
    .join("");

function entries(form: Element): [string, string][] {
  const found: [string, string][] = [];
  const add = (element: Element, value: string): void => {
    const name = attribute(element, "name");
    if (name !== undefined) found.push([name, value]);
  };
  for (const input of all(form, "input")) {
    if (/^(checkbox|radio)$/.test(attribute(input, "type") ?? "") && attribute(input, "checked") === undefined)
      continue;
    // A single-line control drops line breaks (HTML, 4.10.5.1.2).
    add(input, (attribute(input, "value") ?? "").replaceAll(/[\r\n]/g, ""));
  }
  for (const area of all(form, "textarea")) add(area, textOf(area));
  for (const select of all(form, "select")) {
    const options = all(select, "option");
    const chosen = options.find((option) => attribute(option, "selected") !== undefined) ?? options[0];
    if (chosen) add(select, attribute(chosen, "value") ?? textOf(chosen));
  }
  return found;
}

/** A page's main form as a browser would send it untouched: names and values, line breaks as CR LF (HTML, 4.10.21.4). */
export function formOf(html: string): Map<string, string> {
  const form = all(parse(html), "form").find((each) =>
    ["quill-sheet", "quill-removing", "quill-rows"].includes(attribute(each, "class") ?? ""),
  );
  if (!form) throw new Error(`There is no form on this page: ${html.slice(0, 2000)}`);
  const sent = new Map<string, string>();
  for (const [name, value] of entries(form)) {
    const text = value.replaceAll(/\r\n|\r|\n/g, "\r\n");
    const before = sent.get(name);
    // The two ends of a range are one text, as they are read.
    sent.set(name, before === undefined ? text : before + text === "" ? "" : `${before}/${text}`);
  }
  return sent;
}

/** A form's body as `application/x-www-form-urlencoded`, with some values replaced; null takes a value off. */
export function bodyOf(form: ReadonlyMap<string, string>, edits: Readonly<Record<string, string | null>> = {}): string {
  const values = new Map<string, string | null>([...form, ...Object.entries(edits)]);
  return new URLSearchParams([...values].filter((entry): entry is [string, string] => entry[1] !== null)).toString();
}
