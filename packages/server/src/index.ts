/** Loyal Quill itself: sign-in, its store, the workbench's API and the served pages. */
export { type Application, type ApplicationOptions, createApplication, type SignInSettings } from "./application.js";
export { type OnPublish, onPublishModes } from "./drafts/rehearsals.js";
export { type Deployment, isAskedOnLoopback, loopback } from "./edge.js";
export { Keys, leastKeyLength } from "./keys.js";
export { makeLogger, plainError } from "./log.js";
export { aggregatedMetrics, handIn, Metrics } from "./metrics.js";
export {
  type MountedWorkbench,
  mountWorkbench,
  type WorkbenchDatabase,
  type WorkbenchOptions,
} from "./mounted-workbench.js";
export { ofTheStore } from "./of-the-store.js";
export { createPagesApplication, type PagesApplication, type PagesApplicationOptions } from "./pages-application.js";
export { codeAt } from "./sign-in/factor.js";
export type { HostPerson } from "./sign-in/host-sign-ins.js";
export { makeAccount, type NewAccountResult } from "./sign-in/new-account.js";
export { hashPassword, newPassword } from "./sign-in/passwords.js";
export type { SignOnSettings } from "./sign-in/sign-on.js";
export { type Account, type NewAccount, ownRoles } from "./store/entities.js";
export { migrationNames } from "./store/migration-names.js";
export { Store, StoreRefused } from "./store/store.js";
export { byCommand, trailActions } from "./trail.js";
export { importTypeScript } from "./typescript.js";
