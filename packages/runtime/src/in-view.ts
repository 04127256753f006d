import {
  type Actor,
  actionOf,
  backName,
  boxName,
  type Database,
  formInView,
  type Handled,
  html,
  isTaken,
  listInView,
  listJson,
  type OwnRoute,
  type Page,
  type PageRequest,
  readBack,
  recordAddress,
  route,
  titleOfCode,
  type View,
  withPrefix,
  writeBack,
} from "@loyal-quill/core";
import type express from "express";
import type { LiveSite } from "./files/live-site.js";
import { scriptName, styleName } from "./http/answers.js";
import type { signerOf } from "./http/signing.js";
import type { Incoming } from "./incoming.js";
import type { FormInView, ListInView, PartsOfViews } from "./layout/in-view-parts.js";
import type { Exchange } from "./showing.js";

/** A form that was sent from a view and came back. */
interface CameBack {
  readonly page: string;
  readonly key: readonly string[];
  readonly view: View;
  readonly status: number;
}

/** What serves the parts of views. */
interface InViewParts {
  readonly mount: string | undefined;
  readonly incoming: Incoming;
  readonly site: LiveSite;
  readonly signer: ReturnType<typeof signerOf>;
  readonly database: Database;
  /** Takes a request through the engine, and records it. */
  readonly run: (matched: OwnRoute, request: PageRequest, over: Database) => Promise<Handled>;
}

/** An application, which may be mounted in another one. */
type Mounted = object & { readonly parent?: Mounted };

const same = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === b.length && a.every((part, index) => part === b[index]);

/** A part of a key. @throws where it is missing: nobody would be told why there is no such record */
function keyPart(page: Page, key: Readonly<Record<string, string | number>>, column: string): string {
  const part: unknown = typeof key === "object" && Object.hasOwn(key, column) ? key[column] : undefined;
  if (part !== undefined && part !== null) return String(part);
  const wanted = page.key.map(({ name }) => `${name}: …`).join(", ");
  throw new Error(`The key of a record of ${page.name} is { ${wanted} }, and its ${column} is missing.`);
}

/** Forms and lists of pages as parts of views of the application's own. */
export class InView implements Pick<PartsOfViews, "form" | "list"> {
  private readonly cameBack = new WeakMap<object, CameBack>();

  constructor(private readonly parts: InViewParts) {}

  private get mount(): string {
    const { mount } = this.parts;
    if (mount === undefined)
      throw new Error('Forms and lists in views of your own need the option mount of createPages: mount: "/records".');
    return mount.replace(/\/+$/, "");
  }

  /** What of an address leads back to the view. */
  private backOf({ originalUrl }: express.Request): Readonly<Record<string, string>> {
    return { [backName]: writeBack(originalUrl, this.parts.signer) };
  }

  private pageOf(name: string): Page {
    const page = this.parts.site.loaded.pages.find((each) => each.name === name);
    if (page) return page;
    const names = this.parts.site.loaded.pages.map((each) => each.name).join(", ");
    throw new Error(`There is no page "${name}" that can be served. There are: ${names || "none"}.`);
  }

  /** A request of the view, made one to a page. */
  private async ask(
    request: express.Request,
    path: string,
    query: Readonly<Record<string, string>>,
    ids: string,
  ): Promise<Handled> {
    const { incoming, site, database, run } = this.parts;
    const actor: Actor | null = await incoming.actorOf(request);
    const given = incoming.requestOf(request, actor, null);
    const view = request.originalUrl;
    const asked: PageRequest = {
      ...given,
      method: "GET",
      path,
      query: { ...query, ...this.backOf(request) },
      repeated: [],
      body: null,
      api: null,
      ids,
      saidAt: view.replace(/[?#].*$/s, ""),
      frame: { ...given.frame, base: this.mount },
    };
    const matched = route(site.loaded, "GET", path);
    if (matched.kind === "nowhere" || matched.kind === "strayed") throw new Error(`${path} belongs to no page`);
    return run(matched, asked, database);
  }

  /**
   * The form of a record, or of a new one.
   *
   * @param key the key's columns with their values; null for a new record
   * @param values what a new record begins with, by column
   */
  async form(
    request: express.Request,
    name: string,
    key: Readonly<Record<string, string | number>> | null,
    values: Readonly<Record<string, string | number>> = {},
  ): Promise<FormInView> {
    const page = this.pageOf(name);
    const parts = key === null ? [] : page.key.map((column) => keyPart(page, key, column.name));
    const ids = `${[name, ...parts].map(encodeURIComponent).join("-")}-`;
    const back = this.cameBack.get(request);
    if (back && back.page === name && same(back.key, parts)) return this.shown(request, back.view, back.status, ids);
    const path = key === null ? `${page.path.list}/new` : `${recordAddress(page.path, parts)}/edit`;
    const begins = Object.fromEntries(
      Object.entries(values).map(([column, value]) => [`${withPrefix}${column}`, String(value)]),
    );
    const { view, response } = await this.ask(request, path, begins, ids);
    for (const cookie of [response.headers["set-cookie"] ?? []].flat()) request.res?.append("set-cookie", cookie);
    return this.shown(request, view, response.status, ids);
  }

  private async shown(request: express.Request, view: View | null, status: number, ids: string): Promise<FormInView> {
    const { incoming } = this.parts;
    const frame = { ...incoming.framed(request, await incoming.actorOf(request)), base: this.mount };
    const wrap = (inside: ReturnType<typeof html>): string =>
      html`<div class="quill" data-quill="${ids}">${inside}</div>`.text;
    if (view?.what !== "form") {
      const code = view?.what === "notice" ? view.notice.code : "no-such-record";
      const { title } = titleOfCode(frame.language, code);
      return {
        html: wrap(html`<p class="quill-empty">${title}</p>`),
        status,
        title,
        action: "",
        token: null,
        fields: [],
        problems: [],
        notice: title,
      };
    }
    const { form } = view;
    return {
      html: wrap(formInView(form, frame)),
      status,
      title: form.title,
      action: actionOf(form, frame.base),
      token: form.locked === null ? form.token : null,
      fields: form.fields.map(({ field, name, control, text, told, options, isNeeded, problems }) => ({
        name: field.column.name,
        control: name,
        label: field.label,
        help: field.help,
        unit: field.unit,
        kind: control,
        box: control === "check-box" ? boxName(name) : null,
        value: text,
        stored: told,
        choices: options,
        isNeeded,
        isTaken: form.locked === null && isTaken(field, form.form),
        problems,
      })),
      problems: [
        ...form.problems.map(({ field, message }) => ({ field, message })),
        ...form.conflicts.map(({ field, stored }) => ({ field, message: stored })),
      ],
      notice: form.locked ?? form.notice?.text ?? null,
    };
  }

  /**
   * Records of a page.
   *
   * @param query as the address of its list has it: `{ "is.station_code": "MV-014", sort: "-visited_at" }`
   */
  async list(
    request: express.Request,
    name: string,
    query: Readonly<Record<string, string>> = {},
  ): Promise<ListInView> {
    const page = this.pageOf(name);
    const { incoming } = this.parts;
    const { view, response } = await this.ask(request, page.path.list, query, "");
    const frame = { ...incoming.framed(request, await incoming.actorOf(request)), base: this.mount };
    const address = `${this.mount}${page.path.list}?${new URLSearchParams(query)}`;
    if (view?.what !== "list") {
      const inside = html`<div class="quill"><p class="quill-empty">${page.plural}: –</p></div>`;
      return { html: inside.text, status: response.status, title: page.plural, address, rows: [], more: false };
    }
    return {
      html: html`<div class="quill" data-quill="${`${name}-list`}">${listInView(view.list, frame, this.backOf(request))}</div>`
        .text,
      status: response.status,
      title: page.plural,
      address,
      rows: (listJson(view.list, frame.base) as { readonly items: ListInView["rows"] }).items,
      more: view.list.next !== null,
    };
  }

  /** What belongs into the head of a document that has such parts. */
  head(nonce: string | undefined, isBare: boolean): string {
    const given = nonce === undefined ? null : html` nonce="${nonce}"`;
    const style = isBare ? null : html`<link rel="stylesheet" href="${this.mount}/${styleName}"${given}>`;
    return html`${style}<script src="${this.mount}/${scriptName}" type="module"${given}></script>`.text;
  }

  /** The address of the view that a sent form came from; null where it stands on its own page. */
  viewOf({ query }: Pick<PageRequest, "query">): string | null {
    return readBack(query, this.parts.signer);
  }

  /**
   * Shows the view again that a form was sent from, with this form as it was typed: as the application itself would, without a redirect.
   *
   * @param otherwise is told why the application has not answered: its view is gone, or has failed and no handler of its own took the error
   */
  showAgain(
    view: string,
    cameBack: CameBack,
    { request, response }: Exchange,
    otherwise: (error: unknown) => void,
  ): void {
    this.cameBack.set(request, cameBack);
    response.status(cameBack.status);
    let app: Mounted = request.app;
    while (app.parent) app = app.parent;
    const { method, url, originalUrl, baseUrl, body } = request as Pick<
      express.Request,
      "method" | "url" | "originalUrl" | "baseUrl"
    > & { body?: unknown };
    Object.assign(request, { method: "GET", url: view, originalUrl: view, baseUrl: "", body: undefined });
    // Express 4 reads the query once.
    if (Object.hasOwn(request, "query")) delete (request as { query?: unknown }).query;
    const handled = app as (
      request: express.Request,
      response: express.Response,
      last: (error?: unknown) => void,
    ) => void;
    handled(request, response, (error) => {
      Object.assign(request, { method, url, originalUrl, baseUrl, body });
      otherwise(error ?? new Error(`Nothing is served at ${view} any more, from where a form was sent.`));
    });
  }
}
