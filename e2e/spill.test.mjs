// Spill without a room, by mouse: how high a light hovers, and the tint of the photo's daylight, which a white light
// is not to take on.
import assert from "node:assert/strict";
import { test } from "node:test";
import { drag, pixel, place, rested, saved, stand, state, undo, unlike, expectError } from "./lib.mjs";

let page;
stand({ shot: "Tidewatch dunes", query: "step=spill&light=0" }, (it) => ({ page } = it));

const sand = [1380, 1270]; // before the arch
const tint = async () => ({
  red: Number(await page.locator("#f-spill-red").inputValue()),
  blue: Number(await page.locator("#f-spill-blue").inputValue()),
});

const lit = () => pixel(page, ...sand, 10);
const warmth = ([r, , b]) => r / b;

test("the tint of the daylight is picked, estimated and taken back, and white spill is white", async () => {
  await saved(page, () =>
    page.evaluate(async () => {
      const { commit, set } = await import("/static/js/store.js");
      await commit([set("/lights/0/gel", { hue: 0, saturation: 0, lightness: 1 })]);
    }),
  );
  const before = await lit();
  await page.locator('details[data-fold="daylight-tint"] > summary').click();
  // A place of the boardwalk that is grey, in the evening's light.
  await page.locator("#pick-grey").click();
  assert.equal(await page.locator("#pick-grey").getAttribute("aria-pressed"), "true");
  await page.keyboard.press("Escape");
  assert.equal(await page.locator("#pick-grey").getAttribute("aria-pressed"), "false");
  await page.locator("#pick-grey").click();
  const at = await place(page, 700, 1500);
  await saved(page, () => page.mouse.click(at.x, at.y));
  const picked = await tint();
  assert.ok(picked.red > 0.1 && picked.blue < -0.1, `the evening is not warm: ${JSON.stringify(picked)}`);
  const whiter = await lit();
  assert.ok(warmth(whiter) < warmth(before) - 0.02, `the sand was ${before}, now it is ${whiter}`);
  assert.equal(await unlike(page), 0);
  await undo(page);
  assert.deepEqual(await lit(), before);
  await saved(page, () => page.locator("#estimate-daylight").click());
  const { red, blue } = await tint();
  assert.ok(red > 0.05 && blue < -0.05, `estimated is ${red}, ${blue}`);
  assert.match(await page.locator('details[data-fold="daylight-tint"] small').textContent(), /stops/);
  await saved(page, () => page.locator("#no-tint").click());
  assert.deepEqual(await lit(), before);
});

test("a light that hovers higher is softer beside it, and a longer reach leaves what is near", async () => {
  const near = [1300, 1130];
  const before = await pixel(page, ...near, 8);
  const sum = (p) => p[0] + p[1] + p[2];
  const slider = async (name, by) => {
    const b = await page.locator(`at=#f-lights-0-spill-${name}-slider`).boundingBox();
    const value = Number(await page.locator(`at=#f-lights-0-spill-${name}-slider`).inputValue());
    const x = b.x + (b.width * value) / 1000;
    await saved(page, () => drag(page, { x, y: b.y + b.height / 2 }, { x: x + by, y: b.y + b.height / 2 }));
  };
  const was = (await state(page)).lights[0].spill;
  await slider("height", 40);
  const high = (await state(page)).lights[0].spill;
  assert.ok(high.height > 1.3 * was.height, `the height is ${high.height}, it was ${was.height}`);
  const softer = await pixel(page, ...near, 8);
  assert.ok(sum(softer) < sum(before) - 3, `beside the light it was ${before}, now ${softer}`);
  await undo(page);
  await slider("reach", 30);
  const far = (await state(page)).lights[0].spill;
  assert.ok(far.reach > 1.2 * was.reach && far.height === was.height);
  const longer = await pixel(page, ...near, 8);
  assert.ok(Math.abs(sum(longer) - sum(before)) < 0.06 * sum(before), `near it was ${before}, now ${longer}`);
  assert.equal(await unlike(page), 0);
});

test("a colour ramp makes spill paler in highlights and turns it in shadows, by mouse, key and field", async () => {
  const bright = [1420, 990]; // sand in the arch's light
  const dark = [1450, 1050]; // grass beside it
  const chroma = ([r, g, b]) => (Math.max(r, g, b) - Math.min(r, g, b)) / Math.max(r, g, b);
  const before = [await pixel(page, ...bright, 8), await pixel(page, ...dark, 8)];
  await page.locator('details[data-fold="colour-ramp"] > summary').click();
  assert.equal(await page.locator('[data-ramp-end="middle"]').count(), 0); // nothing to tell apart yet
  const handle = async (end) => {
    const h = page.locator(`[data-ramp-end="${end}"]`);
    await page.locator("[data-ramp]").scrollIntoViewIfNeeded();
    // The chart is drawn anew when the histogram comes: a handle that is gone by then has no place.
    let b = null;
    while (!b) b = await h.boundingBox();
    return { x: b.x + b.width / 2, y: b.y + b.height / 2 };
  };
  const ramp = async () => (await state(page)).lights[0].spill.ramp;
  const from = await handle("bright");
  await saved(page, () => drag(page, from, { x: from.x, y: from.y - 55 }));
  const white = (await ramp()).bright.white;
  assert.ok(white > 0.6 && white < 1, `the highlights are ${white} white`);
  const mid = await handle("middle");
  await saved(page, () => drag(page, mid, { x: mid.x - 60, y: mid.y }));
  assert.ok((await ramp()).middle < 0.25);
  const pale = [await pixel(page, ...bright, 8), await pixel(page, ...dark, 8)];
  assert.ok(chroma(pale[0]) < chroma(before[0]) - 0.01, `the sand was ${before[0]}, now it is ${pale[0]}`);
  const moved = (a, b) => Math.max(...a.map((v, i) => Math.abs(v - b[i])));
  assert.ok(
    moved(pale[1], before[1]) < moved(pale[0], before[0]) / 2,
    `the grass was ${before[1]}, now ${pale[1]}`,
  );
  await saved(page, async () => {
    await page.locator('[data-ramp-end="dark"]').focus();
    for (let i = 0; i < 3; i++) await page.keyboard.press("ArrowUp");
  });
  assert.equal((await ramp()).dark.white, 0.03);
  await saved(page, async () => {
    const hue = page.locator("at=#f-lights-0-spill-ramp-dark-hue");
    await hue.fill("-40");
    await hue.press("Enter");
  });
  assert.equal((await ramp()).dark.hue, -40);
  assert.equal(await unlike(page), 0);
  for (let i = 0; i < 4; i++) await undo(page);
  assert.deepEqual(await pixel(page, ...bright, 8), before[0]);
});

test("a pool of light on the ground is there at once, moved and squeezed by its ring", async () => {
  const sum = (p) => p[0] + p[1] + p[2];
  const ring = async () => {
    const { lights, areas } = await state(page);
    return areas.find((a) => a.id === lights[0].spill.touches[0].area).parts[0].of;
  };
  await page.locator('details[data-fold="touches"] > summary').click();
  const walk = [1500, 1700]; // the boardwalk, below where the pool comes to lie
  const before = await pixel(page, ...walk, 10);
  await saved(page, () => page.locator('[data-touch="pool"]').click());
  const first = await ring();
  const spot = [first.x, first.y];
  const pooled = await pixel(page, ...spot, 10);
  await saved(page, async () => drag(page, await place(page, ...spot), await place(page, ...walk)));
  const there = await ring();
  assert.ok(Math.abs(there.x - walk[0]) < 12 && Math.abs(there.y - walk[1]) < 12, JSON.stringify(there));
  assert.equal(there.width, first.width);
  assert.ok(sum(await pixel(page, ...walk, 10)) > sum(before) + 10);
  assert.ok(sum(await pixel(page, ...spot, 10)) < sum(pooled) - 10);
  await saved(page, async () =>
    drag(
      page,
      await place(page, there.x, there.y + there.height / 2),
      await place(page, there.x, there.y + there.height / 4),
    ),
  );
  const flat = await ring();
  assert.ok(
    Math.abs(flat.height - there.height / 2) < 20,
    `its height is ${flat.height}, it was ${there.height}`,
  );
  assert.equal(await unlike(page), 0);
  for (let i = 0; i < 3; i++) await undo(page);
  assert.deepEqual(await pixel(page, ...walk, 10), before);
});

test("on the dunes a room is a floor alone, by one line: the arch lights the rise that it stands on", async () => {
  expectError(page, 422);
  const rise = [1480, 900]; // grass before the arch
  const sky = [1100, 400];
  const sum = (p) => p[0] + p[1] + p[2];
  const before = [await pixel(page, ...rise, 16), await pixel(page, ...sky, 16)];
  // Hills have no lines that tell.
  await page.locator("#find-room").click();
  await page.locator("#notice").waitFor();
  assert.match(await page.locator("#notice").textContent(), /too few straight lines/);
  assert.ok(!(await state(page)).room.on);
  await page.locator('#hands [data-hand="horizon"]').click();
  // Above the true horizon, as the ground rises to where the arch stands.
  await saved(page, async () => drag(page, await place(page, 400, 762), await place(page, 2700, 758)));
  const { room } = await state(page);
  assert.ok(room.on && room.walls?.length !== 1);
  assert.equal(await page.locator("#room-parts .room-part").count(), 0);
  assert.equal(await page.locator('#hands [data-hand="stands"]').getAttribute("aria-pressed"), "true");
  await saved(page, async () => {
    const strength = page.locator("at=#f-lights-0-spill-strength");
    await strength.fill("1500");
    await strength.press("Enter");
  });
  await rested(page);
  const after = [await pixel(page, ...rise, 16), await pixel(page, ...sky, 16)];
  assert.ok(sum(after[0]) > sum(before[0]) + 6, `the rise was ${before[0]}, now it is ${after[0]}`);
  assert.ok(sum(after[1]) < sum(before[1]) + 2, `the sky was ${before[1]}, now it is ${after[1]}`);
  assert.equal(await unlike(page), 0);
  await undo(page);
  await undo(page);
  assert.deepEqual(await pixel(page, ...rise, 16), before[0]);
});
