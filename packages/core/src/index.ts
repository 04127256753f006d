/** The core of Loyal Quill: no input or output of its own, no clock, no randomness. */

export { readCatalog } from "./catalog/read-catalog.js";
export { catalogMark } from "./catalog/statements.js";
export { ConditionTooLong } from "./condition/budget.js";
export { truthOf } from "./condition/evaluate.js";
export type { Condition } from "./condition/expression.js";
export { asksFor, beforeARecord, everyPart } from "./condition/expression.js";
export { type Actor, type Attribute, attributesFrom, type Facts, factsOf, nobody, noFacts } from "./condition/facts.js";
export { overStored } from "./condition/over-stored.js";
export { type ConditionProblem, parseCondition } from "./condition/parse.js";
export { predicate } from "./condition/to-sql.js";
export { boxName } from "./controls/check-box.js";
export type { Choices, TableChoices } from "./controls/choice-source.js";
export { type Control, controlsFor, controlsVersion } from "./controls/index.js";
export { addOwnControl, type OwnControl, type OwnControlParts } from "./controls/own-control.js";
export type { SchemaChange } from "./findings/schema-change.js";
export { actionOf } from "./html/form.js";
export { formInView, listInView } from "./html/in-view.js";
export { document, documentOf } from "./html/layout.js";
export { type Resend, resendForm, signedOutPage } from "./html/notice.js";
export { indexPage } from "./html/pages.js";
export { styleSheet } from "./html/style.js";
export { openApi } from "./json/openapi.js";
export { type Json, type JsonAnswer, jsonOf, jsonText, RawJson, toldJson } from "./json/value.js";
export { listJson } from "./json/views.js";
export { baselinePart, importedTable, isAct } from "./log/acts.js";
export * from "./log/canonical.js";
export { changesIn, type FieldChange } from "./log/field-change.js";
export * from "./log/forms.js";
export {
  beforeTablesStatement,
  functionsStatement,
  ownFunctions,
  watchFunction,
  wrongFunctions,
} from "./log/installed.js";
export { monthsStatement, notifyStatement } from "./log/keeping.js";
export * from "./log/moments.js";
export {
  againStatement,
  doneStatement,
  outboxUsableStatement,
  takeStatement,
  undoneStatement,
  waitingStatement,
} from "./log/outbox.js";
export { missingMonths, monthPartition, monthsFrom, partitionName } from "./log/partitions.js";
export * from "./log/put-back.js";
export { entriesOfRequestStatement, lastChangesStatement } from "./log/read.js";
export * from "./log/read-whole.js";
export {
  type LogState,
  leastLogVersion,
  logGrants,
  logReadGrants,
  logSchema,
  logVersion,
  readLogState,
  upgradesFrom,
} from "./log/schema.js";
export {
  lastSealStatement,
  makeSealsStatement,
  mostSealed,
  noteSentStatement,
  sealsStatement,
  sentStatement,
  signSealStatement,
  unsignedStatement,
} from "./log/seals.js";
export * from "./log/search.js";
export {
  beyondVerifying,
  detailOf,
  type FromElsewhere,
  type LogFinding,
  type LogFindingKind,
  LogVerifier,
  logFindingKinds,
  type Upto,
} from "./log/verify.js";
export {
  unwatchStatements,
  type Watching,
  watchedRowsStatement,
  watchedStatement,
  watchSettings,
  watchSource,
  watchStatements,
} from "./log/watch.js";
export { WatchedRows, type WatchedTable } from "./log/watched-rows.js";
export { attributes, html, Markup } from "./markup/markup.js";
export { type Language, languages, titleOfCode, word } from "./messages/messages.js";
export { type Handled, handle } from "./operations/handle.js";
export { reviewAddresses } from "./page/addresses.js";
export { isTaken } from "./page/columns.js";
export { takesFiles } from "./page/files.js";
export * from "./page/index.js";
export { pageJsonSchema } from "./page/json-schema.js";
export { backName, reasonName, withPrefix } from "./page/names.js";
export { mostOfPageFile, pageFileTooLong } from "./page/page-file-limit.js";
export { reviewRelated } from "./page/related.js";
export { keyIn, keyShape, namesIn, valuesIn } from "./postgres/answered.js";
export { type Host, type Places, placesOf, UnreadableAddress, type Wanted } from "./postgres/places.js";
export { answeredOr, isRefusedAs, isRetryable } from "./postgres/refusal.js";
export {
  type Database,
  DatabaseAway,
  DatabaseRefusal,
  Parameters,
  type Row,
  type Statement,
  type Stored,
  type Told,
  type TransactionPurpose,
} from "./postgres/statement.js";
export { kindOf, ruleKindsInFile, rulesVersion } from "./rules/index.js";
export { type AnyOwnRule, addOwnRule, type OwnRule, type OwnSettings } from "./rules/own-rule.js";
export type { Rule, SettingPart } from "./rules/rule.js";
export { rulesPage } from "./rules/rules-page.js";
export type { RuleSetting } from "./rules/schema.js";
export { reservedSegments } from "./settings/bound/path.js";
export { type DescribedSetting, wordsOf } from "./settings/described.js";
export { describedSettings } from "./settings/index.js";
export type { Editor } from "./settings/setting.js";
export { settingsPage } from "./settings/settings-page.js";
export { pageOfFile } from "./spreadsheet/page-of-file.js";
export { type FileFormat, fileFormats } from "./spreadsheet/sheet.js";
export { labelsStatement } from "./statements/find-choices.js";
export { keyPartName, listStatement, recordsStatement } from "./statements/list.js";
export { commonWords, commonWordsStatement } from "./statements/search.js";
export { mayMake, mayOpen } from "./steps/access.js";
export { readCarried, saidCookie } from "./steps/answer.js";
export { jsonDocument, noticeAsJson } from "./steps/answer-json.js";
export { readBack, writeBack } from "./steps/back.js";
export { readPairs } from "./steps/read-pairs.js";
export { type MatchedRoute, type OwnRoute, route, type Site } from "./steps/route.js";
export { signInTo } from "./steps/sign-in.js";
export { fieldsAskedBy, tableChecks } from "./steps/table-checks.js";
export { renewToken, signerThatMade } from "./steps/token.js";
export { findTable } from "./table/find-table.js";
export { looksSecret } from "./table/looks-secret.js";
export * from "./table/model.js";
export type { OutcomeKind, View } from "./trip/outcome.js";
export {
  type OwnContext,
  OwnStepFailed,
  type OwnStepName,
  type OwnSteps,
  ownStepNames,
  type SavedEvent,
} from "./trip/own.js";
export {
  notKept,
  type RecordedOwn,
  type RecordedRequest,
  type RecordedStep,
  type RecordedValue,
  type RecordedWire,
} from "./trip/recording.js";
export type {
  ApiRequest,
  Dependencies,
  ExportTurn,
  PageRequest,
  PageResponse,
  SentFile,
  Work,
} from "./trip/request.js";
export * from "./trip/round-trip.js";
export type { Signer } from "./trip/signer.js";
export { byName } from "./values/by-name.js";
export { csvLines } from "./values/csv.js";
export { nearest } from "./values/nearest.js";
export { recordOf } from "./values/record-of.js";
export { asError, saidBy } from "./values/said-by.js";
export type { Frame, PageLink } from "./views/frame.js";
export type { FormPieces, PageParts } from "./views/page-parts.js";
export { renderTemplate } from "./views/told.js";
