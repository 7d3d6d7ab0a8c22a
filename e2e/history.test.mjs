// The history: what was done is listed with small pictures, one goes back to a revision and forth, marks one, sees then beside
// now, and finds what was left when something else was done.
import assert from "node:assert/strict";
import { test } from "node:test";
import { hue, lum, picture, pixel, saved, settled, stand, state } from "./lib.mjs";

let page;
stand({ shot: "Tidewatch harbour", query: "step=glow&light=0", empty: true }, (it) => ({ page } = it));

const change = (path, value) =>
  saved(page, () =>
    page.evaluate(
      async ([p, v]) => {
        const { commit, set } = await import("/static/js/store.js");
        await commit([set(p, v)]);
      },
      [path, value],
    ),
  );
const letter = async () => Math.round(hue(await pixel(page, 2230, 720, 12)));

test("one goes back to a revision and to a mark, sees then beside now, and loses nothing", async () => {
  const start = (await state(page)).lights[0].gel.hue;
  await change("/lights/0/gel/hue", 200);
  const blue = await picture(page);
  await change("/dusk/daylight", -3);
  await change("/lights/0/gel/hue", 120);
  const green = await picture(page);
  await page.keyboard.press("h");
  await page.locator("#past").waitFor();
  const titles = await page.locator(".past-row .past-go span").allTextContents();
  assert.match(titles[0], /^Gel of Letters.*now/);
  assert.match(titles[1], /^Daylight/);
  // Small pictures come, and are those of their revisions.
  await page.waitForFunction(() =>
    [...document.querySelectorAll(".past-row img")].every((i) => i.complete && i.naturalWidth > 100),
  );
  const light = await page.evaluate(() =>
    [...document.querySelectorAll(".past-row img")].map((img) => {
      const c = new OffscreenCanvas(20, 14).getContext("2d");
      c.drawImage(img, 0, 0, 20, 14);
      return c.getImageData(0, 0, 20, 14).data.reduce((a, b) => a + b, 0);
    }),
  );
  assert.ok(light[2] > 1.2 * light[1], `before the daylight went ${light[2]}, after it ${light[1]}`);
  // A mark, by a name of its own.
  await page.locator("#mark-new input").fill("Green letters");
  await page.locator("#mark-new button").click();
  await page.locator("[data-go-mark]").waitFor();
  assert.equal(await page.locator("[data-mark-name]").inputValue(), "Green letters");
  assert.equal(await page.locator(".past-row").count(), titles.length, "a mark made a revision");
  // Back to the revision with blue letters by day: redo leads forth again.
  await saved(page, () => page.locator(".past-row").nth(2).locator(".past-go").click());
  assert.equal(await picture(page), blue);
  assert.equal((await state(page)).lights[0].gel.hue, 200);
  assert.equal(await page.locator(".past-row.gone").count(), 2);
  await saved(page, () => page.locator(".past-row").nth(0).locator(".past-go").click());
  assert.equal(await picture(page), green);
  // Then beside now: on the left it is dark, on the right as it was by day.
  await page.locator(".past-row").nth(2).locator("[data-beside]").click();
  await settled(page);
  await page.waitForFunction(() => document.getElementById("tag-other").textContent.startsWith("Gel"));
  await page.waitForTimeout(200);
  const [left, right] = [lum(await pixel(page, 800, 300, 20)), lum(await pixel(page, 2300, 300, 20))];
  await page.locator(".past-row").nth(2).locator("[data-beside]").click();
  await settled(page);
  const now = lum(await pixel(page, 2300, 300, 20));
  assert.ok(right > 1.5 * now, `then it was ${right} on the right, it is ${now}`);
  assert.ok(left < right, `on the left it is ${left}`);
  assert.equal(await picture(page), green);
  // Far back and something else: what was left is under a mark, and so is what had a name.
  const rows = await page.locator(".past-row").count();
  await saved(page, () =>
    page
      .locator(".past-row")
      .nth(rows - 1)
      .locator(".past-go")
      .click(),
  );
  assert.equal((await state(page)).lights[0].gel.hue, start);
  await change("/lights/1/level", 1.5);
  assert.equal(await page.locator(".past-row").count(), 2);
  const marks = await page.locator("[data-mark-name]").evaluateAll((list) => list.map((i) => i.value));
  assert.equal(marks.length, 2);
  assert.match(marks[0], /^Left at /);
  await saved(page, () => page.locator(".mark-row").nth(1).locator(".past-go").click());
  assert.equal(await picture(page), green);
  assert.match(await page.locator(".past-row").nth(0).textContent(), /Back to “Green letters”/);
  // And forth: undo takes going there back.
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal((await state(page)).lights[1].level, 1.5);
  // A name is changed, a mark removed; back on the bench nothing is left beside.
  await page.locator("[data-mark-name]").nth(1).fill("Letters, green");
  await page.locator("[data-mark-name]").nth(1).press("Enter");
  await page.waitForFunction(
    () => document.querySelectorAll("[data-mark-name]")[1]?.value === "Letters, green",
  );
  await page.locator("[data-remove-mark]").first().click();
  await page.waitForFunction(() => document.querySelectorAll("[data-mark-name]").length === 1);
  await page.locator(".past-row").nth(1).locator("[data-beside]").click();
  await page.locator("#history-close").click();
  await page.locator("#rail [aria-current]").waitFor();
  assert.equal((await state(page)).step, "glow");
  assert.equal(await page.locator("#other-name").textContent(), "Plain");
  assert.ok(Math.abs((await letter()) - start) < 60);
});
