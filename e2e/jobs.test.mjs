// Jobs: exports and what else takes a while, listed on every page; they outlive a reload, another page, and the server.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import { expectError, fine, open, saved, settled, stand, state, stroke } from "./lib.mjs";

let server;
let browser;
let page;
stand(
  { shot: "Tidewatch quay", query: "step=export", empty: true },
  (it) => ({ server, browser, page } = it),
);

// list opens the list of jobs of a page.
async function list(p) {
  await p.locator("#jobs-open").click();
  await p.locator("#jobs h2").waitFor();
}
const listed = (p, how) => p.locator(`#jobs .job[data-state="${how}"]`);
async function start(format = "png16") {
  await page.locator(`input[name="format"][value="${format}"]`).check();
  await page.locator("#export-go").click();
  await page.locator("#job [data-job]").waitFor();
}

test("an export is followed, cancelled, done again, taken and deleted from the list of another page", async () => {
  const shelf = await open(browser, server.url);
  await list(shelf);
  await shelf.getByText("No jobs").waitFor();
  await shelf.getByText("kept for 24 hours, up to 4 GB").waitFor();
  await start();
  await listed(shelf, "working").waitFor();
  assert.equal(await shelf.locator("#jobs-count").textContent(), "1");
  // What was chosen for it stays when the panel comes anew.
  await saved(page, () =>
    page.evaluate(async () =>
      (await import("/static/js/store.js")).commit([{ op: "replace", path: "/glow/level", value: 0.9 }]),
    ),
  );
  assert.ok(await page.locator('input[name="format"][value="png16"]').isChecked());
  await shelf.waitForFunction(() => document.querySelector("#jobs progress")?.value > 0);
  await shelf.locator('#jobs [data-job-do="cancel"]').click();
  await listed(shelf, "cancelled").waitFor();
  await page.locator('#job [data-state="cancelled"]').waitFor();
  assert.equal(await shelf.locator("#jobs-count").isVisible(), false);
  // Done again it goes on while the page that asked for it is left.
  await page.locator('#job [data-job-do="retry"]').click();
  await page.goto(server.url);
  await list(page);
  await listed(page, "done").waitFor({ timeout: 60_000 });
  const [file] = await Promise.all([
    shelf.waitForEvent("download"),
    shelf.locator("#jobs a", { hasText: "Download" }).click(),
  ]);
  const png = readFileSync(await file.path());
  assert.equal(png.toString("latin1", 1, 4), "PNG");
  assert.deepEqual([png.readUInt32BE(16), png.readUInt32BE(20), png[24]], [3000, 2000, 16]);
  await shelf.locator('#jobs [data-job-do="remove"]').click();
  await shelf.getByText("No jobs").waitFor();
  await page.waitForFunction(() => !document.querySelector("#jobs .job"));
  await shelf.keyboard.press("Tab");
  await shelf.locator("#jobs-close").focus();
  await shelf.keyboard.press("Escape");
  assert.equal(await shelf.locator("#jobs").isVisible(), false);
  assert.deepEqual(shelf.faults, []);
  await shelf.context().close();
});

test("an answer that is older than an event does not hide that an export is done", async () => {
  // The answer "working" comes after the event "done", and the answer "done" after that.
  let asked = 0;
  let second;
  const both = new Promise((go) => (second = go));
  await page.route("**/jobs/*?panel=1", async (route) => {
    const answer = await route.fetch();
    const n = ++asked;
    if (n === 1) await both;
    if (n === 2) {
      second();
      await new Promise((go) => setTimeout(go, 500));
    }
    await route.fulfill({ response: answer });
  });
  await list(page);
  await start("jpeg");
  await listed(page, "done").waitFor({ timeout: 30_000 });
  await page.locator("#download").waitFor();
  assert.ok(asked > 1);
  assert.equal(await page.locator("#job [data-job]").count(), 1);
});

test("Pyrant is killed during an export and a refinement: both go on under two windows", async () => {
  expectError(page, "offline");
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator('[data-hand="scribble"]').click();
  await saved(page, () =>
    stroke(page, [
      [1200, 500],
      [1300, 700],
    ]),
  );
  await page.locator('#rail [data-step="export"]').click();
  await page.locator("#export-form").waitFor();
  await start();
  await page.locator('#job [data-state="working"]').waitFor();
  const other = await open(browser, page.url());
  expectError(other, "offline");
  await other.locator('#job [data-state="working"]').waitFor();
  await server.restart();
  for (const p of [page, other]) await p.locator("#download").waitFor({ timeout: 90_000 });
  for (const p of [page, other]) await fine(p);
  assert.equal((await state(page)).version, (await state(other)).version);
  await settled(other);
  await other.context().close();
});
