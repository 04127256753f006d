import { type Actor, type Frame, type PageRequest, saidCookie } from "@loyal-quill/core";
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
  return actor;
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
    this.byToken = options.byToken ?? hasOnlyToken;
  }

  /** What the application says of the frame around a page. */
  frameOf(request: express.Request, actor: Actor | null): Omit<Frame, "base" | "script"> {
    return {
      application: this.options.application ?? "Records",
      home: `${request.baseUrl}/`,
      language: "en",
      styleSheets: [],
      person: actor && { name: actor.name },
      signOut: null,
      ...this.options.frame?.(request, actor),
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

  /** Who asks. Where that can't be found out, what was read of the request is left for whoever answers. */
  async actorOf(request: express.Request, body: PageRequest["body"]): Promise<Actor | null> {
    try {
      return known((await this.options.actor(request)) ?? null);
    } catch (error) {
      if (body && "text" in body) request.body ??= Buffer.from(body.text);
      throw error;
    }
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
      session: options.session?.(request) ?? "",
      said: cookie(request, saidCookie),
      signIn: options.signIn ?? null,
      signInCarries: options.signInCarries ?? false,
      frame: this.framed(request, actor),
    };
  }
}
