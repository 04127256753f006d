/** What serves pages without sign-in, store and workbench: nothing of what these need is loaded. */
export { type Deployment, isAskedOnLoopback, loopback } from "./edge.js";
export { Keys, leastKeyLength } from "./keys.js";
export { makeLogger, plainError } from "./log.js";
export { aggregatedMetrics, handIn, Metrics } from "./metrics.js";
export { ofTheStore } from "./of-the-store.js";
export { createPagesApplication, type PagesApplication, type PagesApplicationOptions } from "./pages-application.js";
export { migrationNames } from "./store/migration-names.js";
export { storeStateOf, whatIsThere } from "./store/what-is-there.js";
