import { createHmac } from "node:crypto";
import type { SavedEvent } from "@loyal-quill/core";
import type { AfterSave } from "./steps.js";

/** An event in the JSON format of CloudEvents 1.0 (specification, 2 and 3; JSON event format, 3). */
export interface CloudEvent {
  readonly specversion: "1.0";
  readonly id: string;
  readonly source: string;
  readonly type: string;
  readonly subject: string;
  readonly time: string;
  readonly datacontenttype: "application/json";
  readonly data: Pick<SavedEvent, "page" | "table" | "key" | "changes" | "actor" | "reason" | "requestId">;
}

const kinds = { change: "changed", new: "added", delete: "deleted" } as const;

/**
 * A save as a CloudEvent. Its id is the number of its entry in the change log: two of one save have the same.
 *
 * @param source a URI reference that stands for the application, like `https://records.example/` (specification, 3.1.1)
 */
export const cloudEvent = (saved: SavedEvent, source: string): CloudEvent => {
  const { page, table, key, changes, actor, reason, requestId } = saved;
  return {
    specversion: "1.0",
    id: saved.entry,
    source,
    type: `loyal-quill.record.${kinds[saved.operation]}`,
    subject: [table, ...Object.values(key).map((part) => encodeURIComponent(part ?? ""))].join("/"),
    time: saved.at,
    datacontenttype: "application/json",
    data: { page, table, key, changes, actor, reason, requestId },
  };
};

export interface WebhookOptions {
  readonly url: string;
  /** What the receiver checks the signature by; 24 bytes at least. */
  readonly secret: string | undefined;
  /** Stands for the application in its events. */
  readonly source: string;
  /** What sends the request; `fetch` where it is left out. */
  readonly fetch?: typeof fetch;
}

/**
 * The signature of a body: an HMAC-SHA-256 (RFC 2104) over the event's id, the moment in seconds since 1970, and the body, with dots between
 * them; in base64, after `v1,`. A receiver makes the same, compares in constant time, and refuses a moment that is minutes off.
 *
 * @example
 * const expected = Buffer.from(signatureOf(secret, id, seconds, body));
 * const isOurs = expected.length === given.length && timingSafeEqual(expected, given);
 */
export const signatureOf = (secret: string, id: string, seconds: number, body: string): string =>
  `v1,${createHmac("sha256", secret).update(`${id}.${seconds}.${body}`).digest("base64")}`;

/**
 * An `afterSave` that sends each save as a CloudEvent (HTTP protocol binding, 3.2 structured mode), signed. Anything but a status of 2xx is a failure:
 * with `outbox: true` it is sent again.
 */
export function webhook({
  url,
  secret,
  source,
  fetch: send = fetch,
}: WebhookOptions): (saved: AfterSave) => Promise<void> {
  if (secret === undefined || Buffer.byteLength(secret) < 24)
    throw new Error(
      `The secret of the webhook to ${url} must hold at least 24 bytes: make one with openssl rand -hex 32.`,
    );
  return async (saved) => {
    const event = cloudEvent(saved, source);
    const body = JSON.stringify(event);
    const seconds = Math.floor(Date.now() / 1000);
    const response = await send(url, {
      method: "POST",
      body,
      headers: {
        "content-type": "application/cloudevents+json; charset=utf-8",
        "webhook-id": event.id,
        "webhook-timestamp": String(seconds),
        "webhook-signature": signatureOf(secret, event.id, seconds, body),
      },
      redirect: "error",
      signal: saved.signal,
    });
    await response.body?.cancel();
    if (!response.ok) throw new Error(`${new URL(url).host} answered ${response.status}`);
  };
}
