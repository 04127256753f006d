/** Loyal Quill itself: sign-in, its store, the workbench's API and the served pages. */
export { type Application, type ApplicationOptions, createApplication } from "./application.js";
export { createPagesApplication, type PagesApplication, type PagesApplicationOptions } from "./pages-application.js";
export { hashPassword, newPassword } from "./sign-in/passwords.js";
export type { Account } from "./store/entities.js";
export { Store } from "./store/store.js";
