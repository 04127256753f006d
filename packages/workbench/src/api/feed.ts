import type { FeedEvent } from "@loyal-quill/server/api";
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask } from "./client.js";
import { AskingAnew } from "./made-of.js";
import { lookWhetherOutdated } from "./outdated.js";

type DraftListener = (event: (FeedEvent & { kind: "draft" }) | null) => void;
const draftListeners = new Set<DraftListener>();

/** Tells of every change of a draft, and (with null) when files or tables were read anew. @returns what ends it */
export function onDraft(listener: DraftListener): () => void {
  draftListeners.add(listener);
  return () => void draftListeners.delete(listener);
}

/** What an event has changed: what is made of that is asked for anew, where it is on screen. */
function hear(event: FeedEvent, queries: QueryClient, asking: AskingAnew): void {
  switch (event.kind) {
    case "request":
      if (event.request.outcome === "saved") asking.changed("requests", "rows");
      else asking.changed("requests");
      return;
    case "pages":
      asking.changed("files");
      for (const listener of draftListeners) listener(null);
      return;
    case "draft":
      asking.changed("drafts");
      for (const listener of draftListeners) listener(event);
      return;
    case "people":
      asking.changed("people");
      return;
    case "verification":
      void queries.invalidateQueries({ queryKey: [event.kind] });
      return;
    default:
      void queries.invalidateQueries({ queryKey: [event.kind, event.page] });
  }
}

/** After an answer that is no feed it is asked for again so much later, in milliseconds. */
const again = 3000;

/** Follows the live feed. True while it is connected. */
export function useFeed(): boolean {
  const queries = useQueryClient();
  const [live, setLive] = useState(false);
  useEffect(() => {
    let source: EventSource | undefined;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let wasAway = false;
    const asking = new AskingAnew(queries);
    const follow = (): void => {
      const followed = new EventSource(`${api}/feed`);
      source = followed;
      followed.onopen = () => {
        setLive(true);
        if (!wasAway) return;
        // It may have been begun anew, with another version of the workbench.
        void lookWhetherOutdated();
        // What happened meanwhile was not heard: everything on screen is asked for anew.
        wasAway = false;
        void queries.invalidateQueries();
        for (const listener of draftListeners) listener(null);
      };
      followed.onerror = () => {
        wasAway = true;
        setLive(false);
        // The browser connects again by itself, but not after an answer without a session, or of a proxy (HTML, 9.2.3).
        if (followed.readyState !== EventSource.CLOSED) return;
        timer = setTimeout(follow, again);
        // Which of the two it was, an EventSource does not tell.
        void ask("/session").catch(() => {});
      };
      followed.onmessage = (message: MessageEvent<string>) =>
        hear(JSON.parse(message.data) as FeedEvent, queries, asking);
    };
    follow();
    return () => {
      clearTimeout(timer);
      asking.end();
      source?.close();
    };
  }, [queries]);
  return live;
}
