import { contentOf, type Subject } from "@loyal-quill/authoring";
import type { Edit, FieldSettings, Finding, Kind, RuleSetting, SettingPart, StepName } from "@loyal-quill/core";
import type { RuleChoice } from "@loyal-quill/server/api";
import { createContext, useContext, useLayoutEffect, useState, useSyncExternalStore } from "react";
import { requestFocus } from "../../parts/focus-request.js";
import type { FoundAtStep } from "../../round-trip/trip-lines.js";

/** A page file's content as it stands in the text, sound or not. */
export type Content = Readonly<Record<string, unknown>>;

/** A finding, and what it is about; null where that is the file's text, or a field that is not on the page. */
export interface Found {
  readonly finding: Finding;
  readonly about: Subject | null;
}

/** The findings at each field. */
export function foundByField(found: readonly Found[]): ReadonlyMap<string, readonly Finding[]> {
  const byField = new Map<string, Finding[]>();
  for (const { finding, about } of found)
    if (about && "field" in about) byField.set(about.field, [...(byField.get(about.field) ?? []), finding]);
  return byField;
}

/** How many findings there are at each step. */
export function foundByStep(found: readonly Found[]): ReadonlyMap<StepName, FoundAtStep> {
  const byStep = new Map<StepName, FoundAtStep>();
  for (const { finding, about } of found) {
    if (!about || !("step" in about)) continue;
    const before = byStep.get(about.step);
    const severity = before?.severity === "error" ? "error" : finding.severity;
    byStep.set(about.step, { severity, number: (before?.number ?? 0) + 1 });
  }
  return byStep;
}

/** What the settings beside the page need: the content now, and how to change it. */
export interface Editing {
  readonly page: string;
  readonly text: string;
  /** Undefined where the text is no readable YAML: then nothing can be set but in the text. */
  readonly content: Content | undefined;
  readonly edit: (edits: readonly Edit[], what: string) => void;
  /** Takes a whole text in the place of this one. */
  readonly write: (text: string, what: string) => void;
  /** The key of the record that is looked at. */
  readonly recordKey: readonly string[] | undefined;
  /** The id of whom it is looked at as; undefined where the server chooses. */
  readonly as: string | undefined;
  /** Names that a condition can use, with their types. */
  readonly names: readonly { readonly name: string; readonly type: string; readonly of: "row" | "form" | "actor" }[];
  readonly found: readonly Found[];
}

/** What is edited, for those that ask: only they are rendered again when it changes, and not all that lies between. */
class EditingSource {
  private readonly listeners = new Set<() => void>();

  constructor(private current: Editing) {}

  readonly get = (): Editing => this.current;

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => void this.listeners.delete(listener);
  };

  /** For what is rendered from here on. */
  set(editing: Editing): void {
    this.current = editing;
  }

  /** For what is not rendered anyway. */
  tell(): void {
    for (const listener of this.listeners) listener();
  }
}

export const EditingContext = createContext<EditingSource | null>(null);

/** Makes what is edited known to everything inside of {@link EditingContext}. */
export function useEditingSource(editing: Editing): EditingSource {
  const [source] = useState(() => new EditingSource(editing));
  source.set(editing);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another value is the occasion
  useLayoutEffect(() => source.tell(), [source, editing]);
  return source;
}

export function useEditing(): Editing {
  const source = useContext(EditingContext);
  if (!source) throw new Error("Nothing is edited around this.");
  return useSyncExternalStore(source.subscribe, source.get);
}

export const readContent = contentOf;

export const isPlain = (value: unknown): value is Content =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** The settings of a field in the file; empty where it has none. */
export function settingsOf(content: Content | undefined, name: string): FieldSettings {
  const entries = Array.isArray(content?.fields) ? (content.fields as unknown[]) : [];
  for (const entry of entries) {
    if (isPlain(entry) && isPlain(entry[name])) return entry[name] as FieldSettings;
  }
  return {};
}

/** A part of the file that is a map; empty where it is not there. */
export const partOf = (content: Content | undefined, name: string): Content =>
  isPlain(content?.[name]) ? (content[name] as Content) : {};

/** The checks of the file, as far as they can be read. */
export const checksIn = (content: Content | undefined): { expect: string; at?: string; message: string }[] =>
  Array.isArray(content?.checks)
    ? (content.checks as unknown[]).filter(isPlain).map((check) => ({
        expect: String(check.expect ?? ""),
        message: String(check.message ?? ""),
        ...(check.at === undefined ? {} : { at: String(check.at) }),
      }))
    : [];

/** Adds a check that is always true, to be said; the focus is on its condition. */
export function addCheck({ content, edit }: Pick<Editing, "content" | "edit">): void {
  const index = checksIn(content).length;
  edit(
    [{ do: "set", path: ["checks", index], value: { expect: "true", message: "These settings conflict." } }],
    "add a check",
  );
  requestFocus(conditionOfCheck(index));
}

/** What the condition of a check is known by, where the focus is asked for. */
export const conditionOfCheck = (index: number): string => `condition of check ${index}`;

/** What the head of a step's settings is known by, where the focus is asked for. */
export const stepHead = (step: StepName): string => `settings of the step ${step}`;

/** What the settings of a field, and the value of one of its rules, are known by. */
export const settingsOfField = (name: string): string => `settings of ${name}`;
export const valueOfRule = (name: string, index: number): string => `value of rule ${index} of ${name}`;

/** A rule as the file has it, taken apart. */
export interface RuleParts {
  readonly rule: string;
  readonly value: unknown;
  readonly when: string;
  readonly message: string;
}

export function partsOfRule(setting: RuleSetting): RuleParts {
  if (typeof setting === "string") return { rule: setting, value: true, when: "", message: "" };
  const { when = "", message = "", ...demand } = setting;
  const [[rule, value] = ["required", true]] = Object.entries(demand);
  return { rule, value, when, message };
}

/** Put together again, as short as the file allows. */
export function ruleOfParts({ rule, value, when, message }: RuleParts): RuleSetting {
  if (value === true && when === "" && message === "") return rule;
  return { [rule]: value, ...(when ? { when } : {}), ...(message ? { message } : {}) };
}

/** Adds a rule with a first value to a field; the focus is on the value, where there is one to be said. */
export function addRule({ content, edit }: Pick<Editing, "content" | "edit">, name: string, rule: RuleChoice): void {
  const rules = settingsOf(content, name).rules ?? [];
  const added = ruleOfParts({ rule: rule.name, value: rule.first, when: "", message: "" });
  edit([{ do: "set", path: ["fields", name, "rules"], value: [...rules, added] }], `add a rule of ${name}`);
  if (rule.parts.some(({ as }) => as !== "options")) requestFocus(valueOfRule(name, rules.length));
}

/** A rule's setting, part by part, as it is shown. */
export function shownPart(value: unknown, { name }: SettingPart): string {
  const part = name === null ? value : isPlain(value) ? value[name] : undefined;
  return Array.isArray(part) ? part.join(", ") : textOf(part);
}

/** What was typed, as the file has it. */
function readPart(as: SettingPart["as"], typed: string): unknown {
  switch (as) {
    case "list":
      return typed.split(",").map((each) => each.trim());
    case "count":
      return /^\d{1,9}$/.test(typed) ? Number(typed) : typed;
    case "bound":
      return asBound(typed);
    case "options":
      return typed === "true" ? true : typed;
    case "text":
      return typed;
  }
}

/** A rule's setting with one part changed; where all its named parts are left out, its name says enough. */
export function withPart(value: unknown, { name, as, options }: SettingPart, typed: string): unknown {
  const read = readPart(as, typed);
  if (name === null) return read;
  const { [name]: _, ...others } = isPlain(value) ? value : {};
  const isLeftOut = typed === "" || typed === options?.[0]?.value;
  const parts = isLeftOut ? others : { ...others, [name]: read };
  return Object.keys(parts).length > 0 ? parts : true;
}

/** What was typed as a bound: a number where it is one, as YAML would read it. */
export const asBound = (typed: string): unknown =>
  /^-?\d+(\.\d+)?$/.test(typed) && String(Number(typed)) === typed ? Number(typed) : typed;

/** The rules that make sense for a column whose values are of a kind. */
export const fittingRules = (rules: readonly RuleChoice[], kind: Kind): readonly RuleChoice[] =>
  rules.filter(({ fits }) => fits === "any" || fits.includes(kind));

export const textOf = (value: unknown): string => (value === undefined || value === null ? "" : String(value));

/** What a column is set to at first, by its name: who made a record, and when, on new ones only; who changed it last on all. */
export function firstSet(name: string): unknown {
  const to = /_at$|_on$|date|time/i.test(name) ? "now" : "actor.name";
  return /^(created|made|entered|opened|reported|registered|recorded|added|inserted|written|submitted)(_|$)|(^|_)(owner|author|maker|creator)(_|$)/i.test(
    name,
  )
    ? { to, on: "new" }
    : to;
}
