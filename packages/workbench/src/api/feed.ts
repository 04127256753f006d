import type { FeedEvent } from "@loyal-quill/server/api";
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

/** What an event makes stale: asked for anew where it is on screen. */
function refresh(queries: QueryClient, event: FeedEvent): void {
  const stale = (...key: string[]) => void queries.invalidateQueries({ queryKey: key });
  stale("pages");
  if (event.kind === "pages") {
    stale("sheet");
    stale("trial");
    return;
  }
  stale("requests");
  if (event.request.outcome !== "saved") return;
  stale("changes");
  stale("trial");
  stale("records");
}

/** Follows the live feed. True while it is connected; the browser connects again by itself. */
export function useFeed(): boolean {
  const queries = useQueryClient();
  const [live, setLive] = useState(false);
  useEffect(() => {
    const source = new EventSource("/workbench/api/feed");
    source.onopen = () => setLive(true);
    source.onerror = () => setLive(false);
    source.onmessage = (message: MessageEvent<string>) => refresh(queries, JSON.parse(message.data) as FeedEvent);
    return () => source.close();
  }, [queries]);
  return live;
}
