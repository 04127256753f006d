/** A change of a database's schema that is proposed, and what takes it back. Nothing runs it but the developer. */
export interface SchemaChange {
  /** What it makes, in a name: letters, digits and underscores. */
  readonly name: string;
  /** Statements, each with its semicolon. */
  readonly up: string;
  readonly down: string;
}
