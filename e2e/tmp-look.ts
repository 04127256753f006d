import { signedIn, withDemo } from "./demo.js";

await withDemo(async (browser, started) => {
  const page = await signedIn(browser, started, "dara", "light");
  page.on("console", (m) => console.log("console", m.text()));
  page.on("pageerror", (m) => console.log("error", m.message));
  await page.setViewportSize({ width: 1280, height: 800 });
  const at = (path: string) => new URL(path, page.url()).href;
  await page.goto(at("/bulletins"));
  await page.screenshot({ path: "/tmp/p1.png" });
  await page.locator("a.record").nth(2).click();
  await page.waitForTimeout(500);
  console.log(page.url());
  await page.locator("[name=headline]").fill("Changed by hand, long enough");
  await page.screenshot({ path: "/tmp/p2.png" });
  await page.locator("[name=headline]").fill("short");
  await page.locator("button[name='quill.save']").click();
  await page.waitForTimeout(700);
  await page.screenshot({ path: "/tmp/p3.png" });
  await page.locator("[name=headline]").fill("Changed by hand, long enough");
  await page.locator("button[name='quill.save']").click();
  await page.waitForTimeout(700);
  console.log(page.url());
  await page.screenshot({ path: "/tmp/p4.png" });
  await page.setViewportSize({ width: 320, height: 800 });
  await page.emulateMedia({ colorScheme: "dark" });
  await page.screenshot({ path: "/tmp/p5.png" });
});
