// The guided tour plays the five steps as real edits; it can be stopped, and is undone step by step.
import assert from "node:assert/strict";
import { test } from "node:test";
import { open, picture, rested, serve, settled, state, undo } from "./lib.mjs";

let server;
let browser;
serve({ mode: "demo" }, (it) => ({ server, browser } = it));

const begin = async () => {
  const page = await open(browser, server.url);
  await page.getByRole("button", { name: "Tour" }).click();
  await page.waitForURL(/\/shots\/\w+/);
  await page.locator("#tour").waitFor();
  return page;
};
const next = (page) => page.locator('[data-tour="next"]').click();
const until = (page, step) => page.locator(`#rail [data-step="${step}"][aria-current]`).waitFor();

test("the tour's five edits light the panels, and undo takes each of them back", async () => {
  const page = await begin();
  await settled(page);
  const plain = await picture(page);
  // Next skips the time to read and the time to look.
  const titles = [];
  for (const step of ["photo", "dusk", "trace", "glow", "spill"]) {
    await until(page, step);
    await page.waitForFunction(
      (s) => document.querySelector("#tour span").textContent.toLowerCase().startsWith(s),
      step,
    );
    const last = await page.locator("#undo").getAttribute("title");
    await next(page);
    await page.waitForFunction((was) => document.getElementById("undo").title !== was, last, {
      timeout: 60_000,
    });
    titles.push(await page.locator("#undo").getAttribute("title"));
    await rested(page);
    await next(page);
  }
  await page.getByText("Each step was a real edit").waitFor();
  assert.match(titles[1], /Overcast to blue hour/);
  assert.match(titles[2], /Trace/);
  const s = await state(page);
  assert.equal(s.lights.length, 1);
  assert.equal(s.lights[0].shapes.length, 5);
  assert.ok(s.room.on);
  await page.locator('[data-tour="stop"]').click();
  await page.locator("#tour").waitFor({ state: "detached" });
  for (let i = 0; i < 5; i++) await undo(page);
  assert.equal((await state(page)).lights.length, 0);
  await page.locator('#rail [data-step="photo"]').click();
  await until(page, "photo");
  await settled(page);
  assert.equal(await picture(page), plain);
  assert.deepEqual(page.faults, []);
});

test("the tour is stopped at any time; what was done stays", async () => {
  const page = await begin();
  await until(page, "photo");
  await page.waitForFunction(() => document.querySelector("#tour span").textContent.startsWith("Photo"));
  await next(page);
  await page.waitForFunction(async () => (await import("/static/js/store.js")).saved.version > 1);
  await page.locator('[data-tour="stop"]').click();
  await page.locator("#tour").waitFor({ state: "detached" });
  await page.waitForTimeout(1500);
  assert.equal((await state(page)).step, "photo");
  assert.ok((await state(page)).crop.width > 0);
  await undo(page);
  assert.equal((await state(page)).crop.width, 0);
  assert.deepEqual(page.faults, []);
});
