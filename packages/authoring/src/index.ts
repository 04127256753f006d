/** What making a page needs: as pure as the core. */
export * from "./census/census.js";
export { hereStatement, mayStatement, truthsStatement } from "./census/statements.js";
export { type DraftedPage, draftPages, isShown, type Undraftable } from "./draft/draft.js";
export { obstacle, unusableBecause } from "./draft/obstacles.js";
export { tableTypes } from "./draft/table-types.js";
export { type Drift, tableDrift } from "./drift/drift.js";
export * from "./file/index.js";
export { type MigrationFile, migrationFiles } from "./migration/migration.js";
export { asCase, asCurl, asHar } from "./requests/copy.js";
export { reviewAgainstRows } from "./review/against-rows.js";
export {
  connectionStatement,
  extremesStatement,
  neighbourStatement,
  sampleStatement,
  sizesStatement,
} from "./samples/samples.js";
