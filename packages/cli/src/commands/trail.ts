import { trailActions } from "@loyal-quill/server";
import { withStore } from "../open-store.js";

interface TrailOptions {
  readonly store: string;
  readonly action?: string | undefined;
  readonly person?: string | undefined;
  readonly days: number;
  readonly json: boolean;
}

/** How many entries are asked for at once. */
const atOnce = 500;

/** `quill trail`: the trail of administration, the newest first, a line each or as JSON, one object a line. */
export async function trail(
  { store: url, action, person, days, json }: TrailOptions,
  write: (line: string) => void,
): Promise<void> {
  await withStore(url, false, async (store) => {
    const since = new Date(Date.now() - days * 86_400_000);
    let before: string | undefined;
    for (;;) {
      const entries = await store.trail.read({ before, action, person, since, limit: atOnce });
      for (const entry of entries) {
        if (json) {
          write(JSON.stringify(entry));
          continue;
        }
        const what = Object.hasOwn(trailActions, entry.action)
          ? trailActions[entry.action as keyof typeof trailActions]
          : entry.action;
        const detail = Object.entries(entry.detail).map(([name, value]) => `${name}: ${value}`);
        if (entry.times > 1 && entry.last) detail.push(`${entry.times} times until ${entry.last.toISOString()}`);
        const line = [
          entry.at.toISOString(),
          entry.actorName || "somebody not signed in",
          what,
          entry.subject,
          ...detail,
          entry.address,
        ];
        // No character of a value may move a terminal's cursor.
        write(
          line
            .filter(Boolean)
            .join("  ")
            .replaceAll(/\p{Cc}/gu, " "),
        );
      }
      if (entries.length < atOnce) return;
      before = entries.at(-1)?.id;
    }
  });
}
