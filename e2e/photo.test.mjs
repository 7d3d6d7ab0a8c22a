// The Photo step, by mouse on the dunes: the frame pulled in, the photo moved beneath it, straightened by a line, turned and
// mirrored; lights stay on what they shine from, later steps work on the picture, and its export is what is on the screen.
import assert from "node:assert/strict";
import { test } from "node:test";
import {
  drag,
  lum,
  picture,
  pixel,
  place,
  rested,
  saved,
  settled,
  shapesOf,
  stand,
  state,
  undo,
  unlike,
  expectError,
} from "./lib.mjs";

let page;
stand({ shot: "Tidewatch dunes", query: "step=photo&light=0", empty: true }, (it) => ({ page } = it));

const at = (x, y) => place(page, x, y);
const crop = async () => (await state(page)).crop;
const goTo = async (step) => {
  await page.locator(`#rail [data-step="${step}"]`).click();
  await page.locator(`#rail [data-step="${step}"][aria-current]`).waitFor();
  await settled(page);
};
// arch is a place on the tube of light, beside one that is dark.
const arch = [1553, 639];
const aside = [1553, 900];
const shines = async () => {
  const [on, off] = [lum(await pixel(page, ...arch, 2)), lum(await pixel(page, ...aside, 6))];
  assert.ok(on > off + 90, `on the arch it is ${on}, below it ${off}`);
};

test("the frame is pulled, moved, straightened, turned and mirrored, and all that shines stays where it is", async () => {
  const before = await picture(page);
  assert.equal(await page.locator("#crop-size").textContent(), "3000 × 2000 px, 6.0 MP");
  await saved(page, async () => drag(page, await at(3000, 2000), await at(2400, 1500)));
  let c = await crop();
  const near = (a, b) => Math.abs(a - b) <= 5;
  assert.ok(near(c.width, 2400) && near(c.height, 1500) && near(c.x, 1200), JSON.stringify(c));
  // The photo follows the hand beneath the frame.
  await saved(page, async () => drag(page, await at(1200, 1000), await at(1000, 900)));
  c = await crop();
  assert.ok(near(c.x, 1400) && near(c.y, 850) && near(c.width, 2400), JSON.stringify(c));
  // It does not go farther than the photo.
  await saved(page, async () => drag(page, await at(1200, 1000), await at(-2000, 1000)));
  c = await crop();
  assert.equal(c.x + c.width / 2, 3000);
  await undo(page);
  await goTo("glow");
  await shines();
  assert.equal(await unlike(page), 0);
  await goTo("photo");
  // A line that is six degrees off level.
  await page.locator('[data-hand="level"]').click();
  const [p, q] = [await at(1000, 1000), await at(1800, 1000 + 800 * Math.tan((6 * Math.PI) / 180))];
  await saved(page, () => drag(page, p, q));
  c = await crop();
  assert.ok(Math.abs(c.angle + 6) < 0.2, `straightened by ${c.angle}`);
  // That line is level on the screen now, and in the other steps.
  const level = async () => {
    const [a, b] = [await at(1000, 1000), await at(1800, 1000 + 800 * Math.tan((6 * Math.PI) / 180))];
    return Math.abs(b.y - a.y);
  };
  assert.ok((await level()) < 1.5);
  await goTo("glow");
  assert.ok((await level()) < 1.5);
  await shines();
  assert.equal(await unlike(page), 0);
  await goTo("photo");
  await saved(page, () => page.getByRole("button", { name: "Rotate right" }).click());
  await saved(page, () => page.getByRole("button", { name: "Mirror" }).click());
  const { width, height } = await crop();
  assert.match(await page.locator("#crop-size").textContent(), new RegExp(`^${height} × ${width} px`));
  await goTo("glow");
  await shines();
  assert.equal(await unlike(page), 0);
  // What is drawn follows the pointer there: the arch's first point goes where it is dragged.
  await goTo("trace");
  const [old] = await shapesOf(page);
  const from = old.nodes[0];
  const to = { x: from.x + 60, y: from.y - 90 };
  await saved(page, async () => drag(page, await at(from.x, from.y), await at(to.x, to.y)));
  const [now] = await shapesOf(page);
  assert.ok(Math.hypot(now.nodes[0].x - to.x, now.nodes[0].y - to.y) < 4, JSON.stringify(now.nodes[0]));
  await goTo("photo");
  for (let i = 0; i < 6; i++) await undo(page);
  assert.equal(await picture(page), before);
  assert.equal((await crop()).width, 0);
});

test("what is asked of the frame is what the page shows of it, and what cannot be is said", async () => {
  expectError(page, 422);
  // The page works the frame out as the server does.
  for (const ops of [
    [{ op: "replace", path: "/crop/angle", value: 4.35 }],
    [{ op: "replace", path: "/crop/width", value: 1700 }],
    [{ op: "crop", path: "/crop", value: { by: 0.7 } }],
    [{ op: "replace", path: "/crop/x", value: 2900 }],
    [{ op: "replace", path: "/crop/angle", value: -31 }],
    [{ op: "crop", path: "/crop", value: { by: 3 } }],
    [{ op: "replace", path: "/crop/angle", value: 0 }],
  ]) {
    let own;
    await saved(page, async () => {
      own = await page.evaluate(async (o) => {
        const [{ after }, { commit, shot }] = await Promise.all([
          import("/static/js/crop.js"),
          import("/static/js/store.js"),
        ]);
        const want = after(shot.crop, o, shot.width, shot.height);
        commit(o);
        return want;
      }, ops);
    });
    assert.deepEqual(await crop(), own, JSON.stringify(ops));
  }
  // A ratio is kept while it is sized.
  await saved(page, () => page.locator('[data-ratio="1"]').click());
  let c = await crop();
  assert.equal(c.width, c.height);
  const corner = await at(c.x + c.width / 2, c.y + c.height / 2);
  await saved(page, () => drag(page, corner, { x: corner.x - 60, y: corner.y - 20 }));
  c = await crop();
  assert.ok(Math.abs(c.width - c.height) <= 1, JSON.stringify(c));
  // Nothing, and too much.
  const before = await picture(page);
  await page.locator('details[data-fold="crop-numbers"] > summary').click();
  await page.locator("#f-crop-width").fill("3");
  await page.locator("#f-crop-width").press("Enter");
  await page.getByText("is too small").waitFor();
  await page.evaluate(async () => {
    const { commit } = await import("/static/js/store.js");
    await commit([{ op: "crop", path: "/crop", value: { angle: 60 } }]);
  });
  await page.getByText("at most 45°").waitFor();
  await rested(page);
  assert.deepEqual(await crop(), c);
  assert.equal(await picture(page), before);
  // Escape puts a frame back that is in the hand.
  const side = await at(c.x + c.width / 2, c.y);
  await page.mouse.move(side.x, side.y);
  await page.mouse.down();
  await page.mouse.move(side.x - 80, side.y, { steps: 4 });
  assert.notEqual(await page.locator("#crop-size").textContent(), `${c.width} × ${c.height} px`);
  await page.keyboard.press("Escape");
  await page.mouse.up();
  assert.deepEqual(await crop(), c);
});

test("a night sky is laid behind tower and hills, moved by hand, undone and redone", async () => {
  await goTo("dusk");
  const before = await picture(page);
  const sky = [2300, 200];
  const dune = [900, 1500];
  const was = [await pixel(page, ...sky, 12), await pixel(page, ...dune, 12)];
  await saved(page, () => page.locator("[data-add-pass]").selectOption("picture"));
  await page.locator('[data-shipped="stars"]').waitFor();
  assert.equal(await picture(page), before, "a pass without a picture changes something");
  await saved(page, () => page.locator('[data-shipped="stars"]').click());
  assert.notDeepEqual(await pixel(page, ...dune, 12), was[1]);
  // Within the sky of the shot, a gradient, what is bright by tone: tower and hills stand before it.
  const i = (await state(page)).focus.pass;
  await saved(page, () =>
    page.locator(`at=[data-area-of="/dusk/passes/id:${i}/area"]`).selectOption({ label: "Sky" }),
  );
  const tower = [815, 790];
  const stood = lum(await pixel(page, ...tower, 4));
  await page.locator(".area-line [data-open='area']").last().click();
  await page.locator("[data-add-part]").waitFor();
  await saved(page, () => page.locator("[data-add-part]").selectOption("tone"));
  await saved(page, () => page.locator('at=[data-select="/areas/0/parts/1/does"]').selectOption("keep"));
  await saved(page, async () => {
    await page.locator("at=#f-areas-0-parts-1-of-low").fill("42");
    await page.keyboard.press("Enter");
  });
  const stands = lum(await pixel(page, ...tower, 4));
  assert.ok(stands < stood - 1, `the tower was ${stood} under the sky, it is ${stands} before it`);
  await page.locator("#bench .head [data-close]").click();
  await settled(page);
  const now = [await pixel(page, ...sky, 12), await pixel(page, ...dune, 12)];
  assert.ok(now[0][2] > now[0][0] + 8, `the sky is ${now[0]}, it was ${was[0]}`);
  now[1].forEach((v, c) => assert.ok(Math.abs(v - was[1][c]) < 1, `the dune is ${now[1]}, it was ${was[1]}`));
  assert.equal(await unlike(page), 0);
  // It follows the hand.
  await page.locator(`#pass-${i} [data-open='pass']`).click();
  await page.locator('[data-hand="lay"]').waitFor();
  const old = (await state(page)).dusk.passes.find((k) => k.id === i).does;
  await saved(page, async () => drag(page, await at(1500, 900), await at(1800, 1000)));
  const moved = (await state(page)).dusk.passes.find((k) => k.id === i).does;
  assert.ok(
    Math.abs(moved.x - old.x - 300) < 6 && Math.abs(moved.y - old.y - 100) < 6,
    JSON.stringify(moved),
  );
  const corner = [moved.x - moved.size / 2, moved.y - (moved.size * moved.height) / moved.width / 2];
  await saved(page, async () => drag(page, await at(...corner), await at(corner[0] + 300, corner[1] + 200)));
  const sized = (await state(page)).dusk.passes.find((k) => k.id === i).does;
  assert.ok(sized.size < moved.size - 400 && sized.x === moved.x, JSON.stringify(sized));
  // Over the middle to the other side it is mirrored.
  const left = [sized.x - sized.size / 2, sized.y - (sized.size * sized.height) / sized.width / 2];
  await saved(page, async () => drag(page, await at(...left), await at(2 * sized.x - left[0], left[1])));
  const mirrored = (await state(page)).dusk.passes.find((k) => k.id === i).does;
  assert.ok(mirrored.flip && Math.abs(mirrored.size - sized.size) < 20, JSON.stringify(mirrored));
  const laid = await picture(page);
  for (let n = 0; n < 9; n++) await undo(page);
  assert.equal(await picture(page), before);
  for (let n = 0; n < 9; n++) await saved(page, () => page.keyboard.press("Control+Shift+z"));
  assert.equal(await picture(page), laid);
});

test("a part that was asked for before the frame changed is asked for anew after it", async () => {
  await saved(page, async () => drag(page, await at(3000, 2000), await at(2000, 1300)));
  await goTo("glow");
  const shown = await picture(page);
  // The next frame leaves only when all of the photo is the picture again.
  let leave;
  const waits = new Promise((go) => (leave = go));
  let held = 0;
  await page.context().route("**/frame?**", async (r) => {
    if (!held++) await waits;
    await r.continue();
  });
  await page.keyboard.press("+");
  for (let i = 0; i < 50 && !held; i++) await page.waitForTimeout(40);
  assert.ok(held, "no frame is asked for");
  await page.evaluate(async () => {
    const { commit } = await import("/static/js/store.js");
    await commit([
      {
        op: "replace",
        path: "/crop",
        value: { x: 300, y: 300, width: 400, height: 300, angle: 0, turns: 0, flip: false },
      },
    ]);
  });
  leave();
  await settled(page);
  await page.keyboard.press("f");
  await settled(page);
  assert.notEqual(await picture(page), shown);
  assert.equal(await page.locator("#notice").isVisible(), false);
});
