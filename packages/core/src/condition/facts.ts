import type { Row } from "../postgres/statement.js";
import { byName } from "../values/by-name.js";

/** An attribute of the person who acts: text, number, truth, nothing, or a list of texts. */
export type Attribute = string | number | boolean | null | readonly string[];

const isAttribute = (given: unknown): boolean =>
  given === undefined ||
  given === null ||
  ["string", "number", "boolean"].includes(typeof given) ||
  (Array.isArray(given) && given.every((each) => typeof each === "string"));

/** @returns undefined where no condition can be asked about it */
function attributeFrom(given: unknown): Attribute | undefined {
  if (given === undefined || given === null) return null;
  if (Array.isArray(given)) {
    const members = given.map((each) => (Array.isArray(each) ? undefined : (attributeFrom(each) ?? undefined)));
    return members.includes(undefined) ? undefined : members.map(String);
  }
  if (typeof given === "bigint") return String(given);
  if (given instanceof Date) return Number.isNaN(given.getTime()) ? undefined : given.toISOString();
  return typeof given === "string" || typeof given === "number" || typeof given === "boolean" ? given : undefined;
}

/**
 * The attributes of somebody as another application or a provider has them: a moment and a whole number of any size become texts, and so does what
 * stands in a list, since a condition compares each member as one of its column's type.
 *
 * @returns the very same where each is an attribute as it is
 * @throws Error that names one which no condition can be asked about: an object, or a list of lists, of objects or of nothing
 */
export function attributesFrom(given: Readonly<Record<string, unknown>>): Readonly<Record<string, Attribute>> {
  if (Object.values(given).every(isAttribute)) return given as Readonly<Record<string, Attribute>>;
  const read = Object.entries(given).map(([name, value]) => {
    const attribute = attributeFrom(value);
    if (attribute !== undefined) return [name, attribute] as const;
    throw new Error(
      `The attribute ${name} must be a text, a number, a date, true, false or null, or a list of texts, numbers, dates and truths.`,
    );
  });
  return Object.fromEntries(read);
}

/** The person who acts, as the application that serves the pages knows them. */
export interface Actor {
  readonly id: string;
  readonly name: string;
  readonly roles: readonly string[];
  /** Further attributes that conditions may ask for: `actor.region_id`; none where it is left out. */
  readonly attributes?: Readonly<Record<string, Attribute>>;
  /** The pages that they may open at all, by name; all of them where it is left out. */
  readonly pages?: readonly string[];
}

/** What a condition is asked about. */
export interface Facts {
  readonly actor: Actor;
  readonly row: Row;
  readonly form: Row;
  readonly now: Date;
}

/** What is known of a request before any record is: who asks, and when. */
export const factsOf = (actor: Actor, now: Date): Facts => ({ actor, now, row: byName(), form: byName() });

/** Nobody in particular: what depends on who asks is not told to them. */
export const nobody: Actor = { id: "", name: "", roles: [], attributes: {} };

/** Facts for what depends on nobody and no moment. */
export const noFacts: Facts = factsOf(nobody, new Date(0));
