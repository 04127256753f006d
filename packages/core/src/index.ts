/** The core of Loyal Quill: no input or output of its own, no clock, no randomness. */

export { readCatalog } from "./catalog/read-catalog.js";
export { catalogMark } from "./catalog/statements.js";
export type { Actor, Attribute, Facts } from "./condition/evaluate.js";
export { truthOf } from "./condition/evaluate.js";
export type { Condition } from "./condition/expression.js";
export { everyPart } from "./condition/expression.js";
export { type ConditionProblem, parseCondition } from "./condition/parse.js";
export { predicate } from "./condition/to-sql.js";
export { renderTemplate } from "./controls/told.js";
export { document } from "./html/layout.js";
export { attributes, html, Markup } from "./html/markup.js";
export { type Resend, resendForm } from "./html/notice.js";
export { styleSheet } from "./html/style.js";
export type { FieldChange } from "./log/field-change.js";
export { missingMonths, monthPartition, monthsFrom, partitionName } from "./log/partitions.js";
export { type LogState, logGrants, logSchema, logVersion, readLogState, upgradesFrom } from "./log/schema.js";
export { type Language, languages, titleOfCode, word } from "./messages/messages.js";
export { type Handled, handle } from "./operations/handle.js";
export { reviewAddresses } from "./page/addresses.js";
export * from "./page/index.js";
export {
  type Database,
  DatabaseAway,
  DatabaseRefusal,
  Parameters,
  type Row,
  type Statement,
  type Stored,
} from "./postgres/statement.js";
export { keyPartName, listStatement, recordsStatement } from "./statements/list.js";
export { mayOpen } from "./steps/access.js";
export { readCarried, saidCookie } from "./steps/answer.js";
export { readPairs } from "./steps/read.js";
export { type MatchedRoute, route, type Site } from "./steps/route.js";
export { renewToken } from "./steps/token.js";
export { findTable } from "./table/find-table.js";
export * from "./table/model.js";
export type { RecordedRequest, RecordedStep, RecordedValue } from "./trip/recording.js";
export type { Dependencies, PageRequest, PageResponse } from "./trip/request.js";
export * from "./trip/round-trip.js";
export type { Signer } from "./trip/signer.js";
export type { Frame } from "./views/frame.js";
