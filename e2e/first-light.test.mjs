// From an opened photo to an exported lit picture, with the mouse.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { test } from "node:test";
import {
  addedHue,
  binary,
  drag,
  jpeg,
  open,
  picture,
  pixel,
  place,
  rested,
  saved,
  serve,
  settled,
  state,
  upload,
} from "./lib.mjs";

let server;
let browser;
serve({ mode: "serve" }, (it) => ({ server, browser } = it));

test("a photo is opened, traced, lit, changed, undone, kept and exported", async () => {
  let page = await open(browser, server.url);
  await page.getByText("No shots yet").waitFor();
  const photo = await jpeg(page);
  await upload(page, { name: "Stone wall.jpg", mimeType: "image/jpeg", buffer: photo });
  await page.waitForURL(/\/shots\/\w+/);
  await settled(page);
  const url = page.url().split("?")[0];
  assert.equal(await page.locator(".title").textContent(), "Stone wall");
  const plain = await pixel(page, 200, 300);

  // Dusk: the slider of the daylight is dragged down; one revision.
  await page.locator('#rail [data-step="dusk"]').click();
  const slider = page.locator("#f-dusk-daylight-slider");
  await slider.waitFor();
  const box = await slider.boundingBox();
  const y = box.y + box.height / 2;
  await saved(page, () => drag(page, { x: box.x + box.width * 0.8, y }, { x: box.x + box.width * 0.42, y }));
  const daylight = Number(await page.locator("#f-dusk-daylight").inputValue());
  assert.ok(daylight < -3 && daylight > -5, `daylight is ${daylight}`);
  const at = async (x) => pixel(page, x, 300, 8);
  const places = [545, 560, 580, 610, 660];
  const unlit = [];
  for (const x of places) unlit.push(await at(x));
  const dark = await pixel(page, 200, 300);
  assert.ok(dark[0] < plain[0] / 2.5, `dusk took ${plain} only to ${dark}`);

  // Trace: four corners with the mouse, closed on the first.
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator('[data-hand="outline"]').click();
  const corners = [
    [360, 210],
    [540, 210],
    [540, 390],
    [360, 390],
  ];
  for (const [cx, cy] of corners) {
    const p = await place(page, cx, cy);
    await page.mouse.click(p.x, p.y);
  }
  await saved(page, async () => {
    const p = await place(page, ...corners[0]);
    await page.mouse.click(p.x, p.y);
  });
  const s = await state(page);
  assert.equal(s.lights.length, 1);
  assert.equal(s.lights[0].shapes[0].nodes.length, 4);
  for (const [k, n] of s.lights[0].shapes[0].nodes.entries())
    assert.ok(Math.hypot(n.x - corners[k][0], n.y - corners[k][1]) < 2, `corner ${k} is at ${n.x}, ${n.y}`);

  // Glow: a gel, typed.
  await page.locator('#rail [data-step="glow"]').click();
  const type = async (id, value) => {
    const field = page.locator(`at=#${id}`);
    await field.fill(value);
    await field.press("Enter");
  };
  await page.locator("at=#f-lights-0-gel-hue").waitFor();
  await saved(page, () => type("f-lights-0-gel-hue", "210"));
  await saved(page, () => type("f-lights-0-gel-saturation", "90"));
  const core = await pixel(page, 450, 300);
  assert.ok(Math.min(...core) > 190, `the core is ${core}, not nearly white`);
  const row = [];
  for (const x of places) row.push(await at(x));
  for (let i = 1; i < row.length; i++) {
    const sum = (c) => c[0] + c[1] + c[2];
    assert.ok(sum(row[i]) < sum(row[i - 1]), `the glow rises: ${row[i - 1]} then ${row[i]}`);
  }
  for (const [i, c] of row.entries()) {
    const h = addedHue(c, unlit[i]);
    assert.ok(i === 0 || Math.abs(h - 210) < 15, `the glow ${c} over ${unlit[i]} has hue ${h}`);
  }

  // Spill: outside of the glow there is light, and none with the master off.
  const withSpill = await pixel(page, 610, 450, 12);
  await saved(page, () => page.locator('.masters [data-toggle="/spill/on"]').click());
  const without = await pixel(page, 610, 450, 12);
  assert.ok(withSpill[2] > without[2] + 4, `spill: ${withSpill}, without: ${without}`);
  await saved(page, () => page.locator('.masters [data-toggle="/spill/on"]').click());

  // Plain is the original, held by a key and chosen.
  await page.locator("#stage").focus();
  await page.keyboard.down("p");
  await rested(page);
  const held = await pixel(page, 200, 300);
  await page.keyboard.up("p");
  for (let c = 0; c < 3; c++)
    assert.ok(Math.abs(held[c] - plain[c]) <= 1.5, `plain is ${held}, was ${plain}`);
  await settled(page);

  // The gel is changed, undone, redone.
  const blue = await picture(page);
  await saved(page, () => type("f-lights-0-gel-hue", "0"));
  const red = await picture(page);
  const turned = addedHue(await at(580), unlit[2]);
  assert.ok(Math.abs(((turned + 180) % 360) - 180) < 15, `under a red gel the glow has hue ${turned}`);
  assert.notEqual(red, blue);
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal(await picture(page), blue);
  await saved(page, () => page.locator("#redo").click());
  assert.equal(await picture(page), red);
  assert.deepEqual(page.faults, []);
  await page.context().close();

  // The server is stopped and comes back on the same data.
  await server.stop();
  const address = await server.start();
  const again = new URL(url);
  page = await open(browser, `${address}${again.pathname}?step=glow`);
  await settled(page);
  assert.equal(await picture(page), red, "the picture is not the same after a restart");
  assert.equal(await page.locator("#undo").isEnabled(), true, "undo did not survive the restart");

  // Export as PNG and JPEG; the command line gives the same files.
  await page.locator('#rail [data-step="export"]').click();
  const [shotFile] = await Promise.all([page.waitForEvent("download"), page.locator("#archive").click()]);
  const archive = join(server.dir, "wall.pyrant");
  await shotFile.saveAs(archive);
  for (const format of ["png", "jpeg", "tiff16"]) {
    await page.locator(`input[name="format"][value="${format}"]`).check();
    await page.locator("#export-go").click();
    await page.locator("#download").waitFor({ timeout: 30_000 });
    const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#download").click()]);
    const ext = { png: "png", jpeg: "jpg", tiff16: "tif" }[format];
    assert.equal(file.suggestedFilename(), `Stone wall.${ext}`);
    const mine = join(server.dir, `web.${ext}`);
    const theirs = join(server.dir, `cli.${ext}`);
    await file.saveAs(mine);
    const depth = format === "tiff16" ? ["--depth", "16"] : [];
    execFileSync(binary, ["render", archive, "-o", theirs, ...depth]);
    assert.ok(readFileSync(mine).equals(readFileSync(theirs)), `${format}: not the file of pyrant render`);
    await page.evaluate(() => document.getElementById("job").replaceChildren());
  }

  // What is seen at 1:1 is what was exported.
  const png = readFileSync(join(server.dir, "web.png")).toString("base64");
  await page.locator('[data-zoom="one"]').click();
  await page.waitForFunction(() => document.getElementById("zoom").textContent === "100 %");
  await settled(page);
  const spot = await place(page, 300, 200);
  const differing = await page.evaluate(
    async ([data, cx, cy]) => {
      const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
      const img = await createImageBitmap(new Blob([bytes]), { colorSpaceConversion: "none" });
      const probe = new OffscreenCanvas(300, 200).getContext("2d");
      probe.drawImage(img, -300, -200);
      const want = probe.getImageData(0, 0, 300, 200).data;
      const canvas = document.getElementById("picture");
      const r = canvas.getBoundingClientRect();
      const got = canvas.getContext("2d").getImageData(cx - r.left, cy - r.top, 300, 200).data;
      return got.filter((v, i) => v !== want[i]).length;
    },
    [png, spot.x, spot.y],
  );
  assert.equal(differing, 0, "samples on screen at 1:1 differ from those of the export");
  assert.deepEqual(page.faults, []);
  await page.context().close();
});
