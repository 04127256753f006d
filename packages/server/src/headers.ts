import { randomUUID } from "node:crypto";
import type { RequestHandler } from "express";
import helmet from "helmet";
import type { Logger } from "pino";
import { pinoHttp } from "pino-http";

/** Security headers for everything that sets none of its own: no scripts, no foreign frames, no sniffing. */
export const securityHeaders = (secure: boolean): RequestHandler =>
  helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'none'"],
        styleSrc: ["'self'"],
        fontSrc: ["'self'"],
        imgSrc: ["'self'", "data:"],
        formAction: ["'self'"],
        baseUri: ["'none'"],
        frameAncestors: ["'self'"],
      },
    },
    // Over HTTPS only, for a year (RFC 6797); on loopback without it there is nothing to be strict about.
    strictTransportSecurity: secure && { maxAge: 31_536_000, includeSubDomains: false },
    xFrameOptions: { action: "sameorigin" },
  });

/**
 * A line a request: its number, method, path and status; no query, header or body, which may hold what is nobody's business. The number is the one
 * under which it is recorded, and in the answer's `x-request-id`.
 */
export const requestLog = (logger: Logger): RequestHandler =>
  pinoHttp({
    logger,
    genReqId: (_request, response) => {
      const id = randomUUID();
      response.setHeader("x-request-id", id);
      return id;
    },
    serializers: {
      req: (request: { id: string; method: string; url: string }) => ({
        id: request.id,
        method: request.method,
        url: request.url.split("?")[0],
      }),
      res: (response: { statusCode: number }) => ({ status: response.statusCode }),
    },
  });
