// The first ten minutes: what a new user meets on photos of their own.
import assert from "node:assert/strict";
import { test } from "node:test";
import {
  card,
  drag,
  open,
  openCopy,
  openShot,
  openStep,
  picture,
  place,
  rested,
  roomless,
  saved,
  serve,
  settled,
  state,
  undo,
  upload,
} from "./lib.mjs";

let server;
let browser;
serve({ mode: "demo" }, (it) => ({ server, browser } = it));

// painted gives a PNG that a function paints on a canvas.
const painted = async (page, w, h, paint) =>
  Buffer.from(
    (
      await page.evaluate(
        ([width, height, body]) => {
          const c = Object.assign(document.createElement("canvas"), { width, height });
          // A function of this test.
          new Function("ctx", "w", "h", `(${body})(ctx, w, h)`)(c.getContext("2d"), width, height);
          return c.toDataURL("image/png");
        },
        [w, h, paint.toString()],
      )
    ).split(",")[1],
    "base64",
  );

// fresh opens a painted photo as a new shot, at a step.
async function fresh(paint, step, [w, h] = [1200, 800]) {
  const page = await open(browser, server.url, { bypassCSP: true });
  const buffer = await painted(page, w, h, paint);
  await upload(page, { name: "dunes.png", mimeType: "image/png", buffer });
  await page.waitForURL(/\/shots\/\w+/);
  await settled(page);
  await openStep(page, step);
  return page;
}
const even = (ctx, w, h) => {
  const g = ctx.createLinearGradient(0, 0, w, h);
  g.addColorStop(0, "#7d7468");
  g.addColorStop(1, "#958b7c");
  ctx.fillStyle = g;
  ctx.fillRect(0, 0, w, h);
};
const lamps = (ctx, w, h) => {
  ctx.fillStyle = "#6d7470";
  ctx.fillRect(0, 0, w, h);
  for (const [x, colour] of [
    [0.25, "#b81c14"],
    [0.5, "#d9741a"],
    [0.75, "#8d8f8e"],
  ]) {
    ctx.fillStyle = colour;
    ctx.beginPath();
    ctx.ellipse(x * w, h / 2, w * 0.07, h * 0.13, 0, 0, 7);
    ctx.fill();
  }
};

test("the plain photo shows at once, before the lit picture is ready", async () => {
  const page = await open(browser, server.url);
  await page.waitForFunction(() => [...document.images].every((i) => i.complete && i.naturalWidth));
  let go = () => {};
  const wait = new Promise((resolve) => (go = resolve));
  await page.context().route(/\/frame(\?|$)/, async (route) => {
    if (!route.request().url().includes("plain=1")) await wait;
    await route.continue();
  });
  await card(page, "Tidewatch quay").locator("a.pic").click();
  await page.locator("#stage").waitFor();
  await page.waitForFunction(async () => {
    const c = document.getElementById("picture");
    const d = c.getContext("2d").getImageData(c.width / 2, c.height / 2, 40, 40).data;
    return d.reduce((a, b) => a + b, 0) / d.length > 95; // the photo by day is not dark
  });
  const plain = await picture(page);
  go();
  await settled(page);
  assert.notEqual(await picture(page), plain, "the lit picture does not come");
});

test("a tube where the photo has no edges is 0.8 % of the long edge wide", async () => {
  const page = await fresh(even, "trace");
  await page.keyboard.press("t");
  const [a, b] = [await place(page, 300, 200), await place(page, 900, 600)];
  await page.mouse.click(a.x, a.y);
  await page.mouse.click(b.x, b.y);
  await saved(page, () => page.keyboard.press("Enter"));
  assert.equal((await state(page)).lights[0].shapes[0].width, 9.6);
});

test("a light takes the hue of what it is traced on, and is named by hue and kind", async () => {
  const page = await fresh(lamps, "trace");
  await page.locator('[data-hand="region"]').click();
  await page.waitForFunction(
    () => !document.getElementById("trace-hint").textContent.includes("Preparing photo"),
    null,
    { timeout: 60_000 },
  );
  for (const x of [300, 600, 900]) {
    const p = await place(page, x, 400);
    await page.mouse.move(p.x - 3, p.y);
    await page.mouse.move(p.x, p.y);
    await saved(page, () => page.mouse.click(p.x, p.y));
  }
  const { lights } = await state(page);
  const [red, orange, grey] = lights;
  assert.ok(red.gel.hue < 8 || red.gel.hue > 352, `the red lamp has the hue ${red.gel.hue}`);
  assert.ok(Math.abs(orange.gel.hue - 28) < 6, `the orange lamp has the hue ${orange.gel.hue}`);
  assert.ok(![0, 28].some((h) => Math.abs(grey.gel.hue - h) < 10), `the grey one has ${grey.gel.hue}`);
  assert.match(red.name, /^Red /);
  assert.match(orange.name, /^Orange /);
  assert.doesNotMatch(grey.name, /^Light \d/);
});

test("a first room keeps the mean of spill, starts feet at lower ends, and is undone whole", async () => {
  const page = await openCopy({ browser, server }, "Tidewatch quay", "step=spill&light=2", (shot) => [
    ...roomless(shot),
    { op: "replace", path: "/lights/2/shapes/0/feet", value: [] },
  ]);
  // mean gives the mean brightness of the visible photo.
  const mean = () =>
    page.evaluate(() => {
      const c = document.getElementById("picture");
      const d = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
      return d.reduce((sum, v, i) => (i % 4 < 3 ? sum + v : sum), 0) / d.length;
    });
  const before = await picture(page);
  const was = await mean();
  await page.locator('[data-hand="wall"]').click();
  const [a, b] = [await place(page, 100, 1130), await place(page, 2900, 1130)];
  await saved(page, () => drag(page, a, b));
  await rested(page);
  await page.waitForFunction(async () => (await import("/static/js/room.js")).room.now?.points.length);
  const { room } = await state(page);
  const foot = await page.evaluate(async () => {
    const { room: drawn } = await import("/static/js/room.js");
    return drawn.now.points.find((k) => k.name === "Foot of Signal rod").at;
  });
  assert.ok(Math.hypot(foot[0] - 1392, foot[1] - 1255) < 25, `the rod's foot is at ${foot}`);
  assert.ok(room.on);
  const gain = Number(await page.locator("#f-room-gain").inputValue());
  assert.ok(gain > 0 && gain !== 1, `its gain is ${gain}`);
  const now = await mean();
  assert.ok(Math.abs(now / was - 1) < 0.15, `the picture's mean was ${was} and is ${now}`);
  await undo(page);
  await rested(page);
  assert.equal((await state(page)).room.on, false);
  assert.equal(await picture(page), before);
});

test("a brush is as large a part of another photo, and its size shows before the first stroke", async () => {
  const page = await open(browser, server.url);
  await openShot(page, "Tidewatch quay");
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator('[data-hand="scribble"]').waitFor();
  await page.keyboard.press("d");
  const field = page.locator('.pf[data-path="local:scribble-diameter"] input.form-control');
  await field.fill("240");
  await field.press("Enter");
  const small = await page.context().newPage();
  await small.goto(server.url);
  const buffer = await painted(await open(browser, server.url, { bypassCSP: true }), 600, 400, even);
  await small.setInputFiles("#photo", { name: "small.png", mimeType: "image/png", buffer });
  await small.waitForURL(/\/shots\/\w+/);
  await settled(small);
  await small.locator('#rail [data-step="trace"]').click();
  await small.locator('[data-hand="scribble"]').waitFor();
  await small.keyboard.press("d");
  const shown = small.locator('.pf[data-path="local:scribble-diameter"] input.form-control');
  await shown.waitFor();
  assert.equal(Number(await shown.inputValue()), 48); // 240 of 3000 is 48 of 600
});

test("a drag over the board selects no text", async () => {
  const page = await open(browser, server.url);
  await openShot(page, "Tidewatch quay");
  const b = await page.locator("#board .masters").boundingBox();
  await drag(page, { x: b.x + 40, y: b.y + 20 }, { x: b.x + b.width - 20, y: b.y + 90 });
  assert.equal(await page.evaluate(() => String(getSelection())), "");
});
