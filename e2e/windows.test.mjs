// Several windows on one shot, of one browser and of two: each follows what the others save and keeps what is its own;
// edits from all sides go where they were meant for.
import assert from "node:assert/strict";
import { test } from "node:test";
import { editsBy, sameAsCommandLine } from "./edits.mjs";
import {
  blank,
  drag,
  expectError,
  open,
  picture,
  place,
  saved,
  settled,
  shotVersion,
  stand,
  state,
  visit,
} from "./lib.mjs";

let server;
let browser;
let page;
stand(
  { shot: "Tidewatch quay", query: "step=glow&light=4", empty: true },
  (it) => ({ server, browser, page } = it),
);

const address = () => server.url + new URL(page.url()).pathname;
const change = (p, ops) =>
  p.evaluate(async (list) => (await import("/static/js/store.js")).commit(list), ops);
const hueTo = (value) => [{ op: "replace", path: "/lights/4/gel/hue", value }];
const hueOf = async (p) => (await state(p)).lights[4].gel.hue;

// follows waits until a page shows what another one saved.
async function follows(p, version) {
  await p.waitForFunction(
    (v) => JSON.parse(document.getElementById("shot-state").dataset.state).version >= v,
    version,
  );
  await settled(p);
}

// withoutFirst opens the shot in another browser, whose first worker of a kind does not load.
async function withoutFirst(kind) {
  const other = await blank(browser);
  expectError(other, 404);
  await other.addInitScript((name) => {
    const Worker = window[name];
    let tries = 0;
    window[name] = function (url, options) {
      return new Worker(tries++ ? url : "/static/js/missing.js", options);
    };
  }, kind);
  await visit(other, `${address()}?step=glow&light=4`);
  await settled(other);
  return other;
}

test("a page whose event worker did not load at first follows all the same", async () => {
  const other = await withoutFirst("SharedWorker");
  await saved(page, () => change(page, hueTo(31)));
  await follows(other, await shotVersion(page));
  assert.equal(await hueOf(other), 31);
  await other.context().close();
});

test("another browser follows, and keeps its own zoom, step and tool", async () => {
  const other = await open(browser, `${address()}?step=trace&light=2`);
  await settled(other);
  await other.keyboard.press("1");
  await other.locator('[data-hand="tube"]').click();
  await settled(other);
  const corner = await place(other, 0, 0);
  const was = await picture(other);
  await saved(page, () => change(page, hueTo(33)));
  await follows(other, await shotVersion(page));
  assert.equal(await hueOf(other), 33);
  assert.deepEqual(await place(other, 0, 0), corner);
  assert.equal((await state(other)).step, "trace");
  assert.equal(await other.locator('[data-hand="tube"]').getAttribute("aria-pressed"), "true");
  // The light is seen from where the page looks, or not: its picture is that of the saved version.
  await other.keyboard.press("f");
  await page.keyboard.press("f");
  await settled(other);
  assert.notEqual(await picture(other), was);
  assert.equal(await picture(other), await picture(page));
  assert.deepEqual(other.faults, []);
  await other.context().close();
});

test("a value in the hand stays there while another browser saves, and both are kept", async () => {
  const other = await open(browser, `${address()}?step=glow&light=4`);
  await settled(other);
  const fader = await other.locator("at=#channel-4 .fader").boundingBox();
  const x = fader.x + fader.width / 2;
  await other.mouse.move(x, fader.y + 0.3 * fader.height);
  await other.mouse.down();
  await other.mouse.move(x, fader.y + 0.6 * fader.height, { steps: 4 });
  const held = await other.locator("at=#channel-4 .fader").inputValue();
  await saved(page, () => change(page, hueTo(66)));
  const version = await shotVersion(page);
  await other.waitForTimeout(400); // longer than an event takes
  assert.equal(await other.locator("at=#channel-4 .fader").inputValue(), held);
  await saved(other, () => other.mouse.up());
  await follows(other, version + 1);
  await follows(page, version + 1);
  for (const p of [page, other]) {
    const l = (await state(p)).lights[4];
    assert.equal(l.gel.hue, 66);
    assert.ok(l.level < 1, `the fader is at ${l.level}`);
  }
  assert.equal(await picture(page), await picture(other));
  await other.context().close();
});

test("twelve tabs of one browser all follow, on one connection", async () => {
  const tabs = [];
  for (let i = 0; i < 11; i++) {
    const tab = await page.context().newPage();
    await tab.goto(`${address()}?step=glow`);
    tabs.push(tab);
  }
  for (const tab of tabs) await settled(tab);
  await saved(page, () => change(page, hueTo(99)));
  const version = await shotVersion(page);
  for (const tab of tabs) await follows(tab, version);
  const seen = await picture(page);
  for (const tab of tabs) assert.equal(await picture(tab), seen);
  // Each goes on with its own work.
  const last = tabs.at(-1);
  await last.bringToFront();
  const fader = last.locator("at=#channel-4 .fader");
  const b = await fader.boundingBox();
  const at = (y) => ({ x: b.x + b.width / 2, y: b.y + y * b.height });
  await saved(last, () => drag(last, at(0.3), at(0.8)));
  await follows(page, version + 1);
  assert.equal(await picture(page), await picture(last));
});

test("when Pyrant was killed two windows come back by themselves, and show what others saved", async () => {
  expectError(page, "offline");
  const other = await open(browser, `${address()}?step=glow&light=4`);
  expectError(other, "offline");
  await settled(other);
  await server.restart();
  await saved(other, () => change(other, hueTo(121)));
  await follows(page, await shotVersion(other));
  assert.equal(await hueOf(page), 121);
  assert.equal(await picture(page), await picture(other));
  await other.context().close();
});

test("a page whose worker for frames did not load at first shows the picture all the same", async () => {
  const other = await withoutFirst("Worker");
  assert.equal(await picture(other), await picture(page));
  await other.context().close();
});

test("a picture that was asked for while Pyrant was down comes by itself once it is back", async () => {
  expectError(page, "offline");
  const host = new URL(server.url).host;
  await server.stop("SIGKILL");
  await page.keyboard.press("+");
  await page.locator("#notice").getByText("Pyrant does not answer").waitFor();
  await server.start(host);
  await settled(page);
  assert.equal(await page.locator("#notice").isVisible(), false);
});

test("a picture whose connection broke is asked for again", async () => {
  expectError(page, "Failed to load");
  await page.route("**/frame?*", (route) => route.abort(), { times: 1 });
  await page.keyboard.press("+");
  await page.locator("#notice").getByText("Pyrant does not answer").waitFor();
  await settled(page);
  assert.equal(await page.locator("#notice").isVisible(), false);
});

test("many edits from two browsers: none is misdirected, none lost, both end with the same picture", async () => {
  const other = await open(browser, `${address()}?step=glow&light=4`);
  await settled(other);
  expectError(page, 404, 409);
  expectError(other, 404, 409);
  const told = await editsBy([page, other], 20, 20261202);
  assert.ok(told.saved > 30, `only ${told.saved} of 40 were saved`);
  assert.equal(told.saved + told.refused.length, 40, "an edit was not answered");
  assert.deepEqual(told.wrong, []);
  assert.equal(await picture(page), await picture(other));
  assert.equal(await sameAsCommandLine(page, address()), true);
  await other.context().close();
});

test("the shelf of another browser shows names, shots and thumbnails as they become", async () => {
  const shelf = await open(browser, server.url);
  const { id } = await state(page);
  const card = shelf.locator(`#shot-${id}`);
  // brightness gives the mean of the card's picture, once it is there.
  const brightness = () =>
    card.locator("img").evaluate(async (img) => {
      await img.decode();
      const c = new OffscreenCanvas(8, 8).getContext("2d");
      c.drawImage(img, 0, 0, 8, 8);
      return c.getImageData(0, 0, 8, 8).data.reduce((a, b) => a + b, 0);
    });
  const was = await brightness();
  await saved(page, () => change(page, [{ op: "replace", path: "/dusk/daylight", value: -6 }]));
  const version = await shotVersion(page);
  await shelf.waitForFunction(
    ([shot, v]) => document.querySelector(`#shot-${shot} img`).src.endsWith(`v=${v}`),
    [id, version],
  );
  assert.ok((await brightness()) < was - 500, "its thumbnail is not darker");
  const other = await open(browser, server.url);
  await other.locator(`#shot-${id} input.name`).fill("Quay in the dark");
  await other.keyboard.press("Enter");
  await shelf.locator('input[value="Quay in the dark"]').waitFor();
  await other.locator(`#shot-${id}`).getByRole("button", { name: "Hide" }).click();
  await card.waitFor({ state: "detached" });
  assert.deepEqual([...shelf.faults, ...other.faults], []);
  for (const p of [shelf, other]) await p.context().close();
});
