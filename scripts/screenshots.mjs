// Makes docs/screenshots from the demo data, at 1280x800.
//
//	go build -o bin/pyrant ./cmd/pyrant && node scripts/screenshots.mjs
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { Server, launch, open, place, rested, settled } from "../e2e/lib.mjs";

const out = join(import.meta.dirname, "..", "docs", "screenshots");
mkdirSync(out, { recursive: true });
const server = new Server("demo");
const url = await server.start();
const browser = await launch();
const page = await open(browser, url);
const shoot = (name) => page.screenshot({ path: join(out, `${name}.png`) });

await page.waitForFunction(() => [...document.images].every((i) => i.complete && i.naturalWidth));
await shoot("shots");
await page
  .locator(".shot", { has: page.locator('input[value="Tidewatch quay"]') })
  .locator("a.pic")
  .click();
await settled(page);
const step = async (name) => {
  await page.locator(`#rail [data-step="${name}"]`).click();
  await page.locator(`#rail [data-step="${name}"][aria-current]`).waitFor();
  await settled(page);
  await page.mouse.move(640, 30);
  await page.waitForTimeout(300);
};
await step("glow");
await page.locator('[data-shell-pick="4"]').first().click();
await page.waitForTimeout(300);
await shoot("glow");
await page.locator('[data-shell-pick="4"]').first().click();
await step("dusk");
await shoot("dusk");
await step("trace");
const p = await place(page, 1260, 640);
await page.mouse.move(p.x, p.y);
for (let i = 0; i < 6; i++) {
  await page.mouse.wheel(0, -240);
  await page.waitForTimeout(60);
}
await settled(page);
await page.waitForTimeout(400);
await shoot("trace");
await page.keyboard.press("f");
await page.locator('[data-choose="4"]').click();
await step("spill");
await page.locator("#stage").focus();
await shoot("spill");
await page.keyboard.press("s");
await rested(page);
await shoot("split");
await page.keyboard.press("s");
await step("export");
await page.locator("#export-go").click();
await page.locator("#download").waitFor();
await shoot("export");
await browser.close();
await server.remove();
