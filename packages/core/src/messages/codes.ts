import type { TitleCode } from "./catalog.js";

/**
 * The catalogue of answers that are not the page itself, each with its status (RFC 9110, 15). Title and advice stand in the
 * catalogue of each language. Expected failures only; whatever is not listed here is a bug.
 */
export const statusOf = {
  "no-such-address": 404,
  "too-slow": 422,
  "export-of-yours": 429,
  "exports-of-others": 503,
  "condition-too-long": 422,
  "query-wrong": 400,
  "json-broken": 400,
  "needs-if-match": 428,
  "changed-since": 412,
  "cross-site": 403,
  "malformed-key": 400,
  "no-such-record": 404,
  "record-gone": 404,
  "method-not-allowed": 405,
  "may-not-open": 403,
  "may-not-edit": 403,
  "may-not-make": 403,
  "new-stopped": 403,
  "may-not-delete": 403,
  "may-not-see-history": 403,
  "signed-out": 401,
  "signed-out-form": 401,
  "form-not-yours": 403,
  "form-broken": 400,
  "body-too-large": 413,
  "wrong-content-type": 415,
  "database-away": 503,
  "database-trouble": 503,
  "log-away": 503,
  "log-missing": 503,
  "delete-in-doubt": 503,
  "own-step-failed": 503,
  "database-refuses": 503,
  "unreadable-text": 503,
  "page-unsound": 503,
} as const satisfies Record<TitleCode, number>;

export type Code = keyof typeof statusOf;
