// Points of light, by mouse on the harbour: found, one dropped, made a light whose rays are seen, pulled longer by the
// star's tip, put into a gel, and undone. Bulbs that are not lit are found by another button.
import assert from "node:assert/strict";
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
  shapesOf,
  stand,
  state,
  undo,
  unlike,
  expectError,
  visit,
} from "./lib.mjs";

let page;
stand({ shot: "Tidewatch harbour", query: "step=glow&light=0", empty: true }, (it) => ({ page } = it));

const count = async () =>
  Number((await page.locator("#found [role=status]").textContent()).match(/^(\d+) of/)[1]);
const find = async (hand) => {
  await page.locator(`[data-hand="${hand}"]`).click();
  await page.locator("#take-found").waitFor();
};
const ringed = () => page.locator("#overlay circle.over:not(.faint)").count();

test("lights are found, one is dropped, and what is made of them has rays that follow the hand", async () => {
  const before = await picture(page);
  await find("points");
  const n = await count();
  assert.ok(n >= 24 && n <= 40, `${n} lights are found`);
  assert.equal(await ringed(), n);
  // A higher threshold takes fewer, a lower one more; all that is seen on the photo.
  const sure = page.locator("#found-sure");
  await sure.fill("99");
  assert.ok((await count()) < n);
  assert.equal(await ringed(), await count());
  await sure.fill("50");
  assert.equal(await count(), n);
  // Small pictures of them, the surest first: a click drops one, which its ring says as well.
  await page.waitForFunction(() => document.querySelectorAll("#found [data-found] canvas").length > 20);
  const tile = page.locator("#found [data-found]").first();
  await tile.click();
  assert.equal(await tile.getAttribute("aria-pressed"), "false");
  assert.equal(await count(), n - 1);
  assert.equal(await ringed(), n - 1);
  await tile.click();
  assert.equal(await count(), n);
  // The first lamp is dropped, and taken again.
  const lamp = await place(page, 216, 268);
  await page.mouse.click(lamp.x, lamp.y);
  assert.equal(await count(), n - 1);
  await page.mouse.click(lamp.x, lamp.y);
  assert.equal(await count(), n);
  assert.equal(await picture(page), before, "looking at the photo changes the picture");
  await saved(page, () => page.locator("#take-found").click());
  const { lights, light } = await state(page);
  assert.equal(lights[light].name, "Points");
  assert.equal((await shapesOf(page)).length, n);
  assert.equal(await page.locator("#found").isHidden(), true);
  await rested(page);
  // On the second lamp's first ray, 15 degrees below pointing to the right.
  const on = [932, 777];
  const beside = [925, 735];
  const lit = lum(await pixel(page, ...on, 4));
  await page.locator('details[data-fold="rays"] > summary').click();
  await saved(page, () => page.locator('at=[data-check="/lights/2/rays/on"]').first().click());
  const dark = lum(await pixel(page, ...on, 4));
  const off = lum(await pixel(page, ...beside, 4));
  assert.ok(lit > dark + 8, `on the ray it was ${dark}, with rays it is ${lit}`);
  await undo(page);
  assert.ok(lum(await pixel(page, ...beside, 4)) < off + (lit - dark) / 2, "it is as bright beside the ray");
  assert.equal(await unlike(page), 0);
  // The tip of the largest lamp's first ray is dragged down: the star turns and its rays are longer.
  const length = Number(await page.locator("at=#f-lights-2-rays-length").inputValue());
  const turn = Number(await page.locator("at=#f-lights-2-rays-turn").inputValue());
  const [mx, my] = [216.4, 265];
  const a = (turn * Math.PI) / 180;
  const tip = await place(page, mx + length * Math.cos(a), my + length * Math.sin(a));
  const to = await place(page, mx + 400, my + 400);
  await saved(page, () => drag(page, tip, to));
  const turned = Number(await page.locator("at=#f-lights-2-rays-turn").inputValue());
  assert.ok(Math.abs(turned - 45) < 1.5, `it is turned by ${turned}`);
  assert.ok(Math.abs(Number(await page.locator("at=#f-lights-2-rays-length").inputValue()) - 566) < 12);
  assert.ok(
    lum(await pixel(page, mx + 250, my + 250, 4)) > lum(await pixel(page, mx + 250, my + 170, 4)) + 8,
  );
  // The knob beside the ray makes all of them thicker.
  const thick = Number(await page.locator("at=#f-lights-2-rays-thick").inputValue());
  const r = Number(await page.locator("at=#f-lights-2-rays-length").inputValue());
  const knob = (by) =>
    place(page, ...[-1, 1].map((s, k) => [mx, my][k] + (0.35 * r + s * 4 * by) * Math.SQRT1_2));
  await saved(page, async () => drag(page, await knob(thick), await knob(3 * thick)));
  assert.ok(Math.abs(Number(await page.locator("at=#f-lights-2-rays-thick").inputValue()) - 3 * thick) < 0.6);
  await undo(page);
  // In a gel all rays have its hue.
  await saved(page, () =>
    page.evaluate(async () => {
      const { commit, set } = await import("/static/js/store.js");
      await commit([
        set("/lights/2/rays/colour", "gel"),
        set("/lights/2/gel", { hue: 300, saturation: 1, lightness: 0.5 }),
      ]);
    }),
  );
  const tint = hue(await pixel(page, mx + 200, my + 200, 4));
  assert.ok(Math.abs(tint - 300) < 40, `the ray has hue ${tint}`);
  for (let i = 0; i < 3; i++) await undo(page);
  assert.equal(await picture(page), before);
});

test("dead bulbs are found, and shine once they are a light", async () => {
  await find("dead-points");
  const n = await count();
  assert.ok(n >= 22 && n <= 28, `${n} bulbs are found`);
  const before = await pixel(page, 2387, 515, 8);
  await saved(page, () => page.locator("#take-found").click());
  const { lights, light } = await state(page);
  assert.equal(lights[light].name, "Bulbs");
  await rested(page);
  const after = await pixel(page, 2387, 515, 8);
  assert.ok(lum(after) > lum(before) + 60, `the bulb was ${before}, it is ${after}`);
  await undo(page);
  assert.deepEqual(await pixel(page, 2387, 515, 8), before);
  // Where one looks for lights and leaves, nothing is made, and the handles are back.
  await find("points");
  await page.locator("#leave-found").click();
  assert.equal(await page.locator("#found").isHidden(), true);
  assert.equal(await page.locator("#overlay circle").count(), 0);
});

test("a string's points are dealt gels, kept off an area, and all of it is undone", async () => {
  await find("dead-points");
  await saved(page, () => page.locator("#take-found").click());
  const before = await picture(page);
  await page.locator('details[data-fold="deal"] > summary').click();
  await saved(page, () => page.locator('[data-deal="fair"]').click());
  await rested(page);
  const { lights, groups } = await state(page);
  assert.deepEqual(
    lights.slice(2).map((l) => l.name),
    ["Bulbs", "Bulbs 2", "Bulbs 3", "Bulbs 4"],
  );
  assert.equal(groups?.length ?? 1, 1);
  // The bulbs along the cord shine in more than two hues.
  const hues = [];
  for (const at of [
    [2628, 362],
    [2562, 407],
    [2500, 448],
    [2442, 484],
    [2387, 515],
    [2336, 543],
    [2287, 567],
    [2241, 588],
  ])
    hues.push(hue(await pixel(page, at[0] + 24, at[1], 6)));
  const apart = (a, b) => Math.abs(((a - b + 540) % 360) - 180);
  assert.ok(
    hues.filter((h, i) => hues.slice(0, i).every((o) => apart(h, o) > 35)).length >= 3,
    `hues ${hues}`,
  );
  assert.equal(await unlike(page), 0);
  await undo(page);
  assert.equal(await picture(page), before);
  // Each by itself has the colour that the photo shows: one in the gel of a red bulb, its neighbour white.
  await saved(page, () => page.locator("#single").click());
  const apart24 = (await state(page)).lights.slice(2);
  assert.ok(apart24.length >= 22, `${apart24.length} lights`);
  assert.ok(new Set(apart24.map((l) => Math.round(l.gel.hue / 30))).size >= 3, "all have the same gel");
  await undo(page);
  assert.equal(await picture(page), before);
  // Rays are kept off where a new area of a sign says so.
  const ray = [2628 + 62, 362 + 17];
  const shone = lum(await pixel(page, ...ray, 4));
  await saved(page, () =>
    page.evaluate(async () => {
      const { commit, set } = await import("/static/js/store.js");
      const sign = {
        id: "sign",
        name: "Sign",
        parts: [
          {
            on: true,
            does: "add",
            amount: 1,
            feather: 0,
            of: { kind: "shape", shape: { kind: "ellipse", x: 2690, y: 380, width: 90, height: 90 } },
          },
        ],
      };
      await commit([set("/areas/-", sign, "add"), set("/lights/2/rays/trim/area", "sign")]);
    }),
  );
  await rested(page);
  const kept = lum(await pixel(page, ...ray, 4));
  assert.ok(kept < shone - 3, `the ray was ${shone}, kept off it is ${kept}`);
  await undo(page);
  assert.ok(Math.abs(lum(await pixel(page, ...ray, 4)) - shone) < 0.7);
});

test("a burst on the sun shines behind what stands before it, and its edge glows over", async () => {
  const root = page.url().split("/shots/")[0];
  await visit(page, `${root + (await copyOf(page, root, "Tidewatch dunes"))}?step=glow&light=0`);
  await rested(page);
  const before = await picture(page);
  await page.locator('[data-hand="burst"]').click();
  await saved(page, async () => drag(page, await place(page, 843, 652), await place(page, 1500, 652)));
  const { lights, light } = await state(page);
  assert.equal(lights[light].name, "Burst");
  await rested(page);
  const inside = [820, 700];
  const open = [900, 560];
  const shone = [lum(await pixel(page, ...inside, 6)), lum(await pixel(page, ...open, 6))];
  // Something upright, left of the sun, stands before it.
  await saved(page, () =>
    page.evaluate(
      async ([i]) => {
        const { commit, set } = await import("/static/js/store.js");
        const tower = {
          id: "tower",
          name: "Tower",
          parts: [
            {
              on: true,
              does: "add",
              amount: 1,
              feather: 0,
              of: { kind: "shape", shape: { kind: "ellipse", x: 790, y: 740, width: 90, height: 300 } },
            },
          ],
        };
        await commit([
          set("/areas/-", tower, "add"),
          set(`/lights/${i}/blockers`, [{ on: true, area: "tower", shells: 1, wrap: 0, feather: 0 }]),
        ]);
      },
      [light],
    ),
  );
  await rested(page);
  const hidden = [lum(await pixel(page, ...inside, 6)), lum(await pixel(page, ...open, 6))];
  assert.ok(hidden[0] < shone[0] - 10, `behind the tower it was ${shone[0]}, it is ${hidden[0]}`);
  assert.ok(Math.abs(hidden[1] - shone[1]) < 6, `in the open it was ${shone[1]}, it is ${hidden[1]}`);
  assert.equal(await unlike(page), 0);
  const rim = [826, 700];
  const dark = lum(await pixel(page, ...rim, 4));
  await saved(page, () =>
    page.evaluate(
      async ([i]) => {
        const { commit, set } = await import("/static/js/store.js");
        await commit([set(`/lights/${i}/blockers/0/wrap`, 40)]);
      },
      [light],
    ),
  );
  await rested(page);
  const over = lum(await pixel(page, ...rim, 4));
  assert.ok(over > dark + 8, `within its edge it was ${dark}, with light that creeps over it is ${over}`);
  await undo(page);
  await undo(page);
  await undo(page);
  assert.equal(await picture(page), before);
});

test("bulbs are scattered in what was traced, and undone", async () => {
  await page.goto(page.url().replace("step=glow", "step=trace"));
  await page.locator('details[data-fold="scatter"]').waitFor();
  // In the letters of the sign.
  const n = (await shapesOf(page)).length;
  await page.locator('details[data-fold="scatter"] > summary').click();
  const gap = page.locator("#flocal-scatter-gap");
  await gap.fill("16");
  await gap.press("Enter");
  await saved(page, () => page.locator("#scatter").click());
  // Many shapes come after the page.
  let shapes = [];
  for (let i = 0; i < 60 && !(shapes.length && shapes.every((k) => k.kind === "ellipse")); i++) {
    await page.waitForTimeout(100);
    shapes = await shapesOf(page);
  }
  assert.ok(shapes.length > 30, `${shapes.length} shapes, the first ${shapes[0]?.kind}`);
  for (const a of shapes)
    for (const b of shapes) assert.ok(a === b || Math.hypot(a.x - b.x, a.y - b.y) > 15.8, "two lie closer");
  await undo(page);
  for (let i = 0; i < 60 && (await shapesOf(page)).length !== n; i++) await page.waitForTimeout(100);
  assert.equal((await shapesOf(page)).length, n);
});

test("what is found is kept off an area and a box, and a click on a ray shortens it", async () => {
  expectError(page, 422);
  const root = page.url().split("/shots/")[0];
  await visit(page, `${root + (await copyOf(page, root, "Tidewatch harbour"))}?step=glow&light=0`);
  await rested(page);
  // An area round the lamps on the left.
  await saved(page, () =>
    page.evaluate(async () => {
      const { commit, set } = await import("/static/js/store.js");
      const shape = { kind: "ellipse", x: 250, y: 500, width: 500, height: 1000 };
      const parts = [{ on: true, does: "add", amount: 1, feather: 0, of: { kind: "shape", shape } }];
      await commit([set("/areas/-", { id: "left", name: "Left side", parts }, "add")]);
    }),
  );
  await find("points");
  const n = await count();
  await page.locator("#found-sure").fill("40");
  const low = await count();
  assert.ok(low >= n);
  await page.locator("#found-off").selectOption({ label: "Left side" });
  await page.waitForFunction(() =>
    /excluded by area/.test(document.querySelector("#found [role=status]").textContent),
  );
  const off = await count();
  assert.ok(off < low && off > 5, `${low} were found, ${off} are left`);
  assert.equal(await page.locator("#found-sure").inputValue(), "40", "the threshold that was set is gone");
  assert.equal(await ringed(), off);
  // A drag with Shift drops what it goes round.
  const [a, b] = [await place(page, 780, 680), await place(page, 930, 830)];
  await page.keyboard.down("Shift");
  await drag(page, a, b);
  await page.keyboard.up("Shift");
  const boxed = await count();
  assert.ok(boxed === off - 1, `${off} before the box, ${boxed} after`);
  const second = await place(page, 854, 752);
  const rings = await page.evaluate(() =>
    [...document.querySelectorAll("#overlay circle.over:not(.faint)")].map((c) => {
      const r = document.getElementById("stage").getBoundingClientRect();
      return [r.left + Number(c.getAttribute("cx")), r.top + Number(c.getAttribute("cy"))];
    }),
  );
  assert.ok(!rings.some(([x, y]) => Math.abs(x - second.x) < 5 && Math.abs(y - second.y) < 5));
  await page.keyboard.press("Escape");
  // All of them, with rays that go far.
  await find("points");
  await saved(page, () => page.locator("#take-found").click());
  await page.locator('details[data-fold="rays"] > summary').click();
  await saved(page, () =>
    page.evaluate(async () => {
      const { commit, set } = await import("/static/js/store.js");
      await commit([
        set("/lights/2/rays/length", 500),
        set("/lights/2/rays/thick", 8),
        set("/lights/2/rays/turn", 0),
        set("/lights/2/rays/lengths", 0),
      ]);
    }),
  );
  const [mx, my] = [216.4, 265];
  const beyond = [mx + 330, my];
  const before = [mx + 180, my];
  const long = lum(await pixel(page, ...beyond, 3));
  const near = lum(await pixel(page, ...before, 3));
  await page.locator('[data-hand="cut-ray"]').click();
  const at = await place(page, mx + 250, my);
  await saved(page, () => page.mouse.click(at.x, at.y));
  const short = lum(await pixel(page, ...beyond, 3));
  assert.ok(short < long - 6, `beyond the click it was ${long}, it is ${short}`);
  assert.ok(lum(await pixel(page, ...before, 3)) > short + 10 && near > long);
  assert.equal(await unlike(page), 0);
  // With Alt it is as long as it was. The step was left for that export, and the hand with it.
  await page.locator('[data-hand="cut-ray"]').click();
  await page.keyboard.down("Alt");
  await saved(page, () => page.mouse.click(at.x - 60, at.y));
  await page.keyboard.up("Alt");
  assert.ok(Math.abs(lum(await pixel(page, ...beyond, 3)) - long) < 0.7);
  // Where no ray is, that is said, and nothing is saved.
  const none = await place(page, mx + 200, my + 110);
  await page.mouse.click(none.x, none.y);
  await page.getByText("No ray of this light passes there").waitFor();
  assert.equal((await state(page)).lights[2].rays.cuts?.length ?? 0, 0);
});

test("one more string is unlike the first, and its points vary round its gel", async () => {
  const root = page.url().split("/shots/")[0];
  await visit(page, `${root + (await copyOf(page, root, "Tidewatch harbour"))}?step=glow&light=0`);
  await rested(page);
  await saved(page, () =>
    page.evaluate(async () => {
      const { commit, set } = await import("/static/js/store.js");
      const nodes = [
        { x: 300, y: 1450 },
        { x: 1500, y: 1400 },
      ];
      const cord = { kind: "string", nodes, laid: "count", count: 16, spacing: 60, width: 26, sag: 0.1 };
      await commit([set("/lights/0/shapes", [cord])]);
    }),
  );
  const before = await picture(page);
  const count0 = (await state(page)).lights.length;
  await page.locator('details[data-fold="deal"] > summary').click();
  await saved(page, () => page.locator("#unlike").click());
  const { lights, light } = await state(page);
  assert.equal(lights.length, count0 + 1);
  assert.equal(light, 1, "the new one is not chosen");
  const [s] = await shapesOf(page);
  assert.ok(s.width !== 26 && s.count !== 16 && s.seed > 0 && s.scatter > 0, JSON.stringify(s));
  assert.notEqual(lights[0].gel.hue, lights[1].gel.hue);
  const both = await picture(page);
  assert.notEqual(both, before);
  assert.equal(await unlike(page), 0);
  await saved(page, () => page.locator("#vary").click());
  const varied = (await state(page)).lights.slice(1, 6);
  assert.equal(new Set(varied.map((l) => l.gel.hue)).size, 5);
  assert.equal(new Set(varied.map((l) => l.level)).size, 5);
  await undo(page);
  await undo(page);
  assert.equal(await picture(page), before);
});
