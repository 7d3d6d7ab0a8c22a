// The glow bench by mouse: intensity and rounded cores, rigs, the gel's colour area, moves of
// stacks and of many gels, the falloff chart.
import assert from "node:assert/strict";
import { test } from "node:test";
import {
  drag,
  hue,
  lum,
  picture,
  pixel,
  place,
  rested,
  saved,
  settled,
  stand,
  state,
  visit,
} from "./lib.mjs";

let page;
stand({ shot: "Tidewatch quay", query: "step=glow&light=4", empty: true }, (it) => ({ page } = it));

const hexagon = async () => (await state(page)).lights[4];
const middle = async (selector) => {
  await page.locator(selector).scrollIntoViewIfNeeded();
  const b = await page.locator(selector).boundingBox();
  return { x: b.x + b.width / 2, y: b.y + b.height / 2, w: b.width, h: b.height };
};
// The hexagon's right side at half its height: its middle line, its rim, and the wall 40 px beside it.
const [side, rim, wall] = [2347, 2340, 2387];

test("intensity drives core and glow together, and the middle of a tube is whiter than its rim", async () => {
  const type = async (v) => {
    const field = page.locator("at=#f-lights-4-intensity");
    await saved(page, async () => {
      await field.fill(v);
      await field.press("Enter");
    });
  };
  await page.locator('[data-zoom="one"]').click();
  await page.evaluate(async () => (await import("/static/js/view.js")).lookAt(2351, 500));
  await settled(page);
  const at = async () => [
    await pixel(page, side, 500, 2),
    await pixel(page, rim, 500, 2),
    await pixel(page, wall, 500, 4),
  ];
  const was = await at();
  assert.ok(Math.min(...was[0]) > Math.min(...was[1]) + 8, `in the middle ${was[0]}, at the rim ${was[1]}`);
  await type("-2");
  const dim = await at();
  for (const i of [0, 1, 2])
    assert.ok(lum(dim[i]) < lum(was[i]) - 12, `two and more stops less: ${dim[i]}, before ${was[i]}`);
  await type("2");
  const bright = await at();
  assert.ok(lum(bright[2]) > lum(was[2]) + 12, `a stop more beside it: ${bright[2]}, before ${was[2]}`);
  assert.ok(
    Math.min(...bright[1]) > Math.min(...was[1]) + 10,
    `whiter at the rim: ${bright[1]}, before ${was[1]}`,
  );
});

test("a rig is seen when it is pointed at, and taken when it is pressed", async () => {
  const first = await hexagon();
  const was = await picture(page);
  const lens = page.getByRole("button", { name: "Lens glare" });
  await lens.hover();
  await rested(page);
  const seen = await picture(page);
  assert.notEqual(seen, was, "the rig does not show");
  assert.deepEqual((await hexagon()).shells, first.shells, "it was taken at once");
  await page.mouse.move(700, 300);
  await settled(page);
  assert.equal(await picture(page), was, "it stays when the pointer leaves");
  await saved(page, () => lens.click());
  await page.mouse.move(700, 300);
  await settled(page);
  assert.equal(await picture(page), seen, "taken it looks other than shown");
  assert.equal((await hexagon()).shells.length, 8);
  assert.equal(await lens.getAttribute("aria-pressed"), "true");
  await saved(page, () => page.locator("#undo").click());
  await settled(page);
  assert.equal(await picture(page), was);
});

test("a gel by the ring, the disc, a temperature, the photo and another light's", async () => {
  const box = await middle("#gel");
  const on = (deg, r) => ({
    x: box.x + (r * box.w * Math.cos((deg * Math.PI) / 180)) / 124,
    y: box.y + (r * box.h * Math.sin((deg * Math.PI) / 180)) / 124,
  });
  await saved(page, () => drag(page, on(328, 54), on(120, 54)));
  assert.ok(Math.abs((await hexagon()).gel.hue - 120) <= 1);
  const green = await pixel(page, wall, 500);
  assert.ok(Math.abs(hue(green) - 120) < 30, `beside a green light there is ${green}`);
  assert.equal(await page.locator("at=#f-lights-4-gel-hue").inputValue(), "120");
  // Half up on the disc, at its left end: grey.
  await saved(page, () => drag(page, { x: box.x, y: box.y }, { x: box.x - 0.4 * box.w, y: box.y }));
  assert.deepEqual((await hexagon()).gel, { hue: 120, saturation: 0, lightness: 0.5 });
  // The gel from before is among those used lately.
  await saved(page, () => page.locator("#recent-gels button").first().click());
  assert.ok((await hexagon()).gel.saturation > 0.5);
  const warm = await middle("#move-gels-kelvin");
  await saved(page, () => page.mouse.click(warm.x - 0.2 * warm.w, warm.y));
  const g = (await hexagon()).gel;
  assert.ok(g.hue > 15 && g.hue < 40 && g.saturation > 0.9, `a gel by temperature is ${JSON.stringify(g)}`);
  // The bricks are red.
  await page.locator("#pick-gel").click();
  const bricks = await place(page, 1950, 330);
  await saved(page, () => page.mouse.click(bricks.x, bricks.y));
  const red = (await hexagon()).gel;
  assert.ok(red.hue < 30 || red.hue > 340, `picked from bricks: ${JSON.stringify(red)}`);
  await saved(page, () => page.getByRole("button", { name: "Gel of Signal rod" }).click());
  const { lights } = await state(page);
  assert.deepEqual(lights[4].gel, lights[2].gel);
  // By keys: five degrees are one revision.
  const handle = page.locator('[data-gel-part="hue"]');
  await handle.focus();
  await saved(page, async () => {
    for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowRight");
  });
  assert.equal((await hexagon()).gel.hue, lights[2].gel.hue + 5);
});

test("all shells at once, and the gels of many lights, by sliders that go back to the middle", async () => {
  await page.locator('[data-fold="shells"][open]').waitFor();
  const first = (await hexagon()).shells;
  const spread = await middle("#move-stack-spread");
  await saved(page, () => drag(page, spread, { x: spread.x + 0.2 * spread.w, y: spread.y }));
  const then = (await hexagon()).shells;
  assert.equal(then[0].radius, first[0].radius);
  assert.ok(then[6].radius > 1.5 * first[6].radius, `${then[6].radius}, before ${first[6].radius}`);
  assert.equal(await page.locator("#move-stack-spread").inputValue(), "500");
  await page.getByText("Gels of several lights").click();
  const { lights } = await state(page);
  await page.locator(`[data-many="${lights[2].id}"]`).click(); // the rod stays as it is
  const turn = await middle("#move-gels-turn");
  await saved(page, () => drag(page, turn, { x: turn.x + 0.25 * turn.w, y: turn.y }));
  const turned = (await state(page)).lights;
  const by = turned[0].gel.hue - lights[0].gel.hue;
  assert.ok(by > 60 && by < 120, `turned by ${by}`);
  assert.equal(turned[2].gel.hue, lights[2].gel.hue);
  assert.ok(Math.abs(((turned[4].gel.hue - lights[4].gel.hue + 720) % 360) - by) < 0.01);
  await saved(page, () => page.getByRole("button", { name: "Apply this gel to all" }).click());
  const one = (await state(page)).lights;
  assert.deepEqual(one[0].gel, one[4].gel);
  assert.deepEqual(one[2].gel, lights[2].gel);
});

test("on the falloff chart shells are added, thrown off, and dragged several at once", async () => {
  const radii = async () => (await hexagon()).shells.map((s) => s.radius);
  const first = await radii();
  await page.locator("#falloff").scrollIntoViewIfNeeded();
  const chart = await page.locator("#falloff").boundingBox();
  const on = (x, y) => ({ x: chart.x + (x * chart.width) / 300, y: chart.y + (y * chart.height) / 150 });
  // Between the third shell and the fourth, in order.
  const [a, b] = [await middle('[data-shell-handle="2"]'), await middle('[data-shell-handle="3"]')];
  await saved(page, () => page.mouse.dblclick((a.x + b.x) / 2, on(0, 30).y));
  const added = await radii();
  assert.equal(added.length, first.length + 1);
  assert.ok(
    added[3] > first[2] && added[3] < first[3],
    `the new one has ${added[3]}, between ${first[2]} and ${first[3]}`,
  );
  const fresh = await middle('[data-shell-handle="3"]');
  await saved(page, () => drag(page, fresh, { x: fresh.x, y: chart.y - 60 }));
  assert.deepEqual(await radii(), first);
  // The one that was chosen last with two more, by the same ratios.
  const was = (await hexagon()).shells;
  for (const i of [5, 6]) {
    const h = await middle(`[data-shell-handle="${i}"]`);
    await page.keyboard.down("Shift");
    await page.mouse.click(h.x, h.y);
    await page.keyboard.up("Shift");
  }
  const h = await middle('[data-shell-handle="6"]');
  await saved(page, () => drag(page, h, { x: h.x - 20, y: h.y - 6 }));
  const now = (await hexagon()).shells;
  for (const what of ["radius", "strength"])
    for (const i of [3, 5])
      assert.ok(
        Math.abs(now[i][what] / was[i][what] / (now[6][what] / was[6][what]) - 1) < 0.06,
        `${what} of shell ${i + 1} went by ${now[i][what] / was[i][what]}, of the one in the hand by ${now[6][what] / was[6][what]}`,
      );
  assert.deepEqual(now[2], was[2]);
  // The pointer's distance, and a ring for a shell.
  const p = await place(page, 2447, 500);
  await page.mouse.move(p.x, p.y);
  const text = await page.locator("#falloff .at").textContent();
  assert.ok(
    Math.abs(parseFloat(text) - 93) < 3,
    `a hundred pixels beside the middle of a tube 14 wide: ${text}`,
  );
  assert.equal(await page.locator("#rings .ring").count(), 0);
  await page.locator('[data-shell-handle="4"]').hover();
  assert.equal(await page.locator("#rings .ring").count(), 1);
});

test("spill stays off what carries the light, drawn where it is asked for", async () => {
  const address = page.url().replace(/step=glow&light=\w+/, "step=spill&light=0");
  await visit(page, address);
  await settled(page);
  const at = async () => [await pixel(page, 1250, 850), await pixel(page, 1000, 1000)];
  const [plate, beside] = await at();
  await page.locator('details[data-fold="carrier"] > summary').click();
  await saved(page, () => page.locator('at=[data-area-of="/lights/0/spill/carrier"]').selectOption("+"));
  await page.locator('[data-hand="ellipse"]').click();
  const [p, q] = [await place(page, 1020, 480), await place(page, 1450, 900)];
  await saved(page, () => drag(page, p, q));
  const [off, still] = await at();
  assert.ok(off[1] < plate[1] - 5, `on the breastplate ${off}, before ${plate}`);
  assert.deepEqual(still, beside, "beside it");
  await page.locator('[data-close="area"]').click();
  const onto = page.locator("at=#f-lights-0-spill-onto");
  await onto.waitFor();
  await saved(page, async () => {
    await onto.fill("100");
    await onto.press("Enter");
  });
  assert.deepEqual((await at())[0], plate, "with all of it on what carries the light");
});

test("a shell by drag, by typing and by arrow keys is the same recipe; a move by arrow keys is one revision", async () => {
  const shells = async () => JSON.stringify((await hexagon()).shells);
  const handle = async () => middle('[data-shell-handle="4"]');
  const before = await shells();
  const h = await handle();
  await saved(page, () => drag(page, h, { x: h.x + 14, y: h.y - 9 }));
  const dragged = await shells();
  assert.notEqual(dragged, before);
  const { radius, strength } = (await hexagon()).shells[4];
  await saved(page, () => page.click("#undo"));
  assert.equal(await shells(), before);
  for (const [id, v] of [
    ["sr-4", String(radius)],
    ["ss-4", String(Number((100 * strength).toFixed(4)))],
  ]) {
    await page.fill(`#${id}`, v);
    await saved(page, () => page.press(`#${id}`, "Enter"));
  }
  assert.equal(await shells(), dragged);
  await saved(page, () => page.click("#undo"));
  await saved(page, () => page.click("#undo"));
  assert.equal(await shells(), before);
  // By keys: there and back, and what they reach is what typing it gives.
  await page.focus('[data-shell-handle="4"]');
  for (const k of ["ArrowRight", "ArrowRight", "ArrowUp"]) await saved(page, () => page.keyboard.press(k));
  const keyed = await shells();
  assert.notEqual(keyed, before);
  const by = (await hexagon()).shells[4];
  while ((await shells()) !== before) await saved(page, () => page.click("#undo"));
  await page.fill("#sr-4", String(by.radius));
  await saved(page, () => page.press("#sr-4", "Enter"));
  await page.fill("#ss-4", String(Number((100 * by.strength).toFixed(4))));
  await saved(page, () => page.press("#ss-4", "Enter"));
  assert.equal(await shells(), keyed);

  // The gel's ring keeps the focus as well.
  const { hue: turned } = (await hexagon()).gel;
  await page.focus('[data-gel-part="hue"]');
  for (let i = 0; i < 2; i++) await saved(page, () => page.keyboard.press("ArrowRight"));
  assert.equal((await hexagon()).gel.hue, turned + 2);

  await page.locator('details[data-fold="shells"][open]').waitFor();
  const { version } = await state(page);
  await page.focus("#move-stack-size");
  await saved(page, async () => {
    for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowRight");
  });
  assert.equal((await state(page)).version, version + 1);
  // Five steps of a fiftieth of six stops.
  const k = (await hexagon()).shells[2].radius / JSON.parse(keyed)[2].radius;
  assert.ok(Math.abs(Math.log2(k) - 0.6) < 0.02, `all radii by ${Math.log2(k)} stops`);
});
