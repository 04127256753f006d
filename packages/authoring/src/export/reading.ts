import type { Language } from "@loyal-quill/core/messages/messages";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Pattern } from "@loyal-quill/core/rules/pattern";
import type { Rule } from "@loyal-quill/core/rules/rule";
import { integerRanges } from "@loyal-quill/core/values/integer-ranges";
import { orderOf } from "@loyal-quill/core/values/order";
import { about, type Code, type HelperName } from "./helpers.js";
import { NotPlain } from "./logic.js";
import { patternOf, textForms } from "./patterns.js";
import { member, quote, said } from "./source.js";

/*
 * How a typed text is read as a value of its column, and judged by the rules that hold always: a call of a small function for each field. The
 * exported file has the functions that its fields call, and no others.
 */

/** What is done to a typed text before it is read, as an expression over `typed` and `body`; null where nothing is. @throws NotPlain */
export function tidyCode({ tidy, column }: Field, called: Set<HelperName>): string | null {
  if (tidy.length === 0) return null;
  return tidy.reduce((before: string, each, index) => {
    if (each === "trim") return `${before}.trim()`;
    if (each === "upper") return `${before}.toUpperCase()`;
    if (each === "lower") return `${before}.toLowerCase()`;
    if (each === "single-spaces") {
      called.add("singleSpaces");
      return `singleSpaces(${before})`;
    }
    // One that may stay empty would be made as soon as anything else is saved: that takes more than its own text.
    if (column.nullable || index !== tidy.length - 1)
      throw new NotPlain("a value that is made of another field and may be missing");
    called.add("slugOf");
    return `typed.trim() === "" ? slugOf(${member("body", each.slug)}) : ${before}`;
  }, "typed");
}

/** The strictest of a field's bounds that hold always and say nothing of their own; null where there is none. */
function strictest(field: Field, name: "min" | "max"): string | null {
  const bounds = field.rules.flatMap(({ rule, when, message, demand }) =>
    rule === name && when === null && message === null ? [(demand as { readonly bound: string }).bound] : [],
  );
  const sign = name === "min" ? 1 : -1;
  const [first] = bounds.toSorted((a, b) => -sign * (orderOf(a, b, field.column.type.kind) ?? 0));
  return first ?? null;
}

/** What a rule says of a value, as an expression of a function; null where reading, the choices or the table judge it. */
export function ruleCode(rule: Rule, field: Field, language: Language, called: Set<HelperName>): string | null {
  const told = (code: Code, places: Parameters<typeof said>[2] = {}): string =>
    rule.message === null ? said(language, code, { label: field.label, ...places }) : quote(rule.message);
  const broken = (test: string, message: string): string => `(value) => ${test} && ${message}`;
  const { kind, shown } = field.column.type;
  switch (rule.rule) {
    case "required":
    case "exists":
    case "offered":
    case "unique":
    case "scale":
      return null;
    case "min-length":
    case "max-length": {
      const limit = rule.demand as number;
      called.add("lengthOf");
      return broken(
        `lengthOf(value) ${rule.rule === "min-length" ? "<" : ">"} ${limit}`,
        told(rule.rule, { given: { code: "lengthOf(value)" }, limit }),
      );
    }
    case "min":
    case "max": {
      const { bound } = rule.demand as { readonly bound: string };
      const message = told(rule.rule, { limit: bound });
      if (["integer", "decimal"].includes(kind)) {
        called.add("big");
        return broken(`new Big(value).${rule.rule === "min" ? "lt" : "gt"}(${quote(bound)})`, message);
      }
      if (!["date", "timestamp"].includes(kind))
        throw new NotPlain(`a ${rule.rule === "min" ? "minimum" : "maximum"} of ${shown}`);
      return broken(`value ${rule.rule === "min" ? "<" : ">"} ${quote(bound)}`, message);
    }
    case "step":
      called.add("big");
      return broken(
        `!new Big(value).mod(${quote(rule.demand as string)}).eq(0)`,
        told("step", { limit: rule.demand as string }),
      );
    case "pattern": {
      const { source, code: own = "pattern", part } = rule.demand as Pattern;
      const code = own === "must-not-contain" && field.column.sensitive ? "pattern" : own;
      const plain = patternOf(source);
      if (plain.isRe2) called.add("re2");
      const message =
        code === "must-not-contain" && rule.message === null
          ? notContained(source, told("must-not-contain", { part: { code: "part" } }), told("no-spaces"))
          : told(code, part === undefined ? {} : { part });
      return broken(`!${plain.code}`, message);
    }
    case "e-mail":
    case "web-address":
      return broken(`!${textForms[rule.rule]}.test(value)`, told(rule.rule));
    case "one-of":
      if (rule.from === "table" && kind === "enum") return null;
      return broken(`!${JSON.stringify(rule.demand)}.includes(value)`, told("not-on-offer"));
    default:
      throw new NotPlain(`the rule "${rule.rule}"`);
  }
}

/** The first character that may not be there, in words of its own where it can't be seen. */
const notContained = (source: string, aPart: string, spaces: string): string =>
  `((part) => (part.trim() === "" ? ${spaces} : ${aPart}))([...value].find((each) => !/^${source.slice(0, -1)}$/u.test(each)) ?? "")`;

/** How a field is read, and the rules that are judged with that. */
function typeCode(
  field: Field,
  page: Page,
  called: Set<HelperName>,
): { readonly read: string; readonly judged: (rule: Rule) => boolean } {
  const { type } = field.column;
  const call = (name: HelperName, ...given: readonly string[]): string => {
    called.add(name);
    return `${name}(${given.join(", ")})`;
  };
  const none = (): boolean => false;
  const isUsual =
    (name: string) =>
    (rule: Rule): boolean =>
      rule.rule === name && rule.message === null;
  if (field.choices?.from === "table")
    return { read: call("choice", "typed"), judged: ({ rule }) => ["min", "max"].includes(rule) };
  switch (type.kind) {
    case "text": {
      if (field.empty === "text") return { read: "{ value: typed, message: null }", judged: none };
      const lengths = field.rules.flatMap((rule) =>
        isUsual("max-length")(rule) && rule.when === null ? [rule.demand as number] : [],
      );
      if (lengths.length === 0) return { read: call("anyText", "typed"), judged: none };
      return { read: call("text", "typed", "label", String(Math.min(...lengths))), judged: isUsual("max-length") };
    }
    case "enum":
      return { read: call("among", "typed", JSON.stringify(type.labels), about(page, "not-on-offer")), judged: none };
    case "boolean":
      return { read: call("among", "typed", '["true", "false"]', about(page, "not-yes-or-no")), judged: none };
    case "integer":
    case "decimal": {
      const [least, greatest] = [strictest(field, "min"), strictest(field, "max")];
      const judged = (rule: Rule): boolean => isUsual("min")(rule) || isUsual("max")(rule);
      if (type.kind === "integer") {
        const range = integerRanges[type.cast];
        if (!range) throw new NotPlain(`whole numbers of type ${type.shown}`);
        return {
          read: call(
            "wholeNumber",
            "typed",
            "label",
            `${whole(least ?? range.min)}n`,
            `${whole(greatest ?? range.max)}n`,
          ),
          judged,
        };
      }
      if ((type.scale ?? 0) < 0) throw new NotPlain("a scale below zero");
      if (type.scale === null || least === null || greatest === null)
        return { read: call("anyDecimal", "typed", "label"), judged: none };
      return { read: call("decimal", "typed", "label", String(type.scale), quote(least), quote(greatest)), judged };
    }
    default: {
      const plainly: Partial<Record<typeof type.kind, HelperName>> = {
        float: "float",
        date: "day",
        timestamp: "plainMoment",
        timestamptz: "moment",
        uuid: "uuid",
        json: "json",
      };
      const name = plainly[type.kind];
      if (!name) throw new NotPlain(`values of type ${type.shown}, which only PostgreSQL can read`);
      return { read: call(name, "typed", "label"), judged: none };
    }
  }
}

/** A whole bound of whole numbers. */
function whole(bound: string): string {
  if (!/^-?\d+$/.test(bound)) throw new NotPlain(`the bound ${bound} of a whole number`);
  return bound;
}

/**
 * The function that reads and judges a field, as an expression.
 *
 * @throws NotPlain
 */
export function readerCode(field: Field, page: Page, called: Set<HelperName>): string {
  if (field.message !== null) throw new NotPlain(`a message of its own for whatever is typed in ${field.column.name}`);
  const rules = field.rules.filter(({ when }) => !when);
  const { read, judged } = typeCode(field, page, called);
  const more = rules
    .filter((rule) => !judged(rule))
    .flatMap((rule) => ruleCode(rule, field, page.language, called) ?? []);
  const withMore = (inner: string): string => {
    if (more.length > 0) called.add("also");
    return more.length > 0 ? `also(${[inner, ...more].join(", ")})` : inner;
  };
  const place = rules.findIndex(({ rule }) => rule === "required");
  const required = rules[place];
  if (!required || field.control === "check-box") return arrow(withMore(read));
  if (required.message !== null)
    return arrow(`typed.trim() === "" ? { value: null, message: ${quote(required.message)} } : ${withMore(read)}`);
  called.add("needed");
  // Of what is broken, the first rule is told: the page's before the table's.
  const isFirst = rules.slice(0, place).every((rule) => ruleCode(rule, field, page.language, new Set()) === null);
  return arrow(isFirst ? withMore(`needed(${read}, label)`) : `needed(${withMore(read)}, label)`);
}

const arrow = (body: string): string =>
  `(${/\blabel\b/.test(body) ? "typed, label" : "typed"}) => ${body.startsWith("{") ? `(${body})` : body}`;

/** The text that a control shows of a stored value, where it is not the value itself: an expression. */
export function shownCode(field: Field, record: string, called: Set<HelperName>): string | null {
  if (field.control !== "date-time") return null;
  const { type } = field.column;
  called.add("controlTime");
  if (type.kind === "timestamptz") called.add("localTime");
  const text = `controlTime(${type.kind === "timestamptz" ? `localTime(${record})` : record})`;
  return `${record} === null ? "" : ${text}`;
}
