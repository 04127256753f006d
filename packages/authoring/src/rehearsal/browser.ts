import { readPairs } from "@loyal-quill/core/steps/read-pairs";
import { Parser } from "htmlparser2";

/** A control of a form, as it stands in the document. */
interface FormControl {
  readonly name: string;
  /** `select`, `textarea`, or an input's type. */
  readonly type: string;
  /** What a browser would send of it untouched, line breaks as CR LF (HTML, 4.10.21.4); null where it sends nothing. */
  readonly value: string | null;
  /** What can be chosen in a list. */
  readonly options: readonly string[];
  /** Whether it has a name for people who can't see it: a label, or one said for it (WCAG 2.2, 4.1.2). */
  readonly labelled: boolean;
  /** Whether it is marked as wrong, and what is said of it. */
  readonly invalid: boolean;
  readonly said: string;
}

export interface DocumentForm {
  readonly method: string;
  readonly action: string;
  readonly controls: readonly FormControl[];
  /** The pairs that a browser would send untouched (HTML, 4.10.21.4), buttons left out. */
  readonly pairs: readonly (readonly [string, string])[];
}

/** A document as far as a rehearsal reads it: with a real HTML parser, and nothing of what made it. */
export interface ReadDocument {
  /** The form that changes something: sent by POST, with a token. */
  readonly form: DocumentForm | null;
  readonly forms: readonly DocumentForm[];
  /** All text outside of tags. */
  readonly text: string;
  /** The addresses that links lead to. */
  readonly links: readonly string[];
  /** How many elements of that name there are. */
  readonly count: (tag: string) => number;
  /** Attributes that run scripts, wherever they stand. */
  readonly handlers: readonly string[];
}

const asSent = (text: string): string => text.replaceAll(/\r\n|\r|\n/g, "\r\n");

type Attributes = Readonly<Record<string, string>>;

/** An element whose text is wanted. */
interface Told {
  readonly tag: string;
  readonly attributes: Attributes;
  text: string;
}

interface OpenForm {
  readonly attributes: Attributes;
  readonly controls: {
    readonly tag: string;
    readonly attributes: Attributes;
    readonly told: Told | null;
    readonly options: Told[];
  }[];
}

/** What a document holds, gathered in one pass. */
function gather(html: string) {
  const forms: OpenForm[] = [];
  const links: string[] = [];
  const handlers: string[] = [];
  const counts = new Map<string, number>();
  /** Elements whose text is wanted. */
  const told: Told[] = [];
  const labelled = new Set<string>();
  let text = "";
  let form: OpenForm | null = null;
  let select: OpenForm["controls"][number] | null = null;
  /** The elements that are open, each with what gathers its text, if anything does. */
  const open: { readonly tag: string; readonly told: Told | null }[] = [];
  const parser = new Parser({
    onopentag(tag, attributes: Attributes) {
      counts.set(tag, (counts.get(tag) ?? 0) + 1);
      for (const name in attributes) if (name.startsWith("on")) handlers.push(name);
      if (tag === "a" && attributes.href !== undefined) links.push(attributes.href);
      if (tag === "label" && attributes.for !== undefined) labelled.add(attributes.for);
      if (attributes.id !== undefined && open.some((each) => each.tag === "label")) labelled.add(attributes.id);
      const wanted = tag === "textarea" || tag === "option" || attributes.id?.endsWith("-problem") === true;
      const own: Told | null = wanted ? { tag, attributes, text: "" } : null;
      if (own) told.push(own);
      open.push({ tag, told: own });
      if (tag === "form") {
        form = { attributes, controls: [] };
        forms.push(form);
      } else if (
        form &&
        /^(input|select|textarea)$/.test(tag) &&
        attributes.name !== undefined &&
        attributes.disabled === undefined
      ) {
        const control = { tag, attributes, told: tag === "textarea" ? own : null, options: [] };
        form.controls.push(control);
        if (tag === "select") select = control;
      } else if (tag === "option" && own) select?.options.push(own);
    },
    ontext(part) {
      text += part;
      for (const { told: each } of open) if (each) each.text += part;
    },
    onclosetag(tag) {
      if (tag === "form") form = null;
      if (tag === "select") select = null;
      while (open.length > 0 && open.pop()?.tag !== tag);
    },
  });
  parser.write(html);
  parser.end();
  return { forms, links, handlers, counts, told, labelled, text };
}

function controlOf(
  { tag, attributes, told: area, options }: OpenForm["controls"][number],
  labelled: ReadonlySet<string>,
  byId: ReadonlyMap<string, string>,
): FormControl {
  const type = tag === "input" ? (attributes.type ?? "text") : tag;
  const isBox = type === "checkbox" || type === "radio";
  const valueIn = (option: Told): string => option.attributes.value ?? option.text;
  const chosen = options.find((each) => each.attributes.selected !== undefined) ?? options[0];
  const held =
    tag === "textarea"
      ? // The first line break belongs to the tag (HTML, 13.2.6.4.7).
        (area?.text ?? "").replace(/^\r?\n/, "")
      : tag === "select"
        ? chosen && valueIn(chosen)
        : // A single-line control drops line breaks (HTML, 4.10.5.1.2).
          (attributes.value ?? (isBox ? "on" : "")).replaceAll(/[\r\n]/g, "");
  const sends = held !== undefined && (!isBox || attributes.checked !== undefined) && type !== "file";
  return {
    name: attributes.name ?? "",
    type,
    value: sends ? asSent(held) : null,
    options: options.map(valueIn),
    labelled:
      type === "hidden" ||
      attributes["aria-label"] !== undefined ||
      attributes["aria-labelledby"] !== undefined ||
      labelled.has(attributes.id ?? ""),
    invalid: attributes["aria-invalid"] === "true",
    said: (attributes["aria-describedby"] ?? "")
      .split(" ")
      .flatMap((id) => byId.get(id) ?? [])
      .join(" "),
  };
}

/** Reads a document by what stands in it, and nothing of what made it. */
export function readDocument(html: string): ReadDocument {
  const { forms: found, links, handlers, counts, told, labelled, text } = gather(html);
  const byId = new Map(
    told.flatMap(({ attributes: { id }, text: said }) => (id?.endsWith("-problem") ? [[id, said] as const] : [])),
  );
  const forms = found.map(({ attributes, controls }): DocumentForm => {
    const read = controls.map((control) => controlOf(control, labelled, byId));
    return {
      method: (attributes.method ?? "get").toLowerCase(),
      action: attributes.action ?? "",
      controls: read,
      pairs: read.flatMap(({ name, value }) => (value === null ? [] : [[name, value] as const])),
    };
  });
  return {
    forms,
    form:
      forms.find(
        ({ method, controls }) => method === "post" && controls.some(({ name }) => /quill\.token$/.test(name)),
      ) ?? null,
    text,
    links,
    count: (tag) => counts.get(tag) ?? 0,
    handlers,
  };
}

/** Pairs as `application/x-www-form-urlencoded`. */
export const encoded = (pairs: readonly (readonly [string, string])[]): string =>
  pairs.map(([name, value]) => `${encodeURIComponent(name)}=${encodeURIComponent(value)}`).join("&");

/** A body with one name's value replaced; null takes it off. */
export function withValue(body: string, name: string, value: string | null): string {
  const pairs = readPairs(body);
  if (typeof pairs === "string") throw new Error(`The body can't be read: ${pairs}.`);
  return bodyOf(pairs, { [name]: value });
}

/** A form's body as `application/x-www-form-urlencoded`, with some values replaced; null takes all of that name off. */
export function bodyOf(
  pairs: readonly (readonly [string, string])[],
  edits: Readonly<Record<string, string | null>> = {},
): string {
  const byName = new Map(Object.entries(edits));
  const kept = pairs.filter(([name]) => byName.get(name) !== null);
  const had = new Set(kept.map(([name]) => name));
  // What is typed into two controls of one name is one text.
  const isSecond = ([name]: readonly [string, string], place: number): boolean =>
    byName.has(name) && kept.findIndex(([each]) => each === name) !== place;
  const edited = kept.flatMap((each, place) =>
    isSecond(each, place) ? [] : [[each[0], byName.get(each[0]) ?? each[1]] as const],
  );
  const added = [...byName].filter((entry): entry is [string, string] => entry[1] !== null && !had.has(entry[0]));
  return encoded([...edited, ...added]);
}
