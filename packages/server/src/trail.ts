import type { Request } from "express";
import { addressOf } from "./edge.js";
import type { Account } from "./store/entities.js";
import type { Store } from "./store/store.js";

/** What the trail tells of, in words for people. */
export const trailActions = {
  "sign-in.ok": "signed in",
  "sign-in.failed": "failed to sign in",
  "sign-in.stopped": "was stopped after too many tries to sign in",
  "sign-in.factor-failed": "gave a wrong second factor",
  "sign-out": "signed out",
  "session.ended": "ended a session",
  "account.made": "made the account",
  "account.changed": "changed the account",
  "account.disabled": "disabled the account",
  "account.enabled": "enabled the account",
  "password.changed": "changed the password",
  "password.reset": "reset the password",
  "factor.on": "turned the second factor on",
  "factor.off": "turned the second factor off",
  "factor.recovery-used": "used a recovery code",
  "factor.recovery-made": "made new recovery codes",
  "token.made": "made the API token",
  "token.revoked": "revoked the API token",
  "page.published": "published the page",
  "page.file-changed": "found the page file changed on disk",
  "draft.made": "began the draft",
  "draft.changed": "changed the draft",
  "draft.discarded": "discarded the draft",
  "draft.tried": "ran a trial of the page",
  "draft.rehearsed": "rehearsed the page",
  "records.searched": "searched records",
  "census.counted": "ran a census of the stored rows",
  "changes.put-back": "put changes back",
  "changes.searched": "viewed changes",
  "requests.read": "viewed values of recorded requests",
} as const;
export type TrailAction = keyof typeof trailActions;

/** What something was done to. */
export interface Subject {
  readonly name: string;
  readonly id?: string | null;
}

/** Who does something, and from where. */
export interface Doer {
  readonly id: string | null;
  readonly name: string;
  readonly address: string;
}

/** Whoever makes a request. */
export const doerOf = (request: Request, account: Pick<Account, "id" | "name"> | null): Doer => ({
  id: account?.id ?? null,
  name: account?.name ?? "",
  address: addressOf(request),
});

/** A command on the server's own machine. */
export const byCommand: Doer = { id: null, name: "command line", address: "" };
/** The server by itself. */
export const byItself: Doer = { id: null, name: "server", address: "" };

/** What somebody looked at: told once in a quarter of an hour, with how often. */
export type Look = (request: Request, action: TrailAction, subject: string, subjectId?: string) => Promise<void>;

/** Takes note of what people look at, in the trail of a store. */
export const lookIn =
  (store: Store, account: (request: Request) => Promise<Account | null>): Look =>
  async (request, action, subject, subjectId) => {
    const found = await account(request);
    if (!found) return;
    const { id: actorId, name: actorName } = found;
    const address = addressOf(request);
    await store.trail.noteLook({
      actorId,
      actorName,
      action,
      subject,
      subjectId: subjectId ?? null,
      address,
      detail: {},
    });
  };

/** Adds a line to the trail of administration, with no value that is anybody's secret. */
export const note = (
  store: Store,
  doer: Doer,
  action: TrailAction,
  subject: Subject,
  detail: Readonly<Record<string, string>> = {},
): Promise<void> =>
  store.trail.note({
    actorId: doer.id,
    actorName: doer.name,
    action,
    subject: subject.name,
    subjectId: subject.id ?? null,
    address: doer.address,
    detail,
  });
