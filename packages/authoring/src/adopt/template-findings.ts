import type { Column, Table } from "@loyal-quill/core/table/model";
import { byPlace, type FormFinding, formFinding, namingFindings } from "./findings.js";
import type { HtmlControl, HtmlForm } from "./html-form.js";
import type { Matched } from "./match.js";
import { mark, printsIn, speaksOf, type Template } from "./template.js";

function ofValue({ control, column }: Matched, template: Template): FormFinding[] {
  const { name, kind, place, value, placeholder, options } = control;
  const label = control.label ?? name;
  const say = (code: Parameters<typeof formFinding>[0], message: string): FormFinding[] => [
    formFinding(code, message, place, { control: name }),
  ];
  const all = printsIn(control.source, template);
  const raw = all.find((each) => !each.isEscaped);
  if (raw) return say("not-escaped", `${label} prints ${raw.code} as it is: its signs of markup are not escaped.`);
  const isShown = all.some((each) => speaksOf(each, column));
  if (column.type.kind === "boolean" && options.length === 0 && kind === "checkbox")
    return isShown ? [] : say("box-not-ticked", `${label} is ticked, or not, whatever ${column.name} is.`);
  if (kind === "select" || options.length > 0)
    return isShown ? [] : say("choice-not-selected", `${label}: no option is selected by what ${column.name} is.`);
  const own = printsIn(value ?? "", template);
  if (own.length === 0 && placeholder !== null && printsIn(placeholder, template).length > 0)
    return say("placeholder-for-value", `${label} prints its placeholder, and no value.`);
  if (own.length === 0) return say("value-missing", `${label} prints no value.`);
  const print = own.find((each) => speaksOf(each, column));
  if (!print)
    return say(
      "value-differs",
      `${label} prints ${own.map(({ code }) => code).join(" and ")}, and not ${column.name}.`,
    );
  if (kind === "textarea" && (value ?? "").replaceAll(mark, "") !== "")
    return say("white-space-differs", `${label} has white space around what it prints.`);
  const digits = /\.toFixed\((\d+)\)/.exec(print.code)?.[1];
  if (digits !== undefined && column.type.scale !== null && Number(digits) < column.type.scale)
    return say("value-cut", `${label} prints ${digits} digits after the point, and ${column.type.scale} are stored.`);
  if (column.type.kind === "date" && /toISOString|toUTCString|toLocale/.test(print.code))
    return say(
      "time-shifted",
      `${label} makes a moment of a day and prints it in another time zone: it may be the day before.`,
    );
  return [];
}

/** What is wrong with a form as its template tells it. @param key the columns of the table's key */
export function templateFindings(
  form: HtmlForm,
  matched: readonly Matched[],
  table: Table,
  template: Template,
): readonly FormFinding[] {
  const found: FormFinding[] = [];
  const key = (table.keys[0]?.columns ?? []).flatMap(
    (name) => table.columns.find((column) => column.name === name) ?? [],
  );
  if (form.method === "get")
    found.push(formFinding("get-for-a-change", "The form is sent by GET: a change belongs into a POST.", form.place));
  const inAction = printsIn(form.action, template);
  const isNamed = (column: Column): boolean =>
    form.action === "" ||
    inAction.some((each) => speaksOf(each, column)) ||
    matched.some(({ control, column: own }) => own === column && !control.isDisabled);
  if (!key.every(isNamed))
    found.push(
      formFinding(
        "no-key",
        `Neither the form's address nor a control that is sent prints the key: ${key.map(({ name }) => name).join(", ")}.`,
        form.place,
      ),
    );
  const isToken = (control: HtmlControl): boolean =>
    control.kind === "hidden" &&
    matched.every((each) => each.control !== control) &&
    printsIn(control.value ?? "", template).length > 0;
  if (!form.controls.some(isToken))
    found.push(
      formFinding("no-token", "No hidden control of the form prints a token against forged requests.", form.place),
    );
  for (const each of matched) {
    const { isDisabled, kind } = each.control;
    if (!isDisabled && kind !== "file" && kind !== "password") found.push(...ofValue(each, template));
  }
  found.push(...namingFindings(form, matched, new Set(key.map(({ name }) => name))));
  return found.sort(byPlace);
}
