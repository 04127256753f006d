import { type Actor, attributesFrom, type Frame, type PageRequest, saidCookie } from "@loyal-quill/core";
import type express from "express";
import { scriptName, styleName } from "./http/answers.js";
import { apiOf, cookie, hasOnlyToken, idOf, isInPlace, queryOf, speaksJson } from "./http/requests.js";
import { traceOf } from "./http/trace.js";
import type { PagesOptions } from "./options.js";

/** Somebody as the conditions of pages know them. @throws where the application has handed in somebody that it can't be asked about */
function known(actor: Actor | null): Actor | null {
  if (actor === null) return null;
  const { id, name, roles, attributes = {} } = actor as Partial<Actor>;
  const wrong =
    typeof id !== "string"
      ? "id, a string"
      : typeof name !== "string"
        ? "name, a string"
        : !Array.isArray(roles) || roles.some((role) => typeof role !== "string")
          ? "roles, a list of strings, which may be empty"
          : attributes === null || typeof attributes !== "object"
            ? "attributes, an object, which may be empty"
            : null;
  if (wrong !== null) throw new Error(`The option actor of createPages handed in somebody without ${wrong}.`);
  const read = attributesFrom(attributes);
  if (read === attributes) return actor;
  const { id: itsId, name: itsName, roles: itsRoles, pages } = actor;
  // Read one by one: getters of the application's own object would be left behind otherwise.
  return { ...actor, id: itsId, name: itsName, roles: itsRoles, ...(pages && { pages }), attributes: read };
}

/** What a function of the application's has answered, where it should have answered something else. */
const said = (answer: unknown): string =>
  answer instanceof Promise
    ? "with a promise"
    : typeof answer === "object" && answer !== null
      ? "with an object"
      : String(answer);

/** @throws where it is neither true nor false: a promise would be taken for true, and JSON of other sites with it */
function truth(answer: unknown): boolean {
  if (typeof answer === "boolean") return answer;
  throw new Error(
    `The option byToken of createPages answered ${said(answer)}. It answers at once, with true or false.`,
  );
}

/** What an application's options say of the requests that come: who asks, and in which frame they are answered. */
export class Incoming {
  readonly byToken: (request: express.Request) => boolean;

  /** The pages that somebody may open, for a navigation; known once there is a site. */
  pages: (actor: Actor, base: string, path: string) => ReturnType<NonNullable<Frame["pages"]>> = () => ({
    links: [],
    more: false,
  });

  constructor(private readonly options: PagesOptions) {
    const { byToken } = options;
    this.byToken = byToken ? (request) => truth(byToken(request)) : hasOnlyToken;
  }

  /** What the application says of the frame around a page. */
  frameOf(request: express.Request, actor: Actor | null): Omit<Frame, "base" | "script"> {
    const given: unknown = this.options.frame?.(request, actor);
    if (given instanceof Promise)
      throw new Error("The option frame of createPages answered with a promise. It answers at once, with an object.");
    return {
      application: this.options.application ?? "Records",
      home: `${request.baseUrl}/`,
      language: "en",
      styleSheets: [],
      person: actor && { name: actor.name },
      signOut: null,
      ...(given as ReturnType<NonNullable<PagesOptions["frame"]>>),
    };
  }

  /** The frame, with the pages' own script and style sheet. */
  framed(request: express.Request, actor: Actor | null): Frame {
    const base = request.baseUrl;
    const given = this.frameOf(request, actor);
    const own = this.options.look === "bare" ? [] : [`${base}/${styleName}`];
    return Object.assign(given, {
      base,
      script: `${base}/${scriptName}`,
      pages: () => (actor ? this.pages(actor, base, request.path) : { links: [], more: false }),
      styleSheets: [...own, ...given.styleSheets],
    });
  }

  /** Who asks. */
  async actorOf(request: express.Request): Promise<Actor | null> {
    return known((await this.options.actor(request)) ?? null);
  }

  /** What a form is bound to. @throws where nothing was handed in for somebody who is signed in: their forms would outlive the session */
  private sessionOf(request: express.Request, actor: Actor | null): string {
    if (!this.options.session) return "";
    const session: unknown = this.options.session(request);
    if (typeof session === "string" || typeof session === "number" || typeof session === "bigint")
      return String(session);
    if (actor === null && (session === undefined || session === null)) return "";
    throw new Error(
      `The option session of createPages answered ${said(session)} for somebody who is signed in. It answers at once, with a text that changes with every sign-in; leave the option out to bind forms to the person alone.`,
    );
  }

  /** A request as the engine has it. */
  requestOf(
    request: express.Request,
    actor: Actor | null,
    body: PageRequest["body"],
    trace = traceOf(request.get("traceparent")).id,
  ): PageRequest {
    const { options } = this;
    return {
      id: idOf(request),
      at: new Date(),
      method: request.method,
      path: request.path,
      ...queryOf(request),
      trace,
      body,
      api: speaksJson(request) ? apiOf(request) : null,
      inPlace: isInPlace(request),
      actor,
      session: this.sessionOf(request, actor),
      said: cookie(request, saidCookie),
      signIn: options.signIn ?? null,
      signInCarries: options.signInCarries ?? false,
      frame: this.framed(request, actor),
    };
  }
}
