import { createHash, createHmac, randomUUID } from "node:crypto";
import { readFileSync } from "node:fs";
import { performance } from "node:perf_hooks";
import {
  type Actor,
  type Database,
  type Frame,
  handle,
  type MatchedRoute,
  type PageRequest,
  type PageResponse,
  type RecordedRequest,
  route,
  type Signer,
  saidCookie,
  styleSheet,
} from "@loyal-quill/core";
import express from "express";
import { type Loaded, loadPageFiles, watchPageFiles } from "./page-files.js";

export interface PagesOptions {
  /** The edited database, as made by {@link databaseOver}. */
  readonly database: Database;
  /** The directory of the page files. */
  readonly pages: string;
  /** Who makes this request; null where nobody is signed in. */
  readonly actor: (request: express.Request) => Actor | null | Promise<Actor | null>;
  /** What a form is bound to besides its actor, so that it ends with the session. */
  readonly session: (request: express.Request) => string;
  /** The key of all digests and tokens: 32 bytes at least, from the environment. */
  readonly signingKey: string;
  /** What stands around a page; its style sheets come after the pages' own. */
  readonly frame: (request: express.Request, actor: Actor | null) => Omit<Frame, "base" | "script">;
  /** Where somebody who is not signed in is sent. */
  readonly signIn?: string;
  /** Told of every request once it is answered. */
  readonly onRequest?: (recorded: RecordedRequest) => void;
  /** Told when the files or the tables were read anew. */
  readonly onLoad?: (loaded: Loaded) => void;
  /** Told of what went wrong while reading the files anew; the pages served stay as they were. */
  readonly onError?: (error: unknown) => void;
}

export interface Pages {
  /** The served pages. What belongs to none of them is passed on to the next handler. */
  readonly router: express.Router;
  readonly loaded: () => Loaded;
  /** The address of the style sheet below the mount. */
  readonly styleSheet: string;
  readonly reload: () => Promise<void>;
  readonly close: () => void;
}

/** The script of the pages, as the build left it beside this package. */
const script = readFileSync(new URL("../browser/dist/choices.js", import.meta.url), "utf8");
const scriptName = `quill-${createHash("sha256").update(script).digest("hex").slice(0, 10)}.js`;

const styleName = `quill-${createHash("sha256").update(styleSheet).digest("hex").slice(0, 10)}.css`;

/** The largest body that is read, in bytes. */
const mostBytes = 1_048_576;

const securityHeaders = {
  "content-security-policy":
    "default-src 'none'; script-src 'self'; connect-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; form-action 'self'; base-uri 'none'; frame-ancestors 'self'",
  "x-content-type-options": "nosniff",
  "referrer-policy": "same-origin",
};

/** A signer over HMAC-SHA-256 (RFC 2104). */
export function signerOf(key: string): Signer {
  if (Buffer.byteLength(key) < 32) throw new Error("The signing key must hold at least 32 bytes.");
  return { sign: (text) => createHmac("sha256", key).update(text).digest("base64url") };
}

const decoder = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true });

/** The body as text; bytes that are not UTF-8 become what the read step refuses. */
function bodyOf(request: express.Request): PageRequest["body"] {
  if (!Buffer.isBuffer(request.body)) return request.method === "POST" ? { refused: "wrong-content-type" } : null;
  try {
    return { text: decoder.decode(request.body) };
  } catch {
    return { text: "%FF" };
  }
}

/** Why a body could not be read off the wire: too large, or of an encoding that is not known here. */
const unreadable = (error: unknown): PageRequest["body"] => ({
  refused: (error as { status?: number }).status === 413 ? "body-too-large" : "wrong-content-type",
});

function cookie(request: express.Request, name: string): string | null {
  const pairs = (request.headers.cookie ?? "").split(/;\s*/);
  return pairs.find((pair) => pair.startsWith(`${name}=`))?.slice(name.length + 1) ?? null;
}

const queryOf = (request: express.Request): Record<string, string> =>
  Object.fromEntries(
    Object.entries(request.query).flatMap(([name, value]) => (typeof value === "string" ? [[name, value]] : [])),
  );

function send(response: express.Response, { status, headers, body }: PageResponse): void {
  response.status(status).set({ ...securityHeaders, ...headers });
  response.send(body);
}

/** Reads form bodies as they came; what is too large is answered by the pages themselves. */
const readBody = express.raw({ type: "application/x-www-form-urlencoded", limit: mostBytes });

/**
 * The served pages as an Express router, for any Express application.
 *
 * @throws when the page files or the catalogs can't be read at the start
 */
export async function createPages(options: PagesOptions): Promise<Pages> {
  const signer = signerOf(options.signingKey);
  let loaded = await loadPageFiles(options.pages, options.database);
  const reload = async (): Promise<void> => {
    try {
      loaded = await loadPageFiles(options.pages, options.database);
      options.onLoad?.(loaded);
    } catch (error) {
      options.onError?.(error);
    }
  };
  const watcher = watchPageFiles(options.pages, () => void reload());
  const router = express.Router({ caseSensitive: true, strict: true });

  const sendFile = (type: string, text: string) => (_request: express.Request, response: express.Response) => {
    response.set({
      ...securityHeaders,
      "content-type": `${type}; charset=utf-8`,
      "cache-control": "public, max-age=31536000, immutable",
    });
    response.send(text);
  };
  router.get(`/${styleName}`, sendFile("text/css", styleSheet));
  router.get(`/${scriptName}`, sendFile("text/javascript", script));

  const serve = async (
    matched: MatchedRoute,
    request: express.Request,
    response: express.Response,
    body: PageRequest["body"],
  ): Promise<void> => {
    const actor = await options.actor(request);
    const given = options.frame(request, actor);
    const pageRequest: PageRequest = {
      id: randomUUID(),
      at: new Date(),
      method: request.method,
      path: request.path,
      query: queryOf(request),
      body,
      actor,
      session: options.session(request),
      said: cookie(request, saidCookie),
      signIn: options.signIn ?? null,
      frame: {
        ...given,
        base: request.baseUrl,
        script: `${request.baseUrl}/${scriptName}`,
        styleSheets: [`${request.baseUrl}/${styleName}`, ...given.styleSheets],
      },
    };
    const { response: answer, recorded } = await handle(matched, pageRequest, {
      database: options.database,
      signer,
      elapsed: () => performance.now(),
    });
    send(response, answer);
    options.onRequest?.(recorded);
  };

  router.use((request, response, next) => {
    const matched = route(loaded, request.method, request.path);
    // Another application's body is not ours to read.
    if (matched.kind === "nowhere") return next();
    readBody(request, response, (error?: unknown) => {
      serve(matched, request, response, error ? unreadable(error) : bodyOf(request)).catch(next);
    });
  });

  return { router, loaded: () => loaded, styleSheet: `/${styleName}`, reload, close: () => watcher.close() };
}
