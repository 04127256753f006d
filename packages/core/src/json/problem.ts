import type { Json } from "./value.js";

/** What is wrong with one member of what was sent, with all of it where the pointer is empty, or with a parameter of the address. */
export type JsonProblem =
  /** A JSON Pointer (RFC 6901) into what was sent. */
  { readonly pointer: string; readonly detail: string } | { readonly parameter: string; readonly detail: string };

/** A token of a JSON Pointer (RFC 6901, 3). */
export const pointerTo = (name: string): string => `/${name.replaceAll("~", "~0").replaceAll("/", "~1")}`;

/** What is told of a request that was not done. */
export interface ProblemDetails {
  readonly status: number;
  readonly code: string;
  readonly title: string;
  readonly detail: string | null;
  /** What is wrong with single members. */
  readonly errors?: readonly JsonProblem[];
}

/** Problem details (RFC 9457), with `errors` as a member of their own. */
export const problemJson = ({ status, code, title, detail, errors = [] }: ProblemDetails): Json => ({
  type: `urn:loyal-quill:problem:${code}`,
  title,
  status,
  ...(detail === null ? {} : { detail }),
  ...(errors.length > 0 ? { errors: errors.map((each) => ({ ...each })) } : {}),
});
