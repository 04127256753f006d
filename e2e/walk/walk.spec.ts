import type { Page } from "@playwright/test";
import { enterAs, expect, type Person, test } from "../vale.js";
import { type Chance, chanceOf, oneOf } from "./chance.js";
import { Faults } from "./faults.js";
import { step } from "./step.js";

/**
 * Walks through the product by chance: whoever walks presses, types and goes back as it comes, and whatever they did, no error comes to light, nothing is wider
 * than its window, and axe finds nothing.
 */

const minutes = Number(process.env.QUILL_WALK_MINUTES ?? 1);
const seed = Number(process.env.QUILL_WALK_SEED ?? 1);

const links = ["as it is", "slow", "losing answers"] as const;
const builders = [
  "/workbench",
  "/workbench/pages/station",
  "/workbench/pages/visit",
  "/workbench/requests",
  "/workbench/database",
];
const auditors = ["/workbench/changes", "/workbench/trail"];
const technicians = ["/", "/stations", "/visits", "/bulletins", "/stations/MV-014/edit", "/stations?q=otter"];

interface Walker {
  readonly who: Person;
  /** Where they begin, and begin again. */
  readonly starts: readonly string[];
  readonly hasScripts: boolean;
}
const walkers: readonly Walker[] = [
  { who: "ines", starts: [...builders, ...auditors], hasScripts: true },
  { who: "tamsin", starts: [...technicians, "/workbench", ...auditors], hasScripts: true },
  { who: "tamsin", starts: technicians, hasScripts: false },
  { who: "rhea", starts: ["/workbench/people", "/workbench/people?person=new"], hasScripts: true },
];

/** Answers come late and in another order, or one in twenty not at all: what a page has loaded already is there. */
async function over(page: Page, link: (typeof links)[number], chance: Chance): Promise<void> {
  if (link === "as it is") return;
  await page.route("**/*", async (route) => {
    const type = route.request().resourceType();
    if (type !== "fetch" && type !== "document") return await route.continue();
    if (link === "losing answers")
      return chance() < 0.05 && type === "fetch" ? await route.abort() : await route.continue();
    if (chance() < 0.5) await new Promise((resolve) => setTimeout(resolve, chance() * 1500));
    await route.continue();
  });
}

for (const [at, { who, starts, hasScripts }] of walkers.entries()) {
  const own = seed * walkers.length + at;
  const chance = chanceOf(own);
  const width = oneOf(chance, [1280, 390]);
  const link = oneOf(chance, links);
  const colorScheme = oneOf(chance, ["light", "dark"] as const);
  test.describe(`${who}, ${hasScripts ? "with scripts" : "without scripts"}`, () => {
    test.use({ viewport: { width, height: 800 }, javaScriptEnabled: hasScripts, colorScheme });

    test(`${minutes} minutes, ${width} pixels, a link ${link}`, async ({ signedIn, vale }) => {
      const page = await signedIn(who);
      const steps: string[] = [];
      const faults = new Faults(page, steps);
      page.on("dialog", (dialog) => void (chance() < 0.7 ? dialog.accept() : dialog.dismiss()).catch(() => {}));
      await over(page, link, chance);
      await page.goto(oneOf(chance, starts));
      for (const end = Date.now() + minutes * 60_000; Date.now() < end; ) {
        // What is gone, covered or being loaded can't be pressed: that is a step too.
        steps.push(
          await step(page, chance, starts).catch((error: Error) => `(not done: ${error.message.split("\n")[0]})`),
        );
        await page.waitForTimeout(50 + chance() * 150);
        await faults.look().catch(() => {});
        if (hasScripts && steps.length % 25 === 0) await faults.ask().catch(() => {});
        if (new URL(page.url()).pathname === "/sign-in") {
          await enterAs(page, vale, who);
          steps.push("signed in again");
          const isIn = await page
            .waitForURL((url) => url.pathname !== "/sign-in", { timeout: 20_000 })
            .then(() => true)
            .catch(() => false);
          // An administrator may have reset their own password: the walk is over before its time.
          if (!isIn) break;
        } else if (!page.url().startsWith(vale.address)) await page.goto(oneOf(chance, starts));
      }
      process.stdout.write(`${who}: ${steps.length} steps\n`);
      expect(faults.found.join("\n\n")).toBe("");
      // Most of the steps are ones that could be done: otherwise nothing was shown.
      expect(steps.filter((each) => each.startsWith("(not done")).length / steps.length).toBeLessThan(0.5);
    });
  });
}
