/** What the workbench's API answers. Types only: shared with the workbench. */

import type { RecordedRequest } from "@loyal-quill/core";

export type { Evidence, Played, Replayed } from "@loyal-quill/authoring/rehearsal";
export type { RequestSums } from "../store/kept-requests.js";
export type { ToldRequest } from "../store/request-rows.js";
export type * from "./answers/changes.js";
export type * from "./answers/database.js";
export type * from "./answers/people.js";
export type * from "./answers/proof.js";
export type * from "./answers/sheet.js";

import type { ToldRequest } from "../store/request-rows.js";

/** Recorded requests in a list, the newest first. */
export interface RequestsAnswer {
  readonly requests: readonly ToldRequest[];
  readonly more: boolean;
}

/** One event of the live feed (server-sent events, HTML 9.2). */
export type FeedEvent =
  | { readonly kind: "request"; readonly request: RecordedRequest }
  | { readonly kind: "pages" }
  /** An account was made or changed, or its ways to sign in. */
  | { readonly kind: "people" }
  /** A census went on, or ended. */
  | { readonly kind: "census"; readonly page: string; readonly state: string; readonly done: number }
  /** So did a rehearsal, or requests that are played again. */
  | { readonly kind: "rehearsal"; readonly page: string; readonly state: string; readonly done: number }
  | { readonly kind: "verification"; readonly state: string; readonly done: number }
  | { readonly kind: "replay"; readonly page: string; readonly state: string; readonly done: number }
  /** A draft was changed, published or taken away (revision 0). */
  | { readonly kind: "draft"; readonly page: string; readonly revision: number; readonly by: string };

/** What a form that was written elsewhere comes to, and what is wrong with it. */
export type { Adopted as AdoptAnswer, FormFinding } from "@loyal-quill/authoring/adopt";
export type { ExportedPage as CodeAnswer } from "@loyal-quill/authoring/export";
