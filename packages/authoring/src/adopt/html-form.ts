import { type DefaultTreeAdapterTypes, parse } from "parse5";

/*
 * A form as a browser has it (HTML, 4.10): read off a page that somebody else has written, with the places at which its controls stand.
 */

type Element = DefaultTreeAdapterTypes.Element;
type Parent = DefaultTreeAdapterTypes.ParentNode;

/** Where something stands in the page: lines and columns from 1. */
export interface Place {
  readonly line: number;
  readonly column: number;
}

interface HtmlOption {
  readonly value: string;
  readonly label: string;
  readonly isSelected: boolean;
  readonly isDisabled: boolean;
}

/** A control, or several of one name that are one choice. */
export interface HtmlControl {
  readonly name: string;
  /** `input`'s type, `select` or `textarea`. */
  readonly kind: string;
  readonly label: string | null;
  readonly help: string | null;
  /** The legend of the group that it stands in. */
  readonly group: string | null;
  /** What it would send as it is; null where it would send nothing. */
  readonly value: string | null;
  readonly placeholder: string | null;
  /** Of a select, radio buttons and check boxes of one name. */
  readonly options: readonly HtmlOption[];
  /** Whether one option is chosen only since a browser chooses the first. */
  readonly isChosenByBrowser: boolean;
  readonly isReadOnly: boolean;
  readonly isDisabled: boolean;
  /** Whether another control of this name sends something where a box is not ticked. */
  readonly hasHidden: boolean;
  /** Attributes that say what may be typed: `required`, `maxlength`, `min`, `max`, `step`, `pattern`. */
  readonly demands: Readonly<Record<string, string>>;
  /** All that stands in its tags and in it, names and values: a template prints something there. */
  readonly source: string;
  readonly place: Place;
}

export interface HtmlForm {
  /** As it is written; empty for the page's own address. */
  readonly action: string;
  readonly method: "get" | "post";
  readonly controls: readonly HtmlControl[];
  readonly place: Place;
}

const isElement = (node: DefaultTreeAdapterTypes.Node): node is Element => "tagName" in node;
const attributeOf = (element: Element, name: string): string | null =>
  element.attrs.find((each) => each.name === name)?.value ?? null;
const has = (element: Element, name: string): boolean => attributeOf(element, name) !== null;

/** All elements below one, in their order: however deep they are nested. */
function elementsIn(node: Parent): readonly Element[] {
  const found: Element[] = [];
  const waiting = node.childNodes.filter(isElement).reverse();
  for (let element = waiting.pop(); element; element = waiting.pop()) {
    found.push(element);
    waiting.push(...element.childNodes.filter(isElement).reverse());
  }
  return found;
}

const textIn = (node: Parent): string =>
  node.childNodes
    .map((child) =>
      child.nodeName === "#text" ? (child as { value: string }).value : isElement(child) ? textIn(child) : "",
    )
    .join("");

/** What people read of a text: white space as one space, without the marks that stand at labels. */
function readText(text: string): string | null {
  const read = text.replaceAll(/\s+/g, " ").trim();
  let end = read.length;
  while (end > 0 && "*: ".includes(read[end - 1] ?? "")) end -= 1;
  return read.slice(0, end) || null;
}

const placeOf = ({ sourceCodeLocation: at }: Element): Place => ({
  line: at?.startLine ?? 1,
  column: at?.startCol ?? 1,
});

function* ancestorsOf(element: Element): Generator<Element> {
  for (let at = element.parentNode; at && isElement(at); at = at.parentNode) yield at;
}

/** The text of a label without that of the control in it. */
const labelText = (label: Element): string | null =>
  readText(
    label.childNodes
      .map((child) => {
        if (child.nodeName === "#text") return (child as { value: string }).value;
        return isElement(child) && !/^(input|select|textarea)$/.test(child.tagName) ? textIn(child) : "";
      })
      .join(" "),
  );

interface Around {
  readonly byId: ReadonlyMap<string, Element>;
  readonly labels: ReadonlyMap<string, Element>;
}

function labelOf(control: Element, { byId, labels }: Around): string | null {
  const named = attributeOf(control, "aria-labelledby")?.split(/\s+/) ?? [];
  const texts = named.flatMap((id) => byId.get(id) ?? []).map(textIn);
  if (texts.length > 0) return readText(texts.join(" "));
  const aria = attributeOf(control, "aria-label");
  if (aria) return readText(aria);
  const own = labels.get(attributeOf(control, "id") ?? "");
  if (own) return labelText(own);
  for (const element of ancestorsOf(control)) {
    if (element.tagName === "label") return labelText(element);
    // A table of fields: what stands in the cell before.
    if (element.tagName === "td") {
      const siblings = (element.parentNode?.childNodes ?? []).filter(isElement);
      const before = siblings[siblings.indexOf(element) - 1];
      return before ? readText(textIn(before)) : null;
    }
  }
  return null;
}

function legendOf(control: Element): string | null {
  for (const element of ancestorsOf(control)) {
    if (element.tagName !== "fieldset") continue;
    const legend = element.childNodes.filter(isElement).find(({ tagName }) => tagName === "legend");
    if (legend) return readText(textIn(legend));
  }
  return null;
}

const sourceOf = (element: Element): string =>
  [
    ...element.attrs.flatMap(({ name, value }) => [name, value]),
    element.tagName === "textarea" ? textIn(element) : "",
  ].join(" ");

const demanded = ["required", "maxlength", "minlength", "min", "max", "step", "pattern"];

function controlOf(elements: readonly Element[], around: Around): HtmlControl {
  const [first] = elements as [Element];
  const kind = first.tagName === "input" ? (attributeOf(first, "type") ?? "text").toLowerCase() : first.tagName;
  const described = attributeOf(first, "aria-describedby")?.split(/\s+/) ?? [];
  const help = readText(
    described
      .flatMap((id) => around.byId.get(id) ?? [])
      .map(textIn)
      .join(" "),
  );
  const isChoice = kind === "radio" || (kind === "checkbox" && elements.length > 1);
  const base = {
    name: attributeOf(first, "name") ?? "",
    kind,
    label: isChoice ? legendOf(first) : labelOf(first, around),
    help,
    group: isChoice ? null : legendOf(first),
    placeholder: attributeOf(first, "placeholder"),
    isReadOnly: has(first, "readonly"),
    isDisabled: has(first, "disabled"),
    hasHidden: false,
    demands: Object.fromEntries(
      demanded.flatMap((name) => (has(first, name) ? [[name, attributeOf(first, name) ?? ""]] : [])),
    ),
    source: elements
      .flatMap((each) => [each, ...elementsIn(each)])
      .map(sourceOf)
      .join(" "),
    place: placeOf(first),
  };
  if (kind === "select") {
    const options = elementsIn(first)
      .filter(({ tagName }) => tagName === "option")
      .map((option) => ({
        value: attributeOf(option, "value") ?? readText(textIn(option)) ?? "",
        label: readText(attributeOf(option, "label") ?? textIn(option)) ?? "",
        isSelected: has(option, "selected"),
        isDisabled: has(option, "disabled"),
      }));
    const chosen = options.findLast(({ isSelected }) => isSelected);
    const byBrowser = has(first, "multiple") ? undefined : options.find(({ isDisabled }) => !isDisabled);
    const value = chosen?.value ?? byBrowser?.value ?? null;
    return { ...base, value, options, isChosenByBrowser: !chosen && byBrowser !== undefined };
  }
  if (kind === "checkbox" || kind === "radio") {
    const options = elements.map((each) => ({
      value: attributeOf(each, "value") ?? "on",
      label: labelOf(each, around) ?? "",
      isSelected: has(each, "checked"),
      isDisabled: has(each, "disabled"),
    }));
    const value = options.find(({ isSelected }) => isSelected)?.value ?? null;
    return { ...base, value, options: isChoice ? options : [], isChosenByBrowser: false };
  }
  const value = kind === "textarea" ? textIn(first) : (attributeOf(first, "value") ?? "");
  return { ...base, value, options: [], isChosenByBrowser: false };
}

/** Whether a control sends a value of its own when somebody saves. */
const isSent = (element: Element): boolean =>
  /^(input|select|textarea)$/.test(element.tagName) &&
  attributeOf(element, "name") !== null &&
  !/^(submit|button|image|reset)$/i.test(attributeOf(element, "type") ?? "");

function formOf(form: Element, around: Around, outside: readonly Element[]): HtmlForm {
  const elements = [...elementsIn(form).filter(isSent), ...outside];
  const byName = new Map<string, Element[]>();
  for (const element of elements) {
    const name = attributeOf(element, "name") ?? "";
    const known = byName.get(name);
    if (known) known.push(element);
    else byName.set(name, [element]);
  }
  const controls = [...byName.values()].flatMap((own): HtmlControl[] => {
    const isHidden = (each: Element): boolean => attributeOf(each, "type")?.toLowerCase() === "hidden";
    const shown = own.filter((each) => !isHidden(each));
    if (shown.length === 0) return own.slice(0, 1).map((each) => controlOf([each], around));
    const first = shown[0] as Element;
    const isChoice = /^(radio|checkbox)$/i.test(attributeOf(first, "type") ?? "");
    const hasHidden = shown.length < own.length;
    return (isChoice ? [shown] : shown.map((each) => [each])).map((each) => ({
      ...controlOf(each, around),
      hasHidden,
    }));
  });
  return {
    action: attributeOf(form, "action") ?? "",
    method: (attributeOf(form, "method") ?? "get").toLowerCase() === "post" ? "post" : "get",
    controls,
    place: placeOf(form),
  };
}

/** Elements without an end at most: what is nested as deep takes its square in time. */
const mostOpen = 10_000;

/** Forms of a page that are looked at. */
const mostForms = 50;

/** The forms of a page. @throws {RangeError} where its elements are nested too deep to be followed */
export function formsIn(html: string): readonly HtmlForm[] {
  const open = (html.match(/<[a-z]/gi)?.length ?? 0) - (html.match(/<\//g)?.length ?? 0);
  if (open > mostOpen) throw new RangeError("Too many elements of the page have no end.");
  const document = parse(html, { sourceCodeLocationInfo: true });
  const elements = elementsIn(document);
  const byId = new Map(elements.flatMap((each) => (has(each, "id") ? [[attributeOf(each, "id") ?? "", each]] : [])));
  const labels = new Map(
    elements.flatMap((each) =>
      each.tagName === "label" && has(each, "for") ? [[attributeOf(each, "for") ?? "", each]] : [],
    ),
  );
  const around: Around = { byId, labels };
  const forms = elements.filter(({ tagName }) => tagName === "form").slice(0, mostForms);
  return forms.map((form, index) => {
    const id = attributeOf(form, "id");
    const inside = new Set(elementsIn(form));
    const next = forms[index + 1];
    const [from, to] = [elements.indexOf(form), next ? elements.indexOf(next) : elements.length];
    const outside = elements.filter((each, place) => {
      if (!isSent(each) || inside.has(each)) return false;
      const owner = attributeOf(each, "form");
      // A form that begins between the rows of a table owns what follows, though nothing stands in it (HTML, 13.2.6.4.9).
      return owner === null ? inside.size === 0 && place > from && place < to : owner === id;
    });
    return formOf(form, around, outside);
  });
}
