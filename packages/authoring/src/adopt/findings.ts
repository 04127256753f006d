import type { Row, Stored } from "@loyal-quill/core/postgres/statement";
import { fitsPattern } from "@loyal-quill/core/rules/pattern";
import type { Table } from "@loyal-quill/core/table/model";
import { type Difference, difference } from "./compare.js";
import { type FormFindingCode, formFindingKinds } from "./finding-kinds.js";
import type { HtmlControl, HtmlForm, Place } from "./html-form.js";
import type { Matched } from "./match.js";

/** Something that is wrong with a form, at its place in the page. */
export interface FormFinding extends Place {
  readonly code: FormFindingCode;
  readonly severity: "error" | "warning";
  readonly message: string;
  /** What to do. */
  readonly remedy: string;
  /** The name of the control that it is about; null for the form as a whole. */
  readonly control: string | null;
  /** In which of the sources it stands. */
  readonly in: "form" | "handler";
}

export const formFinding = (
  code: FormFindingCode,
  message: string,
  place: Place,
  { control = null, in: where = "form" }: Partial<Pick<FormFinding, "control" | "in">> = {},
): FormFinding => ({
  code,
  severity: formFindingKinds[code].level,
  message,
  remedy: formFindingKinds[code].remedy,
  control,
  in: where,
  ...place,
});

/** What a form is held against. */
export interface Ground {
  readonly form: HtmlForm;
  readonly matched: readonly Matched[];
  readonly table: Table;
  /** The record's key, in the order of the table's. */
  readonly key: readonly (readonly [name: string, value: string])[];
  readonly row: Row;
  /** The address of the page, where it was asked for. */
  readonly address: string | null;
  /** The time zones in which moments may be shown. */
  readonly zones: readonly string[];
}

const shortened = (text: string): string => (text.length > 60 ? `${text.slice(0, 60)}…` : text);
const shownText = (text: string | null): string => (text === null || text === "" ? "nothing" : `“${shortened(text)}”`);

/** A hidden control that stands for no column and holds something long enough to be a proof. */
const isToken = ({ kind, name, value }: HtmlControl): boolean =>
  kind === "hidden" &&
  ((value ?? "").length >= 16 ||
    (/csrf|xsrf|token|nonce|authenticity|signature/i.test(name) && (value ?? "").length >= 8));

/** A part of an address without its percent-encoding; as it is where that is broken. */
function decodedPart(part: string): string {
  try {
    return decodeURIComponent(part.replaceAll("+", " "));
  } catch {
    return part;
  }
}

/** Whether a value stands in an address as a part of its own: in its path or its query. */
const isInAddress = (address: string, value: string): boolean =>
  address
    .replace(/#.*$/, "")
    .split(/[/?&=]/)
    .some((part) => decodedPart(part) === value);

function ofForm({ form, matched, key, address }: Ground): FormFinding[] {
  const found: FormFinding[] = [];
  if (form.method === "get")
    found.push(formFinding("get-for-a-change", "The form is sent by GET: a change belongs into a POST.", form.place));
  if (!form.controls.some((control) => isToken(control) && matched.every((each) => each.control !== control)))
    found.push(
      formFinding("no-token", "No hidden control of the form holds a token against forged requests.", form.place),
    );
  const target = form.action === "" ? (address ?? "") : form.action;
  const missing = key.filter(([name, value]) => {
    const control = matched.find(({ column }) => column.name === name)?.control;
    return !isInAddress(target, value) && (!control || control.isDisabled);
  });
  if (missing.length > 0)
    found.push(
      formFinding(
        "no-key",
        `Neither the form's address (${shownText(form.action)}) nor a control that is sent has the key: ${missing.map(([name]) => name).join(", ")}.`,
        form.place,
      ),
    );
  const seen = new Set<string>();
  for (const { name, kind, place, options } of form.controls) {
    const isList = /\[\]$/.test(name) || (options.length > 0 && kind === "checkbox");
    if (seen.has(name) && !isList)
      found.push(
        formFinding("name-twice", `There is another control with the name “${name}”.`, place, { control: name }),
      );
    seen.add(name);
  }
  return found;
}

/** What of the control's own demands the stored value does not meet. */
function refusedBy({ demands, kind }: HtmlControl, stored: string): string | null {
  const { maxlength, min, max, pattern } = demands;
  if (maxlength !== undefined && /^\d+$/.test(maxlength) && stored.length > Number(maxlength))
    return `It takes ${maxlength} characters, and ${stored.length} are stored.`;
  const compared = kind === "number" || kind === "range" ? Number(stored) : stored;
  const bound = (text: string): number | string => (typeof compared === "number" ? Number(text) : text);
  if (min && ["number", "range", "date"].includes(kind) && compared < bound(min))
    return `It takes nothing below ${min}, and ${stored} is stored.`;
  if (max && ["number", "range", "date"].includes(kind) && compared > bound(max))
    return `It takes nothing above ${max}, and ${stored} is stored.`;
  if (pattern && fitsPattern(pattern, stored) === false) return `Its pattern does not match ${shownText(stored)}.`;
  return null;
}

const codeOf: Readonly<Record<Difference["is"], FormFindingCode>> = {
  empty: "value-missing",
  "white-space": "white-space-differs",
  cut: "value-cut",
  shifted: "time-shifted",
  "not-escaped": "not-escaped",
  other: "value-differs",
};

function ofValue({ control, column }: Matched, stored: Stored, zones: readonly string[]): FormFinding[] {
  const { name, kind, options, value, placeholder, place } = control;
  const label = control.label ?? name;
  const say = (code: FormFindingCode, message: string): FormFinding[] => [
    formFinding(code, message, place, { control: name }),
  ];
  const differs = difference(control, column, stored, zones);
  if (!differs) {
    const refused = stored === null || kind === "hidden" ? null : refusedBy(control, stored);
    return refused === null ? [] : say("stored-value-refused", `${label}: ${refused}`);
  }
  if (column.type.kind === "boolean" && options.length === 0)
    return say(
      "box-not-ticked",
      `${label} is ${control.value === null ? "not " : ""}ticked, and ${stored ?? "null"} is stored.`,
    );
  if (options.length > 0) {
    const isOffered = options.some((option) => option.value === (stored ?? ""));
    if (!isOffered && stored !== null)
      return say("choice-not-offered", `${label}: ${shownText(stored)} is stored and not among the choices.`);
    return say(
      "choice-not-selected",
      `${label}: ${shownText(stored)} is stored, and ${shownText(value)} is chosen${control.isChosenByBrowser ? ", since a browser takes the first where none is marked as selected" : ""}.`,
    );
  }
  if (differs.is === "empty" && placeholder)
    return say(
      "placeholder-for-value",
      `${label} has ${shownText(placeholder)} as its placeholder, and no value: ${shownText(stored)} is stored.`,
    );
  return say(codeOf[differs.is], `${label} shows ${shownText(value)}, and ${shownText(stored)} is stored.`);
}

/** What is wrong with names, labels and the key's control: of a page or of its template. */
export const namingFindings = (
  form: HtmlForm,
  matched: readonly Matched[],
  key: ReadonlySet<string>,
): readonly FormFinding[] =>
  form.controls.flatMap((control) => {
    const { name, kind, label, place } = control;
    // What our own pages ask for besides a record's fields, such as why it is changed.
    if (kind === "hidden" || name.startsWith("quill.")) return [];
    if (matched.every((each) => each.control.name !== name))
      return [formFinding("unknown-name", `No column of the table was found for “${name}”.`, place, { control: name })];
    const column = matched.find((each) => each.control === control)?.column;
    const canBeTyped = column && key.has(column.name) && !control.isReadOnly && !control.isDisabled;
    return [
      ...(canBeTyped
        ? [
            formFinding("key-can-be-typed", `${label ?? name} is the record's key, and can be typed over.`, place, {
              control: name,
            }),
          ]
        : []),
      ...(column && label === null
        ? [formFinding("no-label", `The control “${name}” has no label.`, place, { control: name })]
        : []),
    ];
  });

export const byPlace = (a: FormFinding, b: FormFinding): number => a.line - b.line || a.column - b.column;

/** Everything that is wrong with a form, as far as the page and the record tell it. */
export function formFindings(ground: Ground): readonly FormFinding[] {
  const { form, matched, key, row, zones } = ground;
  const keyNames = new Set(key.map(([name]) => name));
  const found = ofForm(ground);
  for (const each of matched) {
    const { control, column } = each;
    if (!control.isDisabled && control.kind !== "file" && control.kind !== "password")
      found.push(...ofValue(each, row[column.name] ?? null, zones));
  }
  found.push(...namingFindings(form, matched, keyNames));
  return found.sort(byPlace);
}
