/** The core of Loyal Quill: no input or output of its own, no clock, no randomness. */
export * from "./census/census.js";
export type { Actor, Attribute, Facts } from "./condition/evaluate.js";
export { truthOf } from "./condition/evaluate.js";
export type { Condition } from "./condition/expression.js";
export { everyPart } from "./condition/expression.js";
export { type ConditionProblem, parseCondition } from "./condition/parse.js";
export { predicate } from "./condition/to-sql.js";
export { tell } from "./controls/told.js";
export { type Draft, draftPages, isShown, type NoDraft } from "./draft/draft.js";
export { obstacle, unusableBecause } from "./draft/obstacles.js";
export * from "./file/index.js";
export { type Handled, handle } from "./handle.js";
export { document, type Frame } from "./html/layout.js";
export { attributes, html, Markup } from "./html/markup.js";
export { type Resend, resendForm } from "./html/notice.js";
export { styleSheet } from "./html/style.js";
export { type Language, languages, titleOfCode, word } from "./messages/messages.js";
export * from "./page/index.js";
export type { RecordedRequest, RecordedStep, RecordedValue } from "./recording.js";
export type { PageRequest, PageResponse, Surroundings } from "./request.js";
export { reviewAddresses } from "./review/addresses.js";
export { reviewAgainstRows } from "./review/against-rows.js";
export * from "./round-trip.js";
export { catalogMark } from "./statements/catalog.js";
export { admittedStatement, hereStatement, mayStatement } from "./statements/census.js";
export { keyPartName, listStatement, recordsStatement } from "./statements/list.js";
export { logGrants, logSchema, logStateStatement, monthPartition } from "./statements/log.js";
export {
  connectionStatement,
  extremesStatement,
  neighbourStatement,
  sampleStatement,
  sizesStatement,
} from "./statements/samples.js";
export {
  type Database,
  DatabaseAway,
  DatabaseRefusal,
  Parameters,
  type Row,
  type Statement,
  type Stored,
} from "./statements/statement.js";
export { mayOpen } from "./steps/access.js";
export { readCarried, saidCookie } from "./steps/answer.js";
export { readPairs } from "./steps/read.js";
export { type MatchedRoute, route, type Site } from "./steps/route.js";
export { renewToken, type Signer } from "./steps/token.js";
export type { FieldChange } from "./steps/write.js";
export { type Drift, tableDrift } from "./table/drift.js";
export { findTable } from "./table/find-table.js";
export { readCatalog } from "./table/from-catalog.js";
export * from "./table/model.js";
