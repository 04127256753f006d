import type { Actor } from "../condition/facts.js";
import type { FieldChange } from "../log/field-change.js";
import type { Stored } from "../postgres/statement.js";
import { OwnCodeFailed } from "../values/registry.js";

/** The steps of a developer's own in a save, in their order on the way. */
export const ownStepNames = ["beforeCheck", "check", "beforeWrite", "inTransaction", "afterSave"] as const;
export type OwnStepName = (typeof ownStepNames)[number];

/** Values by column, as JSON has them (see `json/value.ts`). */
export type OwnValues = Readonly<Record<string, unknown>>;

/** What a save came to, for whatever is done after it. */
export interface SavedEvent {
  /** The number of its entry in the change log. */
  readonly entry: string;
  readonly requestId: string;
  /** ISO 8601, UTC. */
  readonly at: string;
  readonly page: string;
  /** `schema.name`. */
  readonly table: string;
  readonly operation: "change" | "new" | "delete";
  readonly key: Readonly<Record<string, Stored>>;
  /** Values in PostgreSQL's text form; those of sensitive columns are not told. */
  readonly changes: readonly FieldChange[];
  readonly actor: Pick<Actor, "id" | "name">;
  readonly reason: string | null;
}

/** What a step is told, and what it can do. What belongs to another step is not there. */
export interface OwnContext {
  readonly page: string;
  readonly operation: SavedEvent["operation"];
  readonly actor: Actor;
  readonly requestId: string;
  readonly reason: string | null;
  /** What the form comes to: its fields, and what is stored of the others. */
  readonly form: OwnValues;
  /** The texts of the fields that were sent, as typed. */
  readonly typed: Readonly<Record<string, string>>;
  /** The record as it is stored now; null for a new one. */
  readonly row: OwnValues | null;
  /** The columns of the fields that were changed on the form. */
  readonly changed: readonly string[];
  readonly set?: (name: string, value: unknown) => void;
  readonly problem?: (field: string | null, message: string) => void;
  /** What was written, and how to send further statements in the same transaction. */
  readonly written?: SavedEvent;
  readonly query?: (
    text: string,
    values: readonly Stored[],
    signal: unknown,
  ) => Promise<readonly Readonly<Record<string, unknown>>[]>;
  /** Told on the trip. */
  readonly say: (text: string) => void;
}

/** A page's own steps, as whoever serves it calls them: bounded in time, and never half done. */
export interface OwnSteps {
  /** Where they stand, for messages: `station.page.ts`. */
  readonly source: string;
  readonly has: ReadonlySet<OwnStepName>;
  /** Whether what is done after a save is kept in the outbox, in the save's transaction, until it is done. */
  readonly keeps: boolean;
  /**
   * Calls one.
   *
   * @throws OwnStepFailed where it failed or took too long; what the database said, where the connection was lost or the whole transaction can
   *   be sent again
   */
  call(name: OwnStepName, context: OwnContext): Promise<void>;
}

/** A step of the developer's own failed, or took too long: nothing is saved. */
export class OwnStepFailed extends OwnCodeFailed {
  override readonly name = "OwnStepFailed";

  constructor(
    readonly step: OwnStepName,
    readonly source: string,
    readonly said: string,
    options?: ErrorOptions,
  ) {
    super(`${step} of ${source} failed: ${said}`, options);
  }
}
