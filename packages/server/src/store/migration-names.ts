/**
 * The names of the store's migrations, in their order. They stand apart from the migrations: a store that is up to date, as most are at most starts,
 * needs nothing else of them, and what runs migrations takes a third of a second to load.
 */
export const migrationNames = [
  "2026-11-first-tables",
  "2026-11-drafts-and-versions",
  "2026-11-tables-of-versions",
  "2026-11-several-databases",
  "2026-11-formats-of-what-is-stored",
  "2026-11-tokens",
  "2026-11-sign-in-and-trail",
  "2026-11-requests-told",
  "2026-11-verifications",
  "2026-11-several-processes",
  "2026-11-looks",
  "2026-11-requests-as-text",
] as const;
export type MigrationName = (typeof migrationNames)[number];
