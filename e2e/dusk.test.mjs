// Day into night, by mouse on the dunes: passes, areas, curves, the brush, Finish; and the
// other hands that areas are drawn with.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { after, before, beforeEach, test } from "node:test";
import { Server, drag, launch, open, picture, pixel, place, rested, saved, settled, state } from "./lib.mjs";

let server;
let browser;
let page;
before(async () => {
  server = new Server("demo");
  await server.start();
  browser = await launch();
});
after(async () => {
  await browser?.close();
  await server?.remove();
});

// Each test has a copy of the dunes of its own, with the dusk of the demo thrown out.
beforeEach(async (t) => {
  page = await open(browser, server.url);
  const card = page.locator(".shot", { has: page.locator('input[value="Tidewatch dunes"]') });
  await card.first().getByRole("button", { name: "Duplicate" }).click();
  const copy = page.locator(".shot", { has: page.locator('input[value="Tidewatch dunes copy"]') }).first();
  await copy.waitFor();
  const href = await copy.locator("a.pic").getAttribute("href");
  await page.goto(`${server.url + href}?step=dusk`);
  await page.evaluate(
    async (name) => {
      const headers = { "X-CSRF-Token": document.body.dataset.csrf };
      const body = new URLSearchParams({ name });
      await fetch(`${location.pathname}/name`, { method: "POST", headers, body });
      localStorage.clear();
    },
    `Dunes for ${t.name}`.slice(0, 60),
  );
  await page.reload();
  await settled(page);
  while (await page.locator("#pass-0").count()) {
    if (!(await page.locator("#pass-0.open").count()))
      await page.locator('#pass-0 [data-open="pass"]').click();
    await saved(page, () => page.locator("#pass-0 [data-remove]").click());
  }
});

const calm = async () => {
  assert.deepEqual(page.faults, []);
  await page.context().close();
};
const start = (id) => saved(page, () => page.selectOption("[data-start]", id));
const click = async (x, y) => {
  const p = await place(page, x, y);
  await page.mouse.click(p.x, p.y);
};
const across = async (from, to, steps = 12) =>
  drag(page, await place(page, ...from), await place(page, ...to), steps);
const light = (c) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
const undo = () => saved(page, () => page.keyboard.press("Control+z"));
// leave puts the hand down and goes back from an area to its step.
const leave = async () => {
  await page.locator("[data-close='area']").click();
  await page.locator(".step-head").waitFor();
};

// unlike exports the shot at the size of the screen and counts the samples that are not as
// on it.
async function unlike() {
  const step = (await state(page)).step;
  const part = await page.evaluate(async () => (await import("/static/js/view.js")).geometry().part);
  await page.locator('#rail [data-step="export"]').click();
  await page.locator('input[name="format"][value="png"]').check();
  await page.locator('input[name="size"][value="edge"]').check();
  await page.locator('input[name="long"]').fill(String(part.long));
  await page.locator("#export-go").click();
  await page.locator("#download").waitFor({ timeout: 30_000 });
  const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#download").click()]);
  const png = readFileSync(await file.path()).toString("base64");
  const differing = await page.evaluate(async (data) => {
    const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
    const img = await createImageBitmap(new Blob([bytes]), { colorSpaceConversion: "none" });
    const probe = new OffscreenCanvas(img.width, img.height).getContext("2d");
    probe.drawImage(img, 0, 0);
    const want = probe.getImageData(0, 0, img.width, img.height).data;
    const { origin } = (await import("/static/js/view.js")).geometry();
    const ctx = document.getElementById("picture").getContext("2d");
    const got = ctx.getImageData(origin.x, origin.y, img.width, img.height).data;
    return got.filter((v, i) => v !== want[i]).length;
  }, png);
  await page.locator(`#rail [data-step="${step}"]`).click();
  await page.locator(`#rail [data-step="${step}"][aria-current]`).waitFor();
  return differing;
}

test("the dunes go from day to night and are finished, by mouse", async () => {
  const marks = [];
  const mark = async () => marks.push(await picture(page));
  await mark();

  // A start for dusk: everything but one colour, which is then picked on the photo.
  const grass = [2700, 1500];
  const sky = [1000, 1250];
  const day = { grass: light(await pixel(page, ...grass, 40)), sky: light(await pixel(page, ...sky, 40)) };
  await start("but-colour");
  await mark();
  const red = [2310, 880]; // the feathers of the mask
  const before = light(await pixel(page, ...red, 6));
  await saved(page, () => click(...red));
  const kept = light(await pixel(page, ...red, 6));
  assert.ok(kept > before * 1.5, `the picked red went from ${before} to ${kept}`);
  const dark = light(await pixel(page, ...sky, 40));
  assert.ok(dark < day.sky * 0.55, `the sand, of another colour, went from ${day.sky} to ${dark}`);
  assert.equal((await state(page)).areas.at(-1).parts[0].of.kind, "hue");
  await mark();
  await leave();

  // A curve for blue, by a click and a drag on the line.
  await saved(page, () => page.selectOption("[data-add-pass]", "curves"));
  await mark();
  await page.locator('[data-channel="blue"]').click();
  const box = await page.locator("#curve").boundingBox();
  const on = (x, y) => ({
    x: box.x + ((14 + 272 * x) * box.width) / 300,
    y: box.y + ((180 - 170 * y) * box.height) / 190,
  });
  const blue = await pixel(page, ...sky, 40);
  await saved(page, () => drag(page, on(0.3, 0.3), on(0.28, 0.42)));
  const bluer = await pixel(page, ...sky, 40);
  assert.ok(bluer[2] > blue[2] + 4, `blue went from ${blue} to ${bluer}`);
  assert.ok(Math.abs(bluer[0] - blue[0]) < 1.5, `red went along: ${blue}, ${bluer}`);
  const curve = (await state(page)).dusk.passes.at(-1).does.blue;
  assert.equal(curve.length, 3);
  await mark();
  // The same by typing.
  await saved(page, async () => {
    await page.locator("#knot-y").fill("50");
    await page.locator("#knot-y").press("Enter");
  });
  assert.equal((await state(page)).dusk.passes.at(-1).does.blue[1].y, 0.5);
  await undo();
  assert.equal(await picture(page), marks.at(-1));

  // Dusk is painted off an edge of the boardwalk.
  await page.locator('[data-fold="back"] summary').click();
  await saved(page, () => page.selectOption('[data-area-of="/dusk/back/area"]', "+"));
  await mark();
  const plank = [1500, 1700];
  const shade = light(await pixel(page, ...plank, 20));
  // While the brush moves, the page shows the stroke before any answer.
  const a = await place(page, 1350, 1780);
  const b = await place(page, 1650, 1620);
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  for (let i = 1; i <= 12; i++)
    await page.mouse.move(a.x + ((b.x - a.x) * i) / 12, a.y + ((b.y - a.y) * i) / 12);
  assert.equal(await page.locator("#overlay .painted").count(), 2);
  await rested(page);
  const during = light(await pixel(page, ...plank, 20));
  assert.ok(during > shade * 1.5, `under the brush ${shade} became ${during}`);
  await saved(page, () => page.mouse.up());
  const given = light(await pixel(page, ...plank, 20));
  assert.ok(Math.abs(given - during) < 1.5, `let go, ${during} became ${given}`);
  await mark();

  // The stroke is made wider afterwards: what lay beside it comes out of the dark too.
  const beside = [1560, 1775];
  const was = light(await pixel(page, ...beside, 12));
  const field = page.locator(".stroke.open .pf", { hasText: "Diameter" }).locator("input.form-control");
  await saved(page, async () => {
    await field.fill("420");
    await field.press("Enter");
  });
  const wide = light(await pixel(page, ...beside, 12));
  assert.ok(wide > was * 1.3, `beside the stroke ${was} became ${wide}`);
  await mark();
  await leave();

  // Finish: three colours by the gel of the brightest light, and they follow it.
  await page.locator('#rail [data-step="finish"]').click();
  await page.locator(".step-head h2", { hasText: "Finish" }).waitFor();
  await start("gel-ramp");
  await mark();
  const follow = (await state(page)).finish.passes[0].does.follow;
  const index = (await state(page)).lights.findIndex((l) => l.id === follow);
  assert.ok(index >= 0, "the ramp follows no light");
  const warm = await pixel(page, 300, 1500, 60);
  await page.locator(`[data-choose="${index}"]`).click();
  await page.locator('#rail [data-step="glow"]').click();
  const hue = page.locator(`#f-lights-${index}-gel-hue`);
  await saved(page, async () => {
    await hue.fill("200");
    await hue.press("Enter");
  });
  const cold = await pixel(page, 300, 1500, 60);
  assert.ok(
    Math.hypot(...cold.map((v, i) => v - warm[i])) > 1.5,
    `far from the light, ${warm} stayed ${cold}`,
  );
  await mark();

  // A vignette that leaves the light alone, and the corner not.
  await page.locator('#rail [data-step="finish"]').click();
  await page.locator(".step-head h2", { hasText: "Finish" }).waitFor();
  const lit = { arch: light(await pixel(page, 1440, 800, 4)), corner: light(await pixel(page, 60, 60, 30)) };
  await start("vignette");
  const spared = {
    arch: light(await pixel(page, 1440, 800, 4)),
    corner: light(await pixel(page, 60, 60, 30)),
  };
  assert.ok(spared.corner < lit.corner * 0.8, `the corner went from ${lit.corner} to ${spared.corner}`);
  assert.ok(Math.abs(spared.arch - lit.arch) < 1.5, `the light went from ${lit.arch} to ${spared.arch}`);
  await mark();

  // One spot calmed: it is dragged to where it is wanted.
  const mask = [2490, 900];
  const loud = light(await pixel(page, ...mask, 30));
  await start("calm");
  await mark();
  await saved(page, () => across([1500, 1000], mask));
  const quiet = light(await pixel(page, ...mask, 30));
  assert.ok(quiet < loud * 0.8, `the spot went from ${loud} to ${quiet}`);
  await mark();
  await leave();

  // All is there after a reload.
  const last = await picture(page);
  const whole = await state(page);
  await page.reload();
  await settled(page);
  assert.equal(await picture(page), last);
  assert.deepEqual((await state(page)).finish, whole.finish);

  // What is exported, at the size that it has on the screen, is what is seen.
  assert.equal(await unlike(), 0, "samples of the export differ from those on the screen");

  // Each step is undone, back to where it began.
  const versions = (await state(page)).version;
  for (const want of marks.toReversed().slice(1)) {
    await undo();
    assert.equal(await picture(page), want, "undo does not bring the picture of before");
  }
  assert.ok(versions > 10);
  await calm();
});
