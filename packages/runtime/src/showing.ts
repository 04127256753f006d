import {
  type Actor,
  documentOf,
  type Frame,
  factsOf,
  type Handled,
  html,
  indexPage,
  jsonDocument,
  noticeAsJson,
  type OwnRoute,
  openApi,
  type Page,
  type PageLink,
  type PageParts,
  type PageRequest,
  type PageResponse,
  signedOutPage,
  signInTo,
} from "@loyal-quill/core";
import type express from "express";
import type { LiveSite } from "./files/live-site.js";
import { problemLine, problemsIn } from "./files/problems.js";
import { send } from "./http/answers.js";
import { nonceIn } from "./http/policy.js";
import type { Incoming } from "./incoming.js";
import { contentBy, documentBy, type FormTemplate } from "./layout/layout.js";
import { navigationOf, opens } from "./layout/navigation.js";
import type { PagesOptions } from "./options.js";
import { errorText } from "./own/errors.js";

/** A request and its response, as Express has them. */
export interface Exchange {
  readonly request: express.Request;
  readonly response: express.Response;
}

/** What is shown around the engine's answers: the application's layout, and the pages that are none of a page file's. */
export class Showing {
  /** By the names of page files, which may be called like what every object has. */
  private readonly forms: ReadonlyMap<string, FormTemplate>;

  constructor(
    private readonly options: PagesOptions,
    private readonly incoming: Incoming,
    private readonly site: LiveSite,
    private readonly logNotice: () => Promise<string | null>,
  ) {
    this.forms = new Map(Object.entries(options.forms ?? {}));
    incoming.pages = (actor, base, path) => navigationOf(site.loaded.pages, actor, base, path);
  }

  private openPages(actor: Actor): readonly Page[] {
    const facts = factsOf(actor, new Date());
    return this.site.loaded.pages.filter((page) => opens(page, facts));
  }

  /** An answer that failed, with what a developer has to mend, where developers are who sees it. */
  async forDevelopers(
    matched: OwnRoute,
    { response, recorded, failures }: Handled,
    frame: Frame,
  ): Promise<Handled["response"]> {
    if (recorded.outcome !== "failed" || !this.isForDevelopers) return response;
    const lines = [
      ...(matched.kind === "unsound"
        ? problemsIn(this.site.loaded)
            .filter(({ file }) => file === `${matched.name}.page.yaml`)
            .map(problemLine)
        : recorded.steps.flatMap(({ stopped }) => stopped ?? [])),
      ...[await this.logNotice()].flatMap((notice) => notice ?? []),
    ];
    return this.withErrors(response, failures, frame, lines);
  }

  private get isForDevelopers(): boolean {
    return this.options.developer ?? process.env.NODE_ENV !== "production";
  }

  /** An answer with what went wrong in the application's own code, where developers are who sees it. @param before other lines for them */
  withErrors(
    response: Handled["response"],
    failures: readonly unknown[],
    frame: Frame,
    before: readonly string[] = [],
  ): Handled["response"] {
    const lines = [...before, ...failures.map(errorText)];
    if (lines.length === 0 || !response.page || !this.isForDevelopers) return response;
    const told = html`<section class="quill-developer" lang="en" dir="ltr"><h2>For developers</h2><pre>${lines.join("\n")}</pre><p>Shown since NODE_ENV is not "production".</p></section>`;
    const page = { ...response.page, content: html`${response.page.content}${told}` };
    return { ...response, page, body: documentOf(frame, page) };
  }

  /** Links to the pages that are open to somebody. */
  openTo(actor: Actor, base: string, current: string | null = null): readonly PageLink[] {
    return this.openPages(actor).map(({ name, plural, path }) => ({
      name,
      title: plural,
      href: `${base}${path.list}`,
      isCurrent: name === current,
    }));
  }

  /** Whether something of the application's own stands around or in a page's answer. */
  isLaidOut(name: string | null): boolean {
    return this.options.layout !== undefined || this.forms.has(name ?? "");
  }

  /** An answer with the application's own layout around it, and its own templates in it. @param name the page's, where it is one of a page file */
  async laidOut(
    answer: PageResponse & { readonly page?: PageParts },
    name: string | null,
    { frame, actor }: Pick<PageRequest, "frame" | "actor">,
    { request, response }: Exchange,
  ): Promise<PageResponse> {
    const { layout } = this.options;
    const { page: parts, status } = answer;
    if (!parts) return answer;
    const content = await contentBy(this.forms.get(name ?? ""), parts, name, { request, response });
    if (layout === undefined) return { ...answer, body: documentOf(frame, { ...parts, content }) };
    const around = {
      page: name,
      status,
      pages: actor ? this.openTo(actor, request.baseUrl, name) : [],
      nonce: nonceIn(response.getHeader("content-security-policy")),
      styleSheets: frame.styleSheets,
      script: frame.script,
    };
    return { ...answer, body: await documentBy(layout, { ...parts, content }, around, { request, response }) };
  }

  /** Shows a page that is none of a page file's. */
  private async show(exchange: Exchange, actor: Actor | null, status: number, page: PageParts): Promise<void> {
    const frame = this.incoming.framed(exchange.request, actor);
    const headers = { "content-type": "text/html; charset=utf-8", "cache-control": "no-store" };
    const answer = { status, headers, body: documentOf(frame, page), page };
    const isBare = this.options.layout === undefined;
    send(exchange.response, isBare ? answer : await this.laidOut(answer, null, { frame, actor }, exchange));
  }

  /** What leads to all pages that are open to somebody. */
  async index(exchange: Exchange): Promise<void> {
    const { request, response } = exchange;
    const { signIn } = this.options;
    const actor = await this.incoming.actorOf(request);
    const frame = this.incoming.framed(request, actor);
    if (actor) await this.show(exchange, actor, 200, indexPage(this.openPages(actor), frame));
    else if (signIn === undefined) await this.show(exchange, null, 401, signedOutPage(frame));
    else response.redirect(303, signInTo(signIn, request.originalUrl));
  }

  /** The pages as an API, as far as the person who asks may open them. */
  async describe({ request, response }: Exchange): Promise<void> {
    const actor = await this.incoming.actorOf(request);
    const { application, language } = this.incoming.frameOf(request, actor);
    const type = "application/vnd.oai.openapi+json;version=3.1";
    send(
      response,
      actor
        ? jsonDocument(openApi(this.openPages(actor), application, request.baseUrl, "1"), type)
        : noticeAsJson("signed-out", language),
    );
  }
}
