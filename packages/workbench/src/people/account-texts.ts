import type { PersonAnswer } from "@loyal-quill/server/api";

/** What can be changed of an account. */
export type AccountValues = Pick<PersonAnswer, "name" | "email" | "roles" | "attributes" | "active">;

/** The same as its form shows it. */
export interface AccountTexts {
  readonly name: string;
  readonly email: string;
  /** Separated by commas. */
  readonly roles: string;
  /** A line each: `name: value`, where a value that JSON can read is meant as JSON. */
  readonly attributes: string;
  readonly active: boolean;
}

function fromJson(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}

/** A text that would be read as something else is written in quotes; so is one of several lines. */
const attributeText = (value: unknown): string =>
  typeof value === "string" && value === value.trim() && !value.includes("\n") && fromJson(value) === undefined
    ? value
    : JSON.stringify(value);

/** An account as its form shows it. */
export const textsOf = ({ name, email, roles, attributes, active }: AccountValues): AccountTexts => ({
  name,
  email,
  roles: roles.join(", "),
  attributes: Object.entries(attributes)
    .map(([each, value]) => `${each}: ${attributeText(value)}`)
    .join("\n"),
  active,
});

function readAttributes(text: string): AccountValues["attributes"] {
  const lines = text.split("\n").filter((line) => line.trim() !== "");
  return Object.fromEntries(
    lines.map((line) => {
      const [name = "", ...rest] = line.split(":");
      const value = rest.join(":").trim();
      const read = fromJson(value);
      return [name.trim(), read === undefined ? value : read];
    }),
  ) as AccountValues["attributes"];
}

/** What a form says, beside what it was made from: a text that nobody touched is what it was, whatever it would be read as. */
export function valuesOf(texts: AccountTexts, was: AccountValues): AccountValues {
  const shown = textsOf(was);
  return {
    name: texts.name,
    email: texts.email,
    active: texts.active,
    roles:
      texts.roles === shown.roles
        ? was.roles
        : texts.roles
            .split(",")
            .map((role) => role.trim())
            .filter((role) => role !== ""),
    attributes: texts.attributes === shown.attributes ? was.attributes : readAttributes(texts.attributes),
  };
}

const names = ["name", "email", "roles", "attributes", "active"] as const;

/**
 * Takes over what an account is by now into its form: what nobody touched here follows, what was typed stays.
 *
 * @param was what the form was made from
 * @param now what the account is by now
 * @returns the form's texts, and of those that somebody else has changed and that stay what they are by now
 */
export function takeOver(
  texts: AccountTexts,
  was: AccountTexts,
  now: AccountTexts,
): { readonly texts: AccountTexts; readonly theirs: Partial<AccountTexts> } {
  const changed = names.filter((name) => now[name] !== was[name] && now[name] !== texts[name]);
  const touched = changed.filter((name) => texts[name] !== was[name]);
  const pick = (from: readonly (keyof AccountTexts)[]) =>
    Object.fromEntries(from.map((name) => [name, now[name]])) as Partial<AccountTexts>;
  return { texts: { ...texts, ...pick(changed.filter((name) => !touched.includes(name))) }, theirs: pick(touched) };
}
