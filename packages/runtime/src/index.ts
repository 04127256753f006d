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
export { readBody } from "./body.js";
export { backendTold, connect, databaseOver, type Limits } from "./database.js";
export { endUnread } from "./downloads.js";
export { connectionTo } from "./hosts.js";
export type { FieldInView, FormInView, ListInView } from "./in-view-parts.js";
export type { FormParts, FormTemplate, Layout, LayoutParts, Written } from "./layout.js";
export { LayoutError } from "./layout.js";
export { careForLog, type LogCare } from "./log-care.js";
export { entryOf, keyName, sealOf, sha256 } from "./log-rows.js";
export { readCopies, type SealOptions, sealFile, sealKey, sealLine, sealLog } from "./log-seals.js";
export { mostFindings, type SealCopy, type VerifyOptions, type VerifyReport, verifyLog } from "./log-verify.js";
export type { Asked, Asking, Pages, PagesListener, PagesOptions, Ready } from "./options.js";
export { AfterSaveFailed } from "./outbox.js";
export { overClient } from "./over-client.js";
export { type FoundSteps, type ImportModule, loadOwnSteps, OwnCodeError } from "./own-code.js";
export { addOwnKinds, defineConfig, defineControl, defineRule, loadOwnKinds, type OwnKinds } from "./own-config.js";
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
} from "./own-steps.js";
export {
  type BoundPageFile,
  bindNamedFiles,
  bindPageFile,
  bindPageFiles,
  type Loaded,
  loadPageFiles,
  type PageFileState,
} from "./page-files.js";
export { createPages } from "./pages.js";
export { type PageProblem, problemLine } from "./problems.js";
export { type ReplicaReport, type ReplicaState, Replicas } from "./replicas.js";
export { type SigningKeys, signerOf } from "./signing.js";
export { asText, setLocally } from "./telling.js";
export { type CloudEvent, cloudEvent, signatureOf, type WebhookOptions, webhook } from "./webhook.js";
