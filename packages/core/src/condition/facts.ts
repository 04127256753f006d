import type { Row } from "../postgres/statement.js";
import { byName } from "../values/by-name.js";

/** An attribute of the person who acts: text, number, truth, nothing, or a list of texts. */
export type Attribute = string | number | boolean | null | readonly string[];

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
