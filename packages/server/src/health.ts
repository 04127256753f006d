import type { RequestHandler } from "express";

/**
 * What a proxy asks before it sends requests: `/healthz` whether the process is there, `/readyz` whether it takes requests. Neither asks the
 * database: where that is away every process is as well off as this one, and its pages say so and keep what was typed.
 */
export class Health {
  private isLeaving = false;

  /** From now on no more requests should come. */
  leave(): void {
    this.isLeaving = true;
  }

  readonly routes: RequestHandler = (request, response, next) => {
    if (request.path !== "/healthz" && request.path !== "/readyz") return next();
    const isReady = request.path === "/healthz" || !this.isLeaving;
    response
      .status(isReady ? 200 : 503)
      .set("cache-control", "no-store")
      .type("text/plain")
      .send(isReady ? "ok\n" : "This process is about to end: ask another one.\n");
  };
}
