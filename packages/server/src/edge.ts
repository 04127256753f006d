import type { IncomingMessage } from "node:http";
import { isIP } from "node:net";
import type { Request, RequestHandler } from "express";

/** How the application stands towards browsers. */
export interface Deployment {
  /** Whether browsers come over HTTPS, by a proxy that ends it. */
  readonly secure: boolean;
  /** The proxies before it, whose X-Forwarded-For is believed (RFC 7239 says what it stands for); 0 for none. */
  readonly hops: number;
  /** The names under which it may be asked, without a port; null for any. */
  readonly hosts: readonly string[] | null;
}

/** On this machine only: a page elsewhere that lets its own name point here is none of its names. */
export const loopback: Deployment = { secure: false, hops: 0, hosts: ["127.0.0.1", "localhost", "[::1]"] };

/** Names that a request gives as its host (RFC 9110, 7.2): two of them are none. */
function hostsOf({ rawHeaders }: Pick<IncomingMessage, "rawHeaders">): readonly string[] {
  return rawHeaders.filter((_, index) => index % 2 === 1 && rawHeaders[index - 1]?.toLowerCase() === "host");
}

const nameOf = (host: string): string => host.toLowerCase().replace(/:\d+$/, "").replace(/\.$/, "");

/** Whether a text is one that PostgreSQL and everything else can take: no NUL, no half of a surrogate pair. */
export const isPlain = (text: string): boolean => !/\0|\p{Surrogate}/u.test(text);

/** Whether a request's address can be read: percent-encoded UTF-8 (RFC 3986, 2.5) without NUL. */
function isReadable(url: string): boolean {
  try {
    return isPlain(decodeURIComponent(url.replaceAll("+", " ")));
  } catch {
    return false;
  }
}

/** Whether a host is one of the names under which something is known; all addresses of loopback are, where one is. */
function isKnown(host: string, known: readonly string[]): boolean {
  const name = nameOf(host);
  return known.includes(name) || (known.includes("127.0.0.1") && /^127(\.\d{1,3}){3}$/.test(name));
}

/** Whether something that is for this machine alone is asked under one of this machine's own names, and under one only. */
export function isAskedOnLoopback(request: Pick<IncomingMessage, "rawHeaders">): boolean {
  const [host, other] = hostsOf(request);
  return host !== undefined && other === undefined && isKnown(host, loopback.hosts ?? []);
}

/**
 * The address that a request came from, by the proxies that are believed. Some of them write the port beside it (RFC 7239, 6), which is another one for
 * each connection, and whatever is no address is none of somebody's: then it is the one that the connection has.
 */
export function addressOf({ ip = "", socket }: Pick<Request, "ip" | "socket">): string {
  const bare = /^\[([^\]]*)\](?::\d+)?$/.exec(ip)?.[1] ?? /^([\d.]+):\d+$/.exec(ip)?.[1] ?? ip;
  // An address of one link has its interface behind it (RFC 4007, 11), of any length.
  const [address = ""] = bare.split("%");
  return isIP(address) > 0 ? address : (socket.remoteAddress ?? "");
}

/** Turns away what is asked under another name, in two names at once, or at an address that is none. */
export function atTheEdge({ hosts }: Pick<Deployment, "hosts">): RequestHandler {
  const known = hosts?.map((host) => host.toLowerCase());
  return (request, response, next) => {
    const refuse = (status: number, line: string): void => {
      response.status(status).type("text/plain").set("cache-control", "no-store").send(`${line}\n`);
    };
    const [host, other] = hostsOf(request);
    if (host === undefined || other !== undefined) return refuse(400, "A request names one host.");
    if (known && !isKnown(host, known))
      return refuse(
        421,
        "This application is not known under this name. Whoever runs it says under which with --host-name.",
      );
    const { url } = request;
    const at = url.indexOf("?");
    // A page says itself that there is nothing at an address that can't be read; what is asked by such words, nobody reads.
    if (at >= 0 && /%(00|ed%[ab])/i.test(url.slice(at)) && !isReadable(url.slice(at)))
      return refuse(
        400,
        "The part of the address after ? can't be read: it is not percent-encoded UTF-8, or holds a NUL.",
      );
    next();
  };
}

/** How long the body of somebody is waited for who isn't signed in, in milliseconds; a token may be right, and is judged later. */
export const strangersPatience = 10_000;
const tokensPatience = 60_000;

/** Does not wait longer for the body of somebody whom nobody knows: it costs them nothing to send it slowly. */
export function impatient(patience: number): RequestHandler {
  return (request, response, next) => {
    const isKnown = request.session?.accountId !== undefined;
    const wait = request.get("authorization") === undefined ? patience : tokensPatience;
    if (isKnown || request.complete || ["GET", "HEAD", "OPTIONS"].includes(request.method)) return next();
    const timer = setTimeout(() => {
      if (!response.headersSent)
        response
          .status(408)
          .set("connection", "close")
          .type("text/plain")
          .send("The request took too long to arrive.\n");
      request.destroy();
    }, wait);
    request.once("end", () => clearTimeout(timer));
    request.once("close", () => clearTimeout(timer));
    next();
  };
}
