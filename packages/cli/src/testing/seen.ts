import { type DefaultTreeAdapterTypes, parse } from "parse5";

/* What people see of a form, served or exported: its controls with their texts, and what is said; not how it is written as HTML. */

type Node = DefaultTreeAdapterTypes.ChildNode;
type Element = DefaultTreeAdapterTypes.Element;
type Parent = { childNodes: Node[] };

const isElement = (node: Node): node is Element => "tagName" in node;
const attribute = (element: Element, name: string): string | undefined =>
  element.attrs.find((each) => each.name === name)?.value;
const hasClass = (element: Element, ...names: readonly string[]): boolean =>
  (attribute(element, "class") ?? "").split(" ").some((each) => names.includes(each));

function all(node: Parent, is: (element: Element) => boolean): Element[] {
  return node.childNodes.flatMap((child) =>
    isElement(child) ? [...(is(child) ? [child] : []), ...all(child, is)] : [],
  );
}

/** The text of an element without its buttons. */
const textOf = (node: Node): string => {
  if (node.nodeName === "#text") return (node as { value: string }).value;
  if (!isElement(node) || node.tagName === "button") return "";
  return node.childNodes.map(textOf).join("");
};
const said = (node: Node | undefined): string | null => (node ? textOf(node).replaceAll(/\s+/g, " ").trim() : null);

export interface SeenField {
  readonly label: string | null;
  readonly name: string;
  readonly kind: string;
  /** What it would send; null for a box that is not ticked. */
  readonly text: string | null;
  readonly options: readonly (readonly [value: string, label: string, isChosen: boolean])[];
  readonly help: string | null;
  readonly unit: string | null;
  readonly problem: string | null;
  readonly conflict: string | null;
  readonly isWrong: boolean;
}

export interface Seen {
  readonly title: string | null;
  readonly heading: string | null;
  readonly said: string | null;
  readonly summary: { readonly heading: string | null; readonly lines: readonly (string | null)[] } | null;
  readonly fields: readonly SeenField[];
  /** What a browser would send of it, with its token. */
  readonly sends: ReadonlyMap<string, string>;
  readonly hasForm: boolean;
  /** Ids that stand twice, and those that a label, a description or a link leads to and that nothing has. */
  readonly wrongIds: readonly string[];
}

function wrongIdsIn(document: Parent): readonly string[] {
  const named = all(document, (each) => attribute(each, "id") !== undefined).map((each) => attribute(each, "id") ?? "");
  const referring = all(document, () => true).flatMap((each) => [
    ...(attribute(each, "for")?.split("\n") ?? []),
    ...["aria-describedby", "aria-labelledby"].flatMap((name) => attribute(each, name)?.split(/\s+/) ?? []),
    // A fragment is sought as it is written, then as it is meant (HTML, 7.4.6.4).
    ...(/^#(.+)$/
      .exec(attribute(each, "href") ?? "")
      ?.slice(1, 2)
      .map(decodeURIComponent) ?? []),
  ]);
  return [
    ...named.filter((id, index) => named.indexOf(id) !== index || /\s/.test(id)),
    ...referring.filter((id) => !named.includes(id)),
  ];
}

/** A column that is called like a control of the pages' own goes by another name in a served form. */
const plainName = (control: Element): string => (attribute(control, "name") ?? "").replace(/^column\./, "");

function seenControl(control: Element, around: Element): SeenField {
  const name = plainName(control);
  const type = control.tagName === "input" ? (attribute(control, "type") ?? "text") : control.tagName;
  const options = all(control, ({ tagName }) => tagName === "option").map(
    (option) =>
      [
        attribute(option, "value") ?? textOf(option),
        textOf(option),
        attribute(option, "selected") !== undefined,
      ] as const,
  );
  const isTicked = attribute(control, "checked") !== undefined;
  const text =
    control.tagName === "select"
      ? ((options.find(([, , isChosen]) => isChosen) ?? options[0])?.[0] ?? null)
      : control.tagName === "textarea"
        ? control.childNodes.map(textOf).join("")
        : type === "checkbox" || type === "radio"
          ? isTicked
            ? (attribute(control, "value") ?? "on")
            : null
          : (attribute(control, "value") ?? "");
  const one = (...classes: readonly string[]): string | null =>
    said(all(around, (each) => hasClass(each, ...classes))[0]);
  return {
    label: said(
      all(around, (each) => each.tagName === "label" && attribute(each, "for") === attribute(control, "id"))[0],
    ),
    name,
    kind: type,
    // Seconds that are zero are not shown by such a control.
    text: type === "datetime-local" ? (text?.replace(/(T\d\d:\d\d):00$/, "$1") ?? null) : text,
    options,
    help: said(
      all(
        around,
        (each) => hasClass(each, "help", "quill-help") && !(attribute(each, "id") ?? "").endsWith("-stored"),
      )[0],
    ),
    unit: one("unit", "quill-unit"),
    problem: one("problem", "quill-problem"),
    conflict: one("conflict", "quill-conflict"),
    isWrong: attribute(control, "aria-invalid") === "true",
  };
}

const isControl = (element: Element): boolean =>
  ["input", "select", "textarea"].includes(element.tagName) &&
  attribute(element, "type") !== "hidden" &&
  !/^(quill|form)\./.test(attribute(element, "name") ?? "");

/** What a page shows of its form, and says. */
export function seen(html: string): Seen {
  const document = parse(html);
  const isOfForm = (each: Element): boolean =>
    each.tagName === "form" &&
    all(each, (input) => ["form.token", "quill.token"].includes(attribute(input, "name") ?? "")).length > 0;
  const [form] = all(document, isOfForm);
  const around = form ? all(form, (each) => hasClass(each, "field", "quill-field")) : [];
  const controls = around.flatMap((each) => all(each, isControl).map((control) => seenControl(control, each)));
  const summary = all(document, (each) => hasClass(each, "summary", "quill-summary"))[0];
  const sends = new Map<string, string>();
  for (const hidden of form ? all(form, (each) => attribute(each, "type") === "hidden") : [])
    sends.set(attribute(hidden, "name") ?? "", attribute(hidden, "value") ?? "");
  const raw = new Map(
    around
      .flatMap((each) => all(each, isControl))
      .map((control) => [plainName(control), attribute(control, "name") ?? ""]),
  );
  for (const { name, text } of controls) if (text !== null) sends.set(raw.get(name) ?? name, text);
  const first = (tag: string): Element | undefined => all(document, ({ tagName }) => tagName === tag)[0];
  return {
    title: said(first("title"))?.replace(/ · .*$/, "") ?? null,
    heading: said(first("h1")),
    said: said(all(document, (each) => hasClass(each, "said", "quill-said"))[0])?.replace(/ Undo$/, "") ?? null,
    summary: summary
      ? { heading: said(first("h2")), lines: all(summary, ({ tagName }) => tagName === "li").map((each) => said(each)) }
      : null,
    fields: controls,
    sends,
    hasForm: form !== undefined,
    wrongIds: wrongIdsIn(document),
  };
}
