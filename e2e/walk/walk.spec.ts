import { verifyLog } from "@loyal-quill/runtime";
import { Chance } from "@loyal-quill/testing";
import type { Page } from "@playwright/test";
import pg from "pg";
import { enterAs, expect, type Person, test, type Vale } from "../vale.js";
import { Faults } from "./faults.js";
import { othersAtWork } from "./others.js";
import { step } from "./step.js";
import { Words } from "./words.js";

/**
 * Walks through the product by chance: whoever walks presses, types and goes back as it comes, while somebody else changes the same records. Whatever they did,
 * no error comes to light, nothing is wider than its window, axe finds nothing, what a page says of a save is so, and in the end nothing is wrong with the log.
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
const technicians = [
  "/",
  "/stations",
  "/visits",
  "/bulletins",
  "/stations/MV-014/edit",
  "/stations/MV-021/edit",
  "/stations?q=otter",
];
const records = ["/records/stations", "/records/stations/MV-014/edit", "/records/stations/MV-022/edit"];

interface Walker {
  readonly name: string;
  /** Who signs in to our server; nobody where they walk through an application of somebody's own. */
  readonly who: Person | null;
  /** One of `examples/`, in which they walk. */
  readonly application?: string;
  /** Where they begin, and begin again. */
  readonly starts: readonly string[];
  readonly hasScripts: boolean;
}
const walkers: readonly Walker[] = [
  { name: "a builder", who: "ines", starts: [...builders, ...auditors], hasScripts: true },
  { name: "a technician", who: "tamsin", starts: [...technicians, "/workbench", ...auditors], hasScripts: true },
  { name: "a technician", who: "tamsin", starts: technicians, hasScripts: false },
  {
    name: "an administrator",
    who: "rhea",
    starts: ["/workbench/people", "/workbench/people?person=new"],
    hasScripts: true,
  },
  {
    name: "somebody in an application of its own",
    who: null,
    application: "own-application",
    starts: ["/", ...records],
    hasScripts: true,
  },
  {
    name: "somebody in an application of its own",
    who: null,
    application: "own-application",
    starts: ["/", ...records],
    hasScripts: false,
  },
  {
    name: "somebody in a view of its own",
    who: null,
    application: "own-view",
    starts: ["/overview/MV-014", "/plain/MV-014", "/react/MV-014", "/records/visits", ...records],
    hasScripts: true,
  },
];

/** Answers come late and in another order, or one in ten not at all, half of them after what was asked was done: what a page has loaded already is there. */
async function over(page: Page, link: (typeof links)[number], chance: Chance): Promise<void> {
  if (link === "as it is") return;
  await page.route("**/*", async (route) => {
    const type = route.request().resourceType();
    if (type !== "fetch" && type !== "document") return await route.continue();
    if (link === "losing answers") {
      if (type !== "fetch" || !chance.is(0.1)) return await route.continue();
      if (chance.is(0.5)) await route.fetch().catch(() => {});
      return await route.abort();
    }
    if (chance.is(0.5)) await new Promise((resolve) => setTimeout(resolve, chance.whole(1500)));
    await route.continue();
  });
}

/** Signs in where the application asks for it. @returns whether they are in: an administrator may have reset their own password */
async function enter(page: Page, vale: Vale, who: Person | null): Promise<boolean> {
  if (who) await enterAs(page, vale, who);
  else {
    await page.getByLabel("Who are you?").selectOption("Tamsin Okoro");
    await page.getByRole("button", { name: "Sign in" }).click();
  }
  return await page
    .waitForURL((url) => url.pathname !== "/sign-in", { timeout: 20_000 })
    .then(() => true)
    .catch(() => false);
}

/** What is wrong with the change log, whatever was done. */
async function wrongWithLog(vale: Vale): Promise<readonly string[]> {
  const client = new pg.Client(vale.urls.owner);
  await client.connect();
  try {
    const { findings } = await verifyLog(client);
    return findings.map(({ kind, place, said }) => `The log, ${kind}, ${place}: ${said}`);
  } finally {
    await client.end();
  }
}

for (const [at, { name, who, application, starts, hasScripts }] of walkers.entries()) {
  const chance = new Chance(seed * walkers.length + at);
  const width = chance.one([1280, 390]);
  const link = chance.one(links);
  const colorScheme = chance.one(["light", "dark"] as const);
  test.describe(`${name}, ${hasScripts ? "with scripts" : "without scripts"}`, () => {
    test.use({ viewport: { width, height: 800 }, javaScriptEnabled: hasScripts, colorScheme });

    test(`${minutes} minutes, ${width} pixels, a link ${link}`, async ({ page, signedIn, vale, example }) => {
      if (who) await signedIn(who);
      const address = application ? (await example(application)).address : vale.address;
      const places = starts.map((start) => address + start);
      const steps: string[] = [];
      const faults = new Faults(page, steps);
      const words = new Words(page, vale, link === "slow" ? 5000 : 2500);
      page.on("dialog", (dialog) => void (chance.is(0.7) ? dialog.accept() : dialog.dismiss()).catch(() => {}));
      await over(page, link, chance);
      const stop = othersAtWork(vale, new Chance(seed));
      await page.goto(chance.one(places));
      for (const end = Date.now() + minutes * 60_000; Date.now() < end; ) {
        // What is gone, covered or being loaded can't be pressed: that is a step too.
        steps.push(
          await step(page, chance, places).catch((error: Error) => `(not done: ${error.message.split("\n")[0]})`),
        );
        await page.waitForTimeout(50 + chance.whole(150));
        await faults.look().catch(() => {});
        const untrue = await words.look().catch(() => null);
        if (untrue) faults.take(untrue);
        if (hasScripts && steps.length % 25 === 0) await faults.ask().catch(() => {});
        if (new URL(page.url()).pathname === "/sign-in") {
          steps.push("signed in again");
          if (!(await enter(page, vale, who))) break;
        } else if (!page.url().startsWith(address)) await page.goto(chance.one(places));
      }
      process.stdout.write(
        `${name}: ${steps.length} steps, ${words.saves} saves told, ${await stop()} changes by others\n`,
      );
      for (const wrong of await wrongWithLog(vale)) faults.take(wrong);
      expect(faults.found.join("\n\n")).toBe("");
      // Most of the steps are ones that could be done: otherwise nothing was shown.
      expect(steps.filter((each) => each.startsWith("(not done")).length / steps.length).toBeLessThan(0.5);
    });
  });
}
