import type { DraftAnswer } from "@loyal-quill/server/api";
import { ask } from "../../api/client.js";

/** What can be asked of the server about one draft. Everything rejects with an `ApiProblem` that says what to do. */
interface DraftServer {
  readonly read: (signal?: AbortSignal) => Promise<DraftAnswer>;
  /** @param was the text that the change was made to */
  readonly save: (was: string, text: string) => Promise<DraftAnswer>;
  /** Says that what was typed last is on its way: what is read from now on waits for it. */
  readonly leave: (saved: Promise<unknown>) => void;
  /** Begins the draft of a page of which the server has nothing. */
  readonly begin: (text: string) => Promise<DraftAnswer>;
  readonly bringIn: () => Promise<DraftAnswer>;
  /** @param revision the one that was looked at */
  readonly publish: (revision: number, everybody?: boolean) => Promise<DraftAnswer>;
  readonly discard: (revision: number) => Promise<unknown>;
  readonly note: () => Promise<DraftAnswer>;
}

/** What was typed last in places that were left, by page, until it is saved. */
const saving = new Map<string, Promise<unknown>>();

export function draftServer(name: string): DraftServer {
  const path = `/drafts/${encodeURIComponent(name)}`;
  return {
    read: async (signal) => {
      await saving.get(name)?.catch(() => {});
      return ask<DraftAnswer>(path, signal ? { signal } : {});
    },
    save: (was, text) => ask<DraftAnswer>(path, { method: "PUT", body: { was, text } }),
    leave: (saved) => void saving.set(name, saved),
    begin: (text) => ask<DraftAnswer>("/drafts", { method: "POST", body: { name, text } }),
    bringIn: () => ask<DraftAnswer>(`${path}/bring-in`, { method: "POST", body: {} }),
    publish: (revision, everybody = false) =>
      ask<DraftAnswer>(`${path}/publish`, { method: "POST", body: { revision, everybody } }),
    discard: (revision) => ask(path, { method: "DELETE", body: { revision } }),
    note: () => ask<DraftAnswer>(`${path}/note`, { method: "POST", body: {} }),
  };
}
