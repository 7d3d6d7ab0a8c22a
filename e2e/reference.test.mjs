// A second photo of the quay with its small lights on: attached and laid on the photo by itself, seen by split and by a held
// key, read, matched in one step, and what is left over looked at.
import assert from "node:assert/strict";
import { join } from "node:path";
import { test } from "node:test";
import { lum, picture, pixel, place, saved, settled, stand, state } from "./lib.mjs";

let page;
stand({ shot: "Tidewatch quay", query: "step=photo&light=0" }, (it) => ({ page } = it));

// lit makes a photo of the plain one that the shot has: much darker, moved, with an orange lamp on the floor.
const lit = () =>
  page.evaluate(async () => {
    const { shot } = await import("/static/js/store.js");
    const q = new URLSearchParams({ long: 1500, x: 0, y: 0, w: 1500, h: 1000, as: "png", plain: 1, v: 0 });
    const plain = await createImageBitmap(await (await fetch(`/shots/${shot.id}/frame?${q}`)).blob());
    const c = new OffscreenCanvas(1500, 1000);
    const g = c.getContext("2d");
    g.drawImage(plain, 0, 0);
    const image = g.getImageData(0, 0, 1500, 1000);
    const linear = (v) => (v / 255) ** 2.2;
    for (let y = 0; y < 1000; y++)
      for (let x = 0; x < 1500; x++) {
        const k = 2.2 / (1 + ((x - 900) ** 2 + (y - 860) ** 2) / 9000);
        for (let i = 0; i < 3; i++) {
          const at = 4 * (y * 1500 + x) + i;
          const v = linear(image.data[at]);
          image.data[at] = 255 * Math.min(v * 0.12 + v * k * [1, 0.5, 0.15][i], 1) ** (1 / 2.2);
        }
      }
    const own = new OffscreenCanvas(1500, 1000);
    own.getContext("2d").putImageData(image, 0, 0);
    // Shifted by 24 pixels to the right and 10 down.
    g.fillRect(0, 0, 1500, 1000);
    g.drawImage(own, 24, 10);
    const blob = await c.convertToBlob({ type: "image/jpeg", quality: 0.95 });
    return [...new Uint8Array(await blob.arrayBuffer())];
  });

test("a reference is laid on the photo, seen beside it, read and matched", async () => {
  const before = await picture(page);
  await page.locator('details[data-fold="reference"] > summary').click();
  const buffer = Buffer.from(await lit());
  await page.setInputFiles("#ref-file", { name: join("practicals.jpg"), mimeType: "image/jpeg", buffer });
  await page.locator("#ref-split").waitFor();
  await settled(page);
  assert.match(await page.locator("#ref-says").textContent(), /it was scaled to fit.*Aligned/);
  const { reference } = await state(page);
  const off = [reference.x * 1500 - 24, reference.y * 1000 - 10];
  assert.ok(Math.hypot(...off) < 0.5 && Math.abs(reference.turn) < 0.05, JSON.stringify(reference));
  assert.equal(await picture(page), before, "a reference changes the picture");
  // By split: on the right it is the reference, orange on the floor and dark above.
  await page.locator("#ref-split").click();
  await settled(page);
  await page.waitForTimeout(300);
  assert.equal(await page.locator("#tag-other").textContent(), "reference");
  const floor = await pixel(page, 1860, 1740, 10);
  assert.ok(floor[0] > floor[2] + 60, `the floor of the reference is ${floor}`);
  await page.locator("#ref-split").click();
  await settled(page);
  assert.equal(await picture(page), before);
  // By a held key.
  await page.locator("#stage").focus();
  await page.keyboard.down("r");
  await page.waitForFunction(() => document.getElementById("stage").getAttribute("aria-busy") === "false");
  await page.waitForTimeout(400);
  const held = await pixel(page, 1860, 1740, 10);
  await page.keyboard.up("r");
  await settled(page);
  assert.ok(held[0] > held[2] + 60, `held it is ${held}`);
  assert.equal(await picture(page), before);
  // By two pairs it lies as they say: the second place of each is 45 pixels to the right of the first.
  await page.locator('[data-hand="ref-pairs"]').click();
  await saved(page, async () => {
    for (const [x, y] of [
      [600, 500],
      [645, 500],
      [2400, 1500],
      [2445, 1500],
    ]) {
      const p = await place(page, x, y);
      await page.mouse.click(p.x, p.y);
      await page.waitForTimeout(150);
    }
  });
  const paired = (await state(page)).reference;
  assert.ok(Math.abs((paired.x - reference.x) * 3000 - 45) < 8, JSON.stringify(paired));
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Control+z"));
  // Its light is read where it falls.
  await page.locator('[data-hand="ref-read"]').click();
  const at = await place(page, 1800, 1720);
  await page.mouse.click(at.x, at.y);
  await page.waitForFunction(() => /stops above/.test(document.getElementById("ref-reading")?.textContent));
  const stops = Number((await page.locator("#ref-reading").textContent()).match(/([\d.]+) stops above/)[1]);
  assert.ok(stops > 2.5 && stops < 5.5, `${stops} stops`);
  await page.keyboard.press("Escape");
  // Each light as the reference has it, in one step.
  const { lights } = await state(page);
  await saved(page, () => page.locator('[data-action="match-reference"]').click());
  const matched = (await state(page)).lights;
  assert.ok(matched.some((l, i) => l.spill.strength !== lights[i].spill.strength));
  await page.locator("#ref-left").click();
  await page.waitForFunction(
    () => /explain/.test(document.getElementById("ref-left-says")?.textContent),
    null,
    {
      timeout: 60_000,
    },
  );
  await settled(page);
  assert.equal(await page.locator("#tag-other").textContent(), "alignment error");
  const left = await pixel(page, 2500, 1900, 10);
  assert.ok(Math.abs(left[0] - left[2]) < 2 && lum(left) > 20, `left over is ${left}`);
  await page.locator("#ref-left").click();
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal(await picture(page), before);
  await saved(page, () => page.locator('[data-action="remove-reference"]').click());
  await page.locator("#ref-split").waitFor({ state: "detached" });
});
