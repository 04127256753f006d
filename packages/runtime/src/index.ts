/** The served pages as an Express router. Needs the core and `pg`; knows nothing of the workbench. */

export {
  attributes,
  html,
  type Markup,
  type OwnControl,
  type OwnControlParts,
  type OwnRule,
  type PageLink,
} from "@loyal-quill/core";
export { backendTold, connect, databaseOver, type Limits } from "./database/database.js";
export { connectionTo } from "./database/hosts.js";
export { overClient } from "./database/over-client.js";
export { type ReplicaReport, type ReplicaState, Replicas } from "./database/replicas.js";
export { asText, setLocally } from "./database/telling.js";
export { RequestFailed } from "./faults.js";
export {
  type BoundPageFile,
  bindNamedFiles,
  bindPageFile,
  bindPageFiles,
  type Loaded,
  loadPageFiles,
  type PageFileState,
} from "./files/page-files.js";
export { type PageProblem, problemLine } from "./files/problems.js";
export { readBody } from "./http/body.js";
export { endUnread } from "./http/downloads.js";
export { type SigningKeys, signerOf } from "./http/signing.js";
export type { FieldInView, FormInView, ListInView } from "./layout/in-view-parts.js";
export type { FormParts, FormTemplate, Layout, LayoutParts, Written } from "./layout/layout.js";
export { LayoutError } from "./layout/layout.js";
export { careForLog, type LogCare } from "./log/care.js";
export { entryOf, keyName, sealOf, sha256 } from "./log/rows.js";
export { readCopies, type SealOptions, sealFile, sealKey, sealLine, sealLog } from "./log/seals.js";
export { mostFindings, type SealCopy, type VerifyOptions, type VerifyReport, verifyLog } from "./log/verify.js";
export type { Asked, Asking, Pages, PagesListener, PagesOptions, Ready } from "./options.js";
export { type FoundSteps, type ImportModule, loadOwnSteps, OwnCodeError } from "./own/code.js";
export { addOwnKinds, defineConfig, defineControl, defineRule, loadOwnKinds, type OwnKinds } from "./own/config.js";
export { AfterSaveFailed } from "./own/outbox.js";
export {
  type AfterSave,
  type AnySteps,
  callsOf,
  defineSteps,
  type InTransaction,
  type OwnStepsOf,
  type Refusing,
  type Setting,
  type StepContext,
} from "./own/steps.js";
export { type CloudEvent, cloudEvent, signatureOf, type WebhookOptions, webhook } from "./own/webhook.js";
export { createPages } from "./pages.js";
