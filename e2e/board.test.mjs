// The board and what of Glow goes beyond one traced light: several lights together, groups, order, parts, orbs, streaks,
// trims, rigs of one's own, and lights copied into another shot. By mouse, and with a look at the pixels.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import {
  copyOf,
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
  stroke,
  expectError,
  visit,
} from "./lib.mjs";

let server;
let page;
stand({ shot: "Tidewatch quay", query: "step=glow&light=4", empty: true }, (it) => ({ server, page } = it));

const light = async (i) => (await state(page)).lights[i];
const names = () => page.$$eval("[data-carry]", (all) => all.map((el) => el.textContent));
const name = (i) => page.locator(`[data-carry="${i}"]`);
// On the photo: the middle of the hexagon's right side, of a panel, of the lamp's globe.
const side = [2347, 500];
const lamp = [460, 945];
const panel = [1255, 640];
// across drags the hand over the photo.
async function across(hand, from, to) {
  await page.locator(`[data-hand="${hand}"]`).scrollIntoViewIfNeeded();
  await page.click(`[data-hand="${hand}"]`);
  await drag(page, await place(page, ...from), await place(page, ...to));
}
const fold = async (what) => {
  const d = page.locator(`details[data-fold="${what}"]`);
  if (!(await d.evaluate((el) => el.open))) await d.locator("summary").click();
};

test("lights chosen together change together, take a group with a fader, fold and are put in order", async () => {
  const before = { side: lum(await pixel(page, ...side)), lamp: lum(await pixel(page, ...lamp)) };
  await name(3).click({ modifiers: ["Shift"] });
  assert.equal(await page.locator(".channel.also").count(), 1);
  // A fader takes the others along by the same factor, others stay.
  const was = (await state(page)).lights.map((l) => l.level);
  const fader = page.locator("at=#channel-4 .fader");
  const b = await fader.boundingBox();
  const at = { x: b.x + b.width / 2, y: b.y + b.height * (1 - was[4] / 2) };
  await saved(page, () => drag(page, at, { x: at.x, y: b.y + b.height - 14 }));
  const now = (await state(page)).lights.map((l) => l.level);
  assert.ok(now[4] < 0.5 * was[4], `the fader went from ${was[4]} to ${now[4]}`);
  assert.ok(Math.abs(now[3] / was[3] - now[4] / was[4]) < 0.02, `of ${was} there is ${now}`);
  assert.deepEqual(
    now.filter((_, i) => i < 3 || i > 4),
    was.filter((_, i) => i < 3 || i > 4),
  );
  assert.ok(lum(await pixel(page, ...lamp)) < before.lamp - 3);
  await saved(page, () => page.click("#undo"));
  // The gel goes to all that are chosen.
  await page.locator("at=#f-lights-4-gel-hue").fill("130");
  await saved(page, () => page.locator("at=#f-lights-4-gel-hue").press("Enter"));
  assert.deepEqual(
    [(await light(3)).gel.hue, (await light(4)).gel.hue, (await light(2)).gel.hue === 130],
    [130, 130, false],
  );
  await saved(page, () => page.click("#undo"));

  await saved(page, () => page.click("#group-chosen"));
  let s = await state(page);
  assert.equal(s.groups.length, 1);
  assert.deepEqual(
    s.lights.map((l) => Boolean(l.group)),
    [false, false, false, true, true, false],
  );
  const lit = { side: lum(await pixel(page, ...side)), lamp: lum(await pixel(page, ...lamp)) };
  assert.ok(Math.abs(lit.side - before.side) < 1, "a new group changes nothing");
  // Its fader, down: both get darker.
  const g = await page.locator(".channel.group .fader").boundingBox();
  const half = { x: g.x + g.width / 2, y: g.y + g.height / 2 };
  await saved(page, () => drag(page, half, { x: half.x, y: g.y + g.height - 3 }));
  assert.ok((await state(page)).groups[0].level < 0.15);
  assert.ok(
    lum(await pixel(page, ...side)) < lit.side - 10 && lum(await pixel(page, ...lamp)) < lit.lamp - 10,
  );
  await saved(page, () => page.click("#undo"));
  // Folded its lights are out of sight, and stay so when the page is loaded again.
  await page.click("[data-fold-group]");
  assert.deepEqual(
    [await name(3).isVisible(), await name(4).isVisible(), await name(5).isVisible()],
    [false, false, true],
  );
  await page.reload();
  await settled(page);
  assert.equal(await name(3).isVisible(), false);
  await page.click("[data-fold-group]");
  assert.equal(await name(3).isVisible(), true);

  // By drag of its name the float string goes to the front; by Alt and the arrows it goes on.
  const from = await name(5).boundingBox();
  const to = await page.locator("at=#channel-0").boundingBox();
  await saved(page, () => drag(page, { x: from.x + 20, y: from.y + 8 }, { x: to.x + 10, y: from.y + 8 }));
  assert.deepEqual((await names())[0], "Float string");
  await saved(page, async () => {
    await name(0).focus();
    await page.keyboard.press("Alt+ArrowRight");
  });
  assert.deepEqual((await names()).slice(0, 2), ["Breastplate panels", "Float string"]);
  await saved(page, () => page.click("[data-ungroup]"));
  s = await state(page);
  assert.equal(s.groups.length, 0);
  assert.ok(s.lights.every((l) => !l.group));
});

test("while its name is held the picture is without a light, and without a part while that is held", async () => {
  const whole = await picture(page);
  const dark = async (what, at) => {
    const b = await what.boundingBox();
    await page.mouse.move(b.x + b.width / 2, b.y + b.height / 2);
    const lit = lum(await pixel(page, ...at));
    await page.mouse.down();
    await page.waitForTimeout(350);
    await rested(page);
    const without = lum(await pixel(page, ...at));
    assert.notEqual(await picture(page), whole, "the picture is as it was");
    await page.mouse.up();
    await settled(page);
    assert.equal(await picture(page), whole);
    return lit - without;
  };
  assert.ok((await dark(name(4), side)) > 60, "without the hexagon its side is dark");
  // Its core: the wall beside it keeps the glow.
  const core = page.locator('at=[data-check="/lights/4/core/on"]');
  assert.ok((await dark(core, side)) > 0);
  const glow = page.locator('at=[data-check="/lights/4/glow"]');
  assert.ok((await dark(glow, [2387, 500])) > 10, "without glow the wall beside it is darker");
  // Switched, not held: it stays, and is undone.
  await saved(page, () => page.locator('at=[data-check="/lights/4/spill/on"]').click());
  assert.equal((await light(4)).spill.on, false);
  assert.notEqual(await picture(page), whole);
  await saved(page, () => page.click("#undo"));
  assert.equal(await picture(page), whole);
});

test("an orb, half outside of the frame, is moved, sized and turned to another joining; a veil lifts what is round it", async () => {
  const before = lum(await pixel(page, 120, 560, 10));
  await saved(page, () => across("orb", [30, 560], [330, 700]));
  const s = await state(page);
  assert.equal(s.light, 6);
  let orb = s.lights[6];
  assert.equal(orb.name, "Orb");
  assert.ok(Math.abs(orb.shapes[0].x - 30) < 4 && orb.shells.length === 6, JSON.stringify(orb.shapes));
  assert.ok(lum(await pixel(page, 30, 560, 4)) > before + 80, "its middle is bright");
  assert.ok(lum(await pixel(page, 120, 560, 10)) > before + 8, "and what is round it is lifted");
  // Moved by its middle into the wall.
  const moved = await place(page, 30, 560);
  await saved(page, async () => drag(page, moved, await place(page, 330, 460)));
  orb = await light(6);
  assert.ok(
    Math.abs(orb.shapes[0].x - 330) < 5 && Math.abs(orb.shapes[0].y - 460) < 5,
    JSON.stringify(orb.shapes),
  );
  assert.ok(lum(await pixel(page, 330, 460, 4)) > 150);
  // Sized by its ring: all its radii grow alike.
  const r = Math.max(...orb.shells.map((h) => h.radius));
  const k = Math.SQRT1_2;
  const ring = await place(page, 330 + r * k, 460 - r * k);
  await saved(page, async () => drag(page, ring, await place(page, 330 + 1.6 * r * k, 460 - 1.6 * r * k)));
  const big = await light(6);
  big.shells.forEach((h, i) =>
    assert.ok(Math.abs(h.radius / orb.shells[i].radius - 1.6) < 0.05, `shell ${i}`),
  );
  assert.ok(Math.abs(big.shapes[0].width / orb.shapes[0].width - 1.6) < 0.05);
  assert.ok(Math.abs(big.shapes[0].x - 330) < 5);
  const added = await picture(page);
  await fold("shells");
  await saved(page, () => page.selectOption("#all-join", "screen"));
  assert.ok((await light(6)).shells.every((h) => h.join === "screen"));
  assert.notEqual(await picture(page), added);
  // A veil: wide and soft, without a core.
  const wall = lum(await pixel(page, 1900, 300, 10));
  await saved(page, () => across("veil", [1900, 300], [2700, 300]));
  const veil = await light(7);
  assert.deepEqual([veil.name, veil.core.on, veil.spill.on], ["Veil", false, false]);
  const lift = lum(await pixel(page, 1900, 300, 10)) - wall;
  assert.ok(lift > 5 && lift < 80, `it lifts its middle by ${lift}`);
});

test("a streak is drawn on the photo and dragged by its end", async () => {
  await visit(page, page.url().replace(/light=\w+/, "light=1"));
  await settled(page);
  const beside = lum(await pixel(page, 1430, 180, 6));
  await fold("streak");
  await saved(page, () => across("streak", [1235, 275], [1535, 125]));
  let { streak } = await light(1);
  assert.ok(Math.abs(streak.length - 335) < 6 && Math.abs(streak.angle - 26.6) < 1.5, JSON.stringify(streak));
  assert.ok(lum(await pixel(page, 1430, 180, 6)) > beside + 40, "it shines where there was wall");
  const end = await page.locator('[data-held="end"]').boundingBox();
  const at = { x: end.x + end.width / 2, y: end.y + end.height / 2 };
  const to = await place(page, 1235, 60);
  await saved(page, () => drag(page, at, to));
  ({ streak } = await light(1));
  assert.ok(Math.abs(streak.angle - 90) < 6 && streak.length < 260, JSON.stringify(streak));
  assert.ok(lum(await pixel(page, 1430, 180, 6)) < beside + 40);
  await saved(page, () => page.selectOption('at=[data-select="/lights/1/streak/sides"]', "both"));
  assert.equal((await light(1)).streak.sides, "both");
});

test("a trim painted over a light takes core and glow away there, and one of a shell that shell alone", async () => {
  const whole = [lum(await pixel(page, ...side)), lum(await pixel(page, 2010, 500))];
  await fold("trim");
  await saved(page, () => page.selectOption('at=[data-area-of="/lights/4/trim/area"]', "+"));
  await page.locator('[data-hand="brush"]').click();
  await saved(page, () =>
    stroke(page, [
      [2347, 380],
      [2347, 640],
    ]),
  );
  const trimmed = [lum(await pixel(page, ...side)), lum(await pixel(page, 2010, 500))];
  assert.ok(trimmed[0] < whole[0] - 60, `the right side: ${whole[0]} became ${trimmed[0]}`);
  assert.ok(Math.abs(trimmed[1] - whole[1]) < 3, "the left side stays");
  await page.locator('[data-close="area"]').click();
  await settled(page);
  // By half.
  const by = page.locator("at=#f-lights-4-trim-amount");
  await by.fill("50");
  await saved(page, () => by.press("Enter"));
  const half = lum(await pixel(page, ...side));
  assert.ok(half > trimmed[0] + 15 && half < whole[0], `by half: ${half}`);
  const { id } = (await state(page)).areas.at(-1);
  await saved(page, () => page.selectOption('at=[data-area-of="/lights/4/trim/area"]', ""));
  assert.ok(Math.abs(lum(await pixel(page, ...side)) - whole[0]) < 2);
  await page.locator('[data-shell-pick="4"]').first().click();
  const wall = lum(await pixel(page, 2400, 500));
  await saved(page, () => page.selectOption('at=[data-area-of="/lights/4/shells/4/trim/area"]', id));
  assert.ok(lum(await pixel(page, 2400, 500)) < wall - 2, "without that shell the wall is darker");
  // What trims is not removed.
  await saved(page, () => page.click("#undo"));
});

test("a rig is saved, shown when pointed at, renamed, written to a file, deleted and read again", async () => {
  expectError(page, 422);
  await fold("light");
  await page.click('[data-action="save-rig"]');
  const own = page.locator(".tries .own");
  await own.waitFor();
  assert.equal(await own.textContent(), "Hexagon");
  const field = page.locator("[data-rig]");
  await field.fill("Jetty neon");
  await field.press("Enter");
  await page.waitForFunction(() => document.querySelector(".tries .own")?.textContent === "Jetty neon");
  // On the panels, of another kind: seen when pointed at, and gone again.
  await name(0).click();
  await settled(page);
  await page.waitForFunction(() => document.querySelector("#light-name").value === "Breastplate panels");
  const before = await picture(page);
  const at = lum(await pixel(page, ...panel));
  await page.locator(".tries .own").hover();
  await rested(page);
  await page.waitForFunction(
    (h) => h !== document.getElementById("stage").dataset.drawn,
    `${(await state(page)).version}:final`,
  );
  assert.notEqual(await picture(page), before);
  await page.mouse.move(700, 300);
  await settled(page);
  assert.equal(await picture(page), before);
  await saved(page, () => page.locator(".tries .own").click());
  const [a, b] = [await light(0), await light(4)];
  assert.deepEqual(
    a.shells.map((h) => h.strength),
    b.shells.map((h) => h.strength),
  );
  assert.ok(Math.abs(a.core.whiteness - b.core.whiteness) < 1e-9 && at >= 0);
  // Out as a file, away, and in again.
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    page.locator("a[href^='/rigs/']").click(),
  ]);
  assert.equal(file.suggestedFilename(), "Jetty neon.rig.json");
  const path = await file.path();
  const doc = JSON.parse(readFileSync(path, "utf8"));
  assert.deepEqual([doc.kind, doc.name, doc.shells.length], ["rig", "Jetty neon", b.shells.length]);
  await page.click("[data-remove-rig]");
  await own.waitFor({ state: "detached" });
  await page.getByRole("button", { name: "Restore" }).click();
  await own.waitFor();
  await page.click("[data-remove-rig]");
  await own.waitFor({ state: "detached" });
  await page.setInputFiles("#rig-file", path);
  await own.waitFor();
  assert.equal(await own.textContent(), "Jetty neon");
  // A file that is none is refused in a sentence, and nothing is lost.
  await page.setInputFiles("#rig-file", {
    name: "a.json",
    mimeType: "application/json",
    buffer: Buffer.from("{}"),
  });
  await page.locator("#notice").waitFor();
  assert.match(await page.locator("#notice").textContent(), /not a rig file/);
  assert.equal(await own.textContent(), "Jetty neon");
  await page.click("[data-remove-rig]");
  await own.waitFor({ state: "detached" });
});

test("a light copied in one shot is pasted into another, in its sizes", async () => {
  const hexagon = await light(4);
  await page.locator("#stage").focus();
  await page.keyboard.press("Control+c");
  await page.waitForFunction(() => localStorage.getItem("pyrant lights"));
  const dunes = await copyOf(page, server.url, "Tidewatch dunes");
  await page.goto(`${server.url + dunes}?step=glow`);
  await settled(page);
  const n = (await state(page)).lights.length;
  const at = (await state(page)).width / hexagon.shapes[0].nodes.length; // only that there is a photo
  assert.ok(at > 0);
  const before = await picture(page);
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Control+v"));
  const s = await state(page);
  assert.equal(s.lights.length, n + 1);
  const pasted = s.lights[n];
  assert.deepEqual([pasted.name, s.light, pasted.gel], [hexagon.name, n, hexagon.gel]);
  const k = Math.max(s.width, s.height) / 3000;
  assert.ok(
    Math.abs(pasted.shells[3].radius - k * hexagon.shells[3].radius) < 0.02 * pasted.shells[3].radius,
  );
  assert.ok(Math.abs(pasted.shapes[0].width - k * hexagon.shapes[0].width) < 0.01 * pasted.shapes[0].width);
  assert.notEqual(await picture(page), before);
  const [x, y] = [side[0] * k, side[1] * k];
  const [r, g, b] = await pixel(page, x, y);
  assert.ok(lum([r, g, b]) > 100 && Math.abs(hue([r, g, b]) - 328) < 25, `${[r, g, b]}`);
});
