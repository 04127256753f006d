import { signedIn, withDemo } from "./demo.js";

await withDemo(async (browser, started) => {
  for (const [who, scheme] of [["tamsin", "light"]] as const) {
    const page = await signedIn(browser, started, who, scheme);
    await page.setViewportSize({ width: 1280, height: 800 });
    await page.goto(new URL("/stations?is.status=live&from.warning_m=2", page.url()).href);
    await page.screenshot({ path: "/tmp/list-1.png" });
    await page.goto(new URL("/stations?from.warning_m=high&is.status=live", page.url()).href);
    await page.setViewportSize({ width: 320, height: 800 });
    await page.screenshot({ path: "/tmp/list-2.png" });
  }
});
