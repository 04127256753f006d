import { place } from "./client.js";
import { Flag } from "./flag.js";

/** Whether the server was seen to have another version of the workbench than this window. */
export const outdated = new Flag();

/** Looks whether the server's document still begins with the module that this window was begun with: modules are named by their content. */
export async function lookWhetherOutdated(): Promise<void> {
  const module = document.querySelector<HTMLScriptElement>('script[type="module"][src]')?.getAttribute("src");
  if (!module || outdated.get()) return;
  try {
    const response = await fetch(place, { headers: { accept: "text/html" } });
    // Without a session, or where a proxy answers, it is another document.
    if (!response.ok || response.redirected) return;
    const text = await response.text();
    if (text.includes('id="root"')) outdated.set(!text.includes(`"${module}"`));
  } catch {
    // The server is away: the feed tells that.
  }
}
