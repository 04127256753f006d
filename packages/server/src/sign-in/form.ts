import { type Frame, html, type Language, type Markup } from "@loyal-quill/core";
import type { Request } from "express";
import { type ServerWord, say } from "../words.js";

/** An address of this application to go on to: a path of its own, never another site's (`//host`, `/\host`). */
export function safeNext(next: unknown): string {
  if (typeof next !== "string" || !/^\/(?![/\\])[^\\\s]*$/.test(next)) return "/";
  return /^\/(sign-in|sign-out|my-account)(\/|\?|$)/.test(next) ? "/" : next;
}

/** What stands around the pages of signing in. */
export type FrameFor = (request: Request) => Frame;

/** A field of a form, with what is wrong with it. */
interface FormField {
  readonly name: string;
  readonly label: string;
  readonly type: string;
  readonly autocomplete: string;
  readonly value?: string;
  readonly hint?: string;
  readonly problem?: string | null;
}

export function formField({ name, label, type, autocomplete, value, hint, problem }: FormField): Markup {
  const notes = [...(hint ? [`${name}-hint`] : []), ...(problem ? [`${name}-problem`] : [])].join(" ");
  const described = notes !== "" && html` aria-describedby="${notes}"`;
  return html`<div class="quill-field"><label for="${name}">${label}</label><input id="${name}" name="${name}" type="${type}" autocomplete="${autocomplete}" required${described}${problem && html` aria-invalid="true"`}${value !== undefined && html` value="${value}"`}>${hint && html`<p class="quill-hint" id="${name}-hint">${hint}</p>`}${problem && html`<p class="quill-problem" id="${name}-problem">${problem}</p>`}</div>`;
}

export const hidden = (name: string, value: string): Markup =>
  html`<input type="hidden" name="${name}" value="${value}">`;

export const alertLine = (language: Language, code: ServerWord | null): Markup | null =>
  code && html`<section class="quill-summary" role="alert"><p>${say(language, code)}</p></section>`;
