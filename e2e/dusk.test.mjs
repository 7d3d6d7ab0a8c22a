// Day into night, by mouse on the dunes: passes, areas, curves, the brush, Finish; and the
// other hands that areas are drawn with.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import {
  openCopy,
  drag,
  picture,
  pixel,
  place,
  rested,
  saved,
  serve,
  settled,
  state,
  unlike,
} from "./lib.mjs";

let server;
let browser;
let page;
serve({}, (it) => ({ server, browser } = it));

// Each test has a copy of the dunes of its own, with the dusk of the demo thrown out.
const plain = [{ op: "replace", path: "/dusk/passes", value: [] }];
beforeEach(async () => {
  page = await openCopy({ browser, server }, "Tidewatch dunes", "step=dusk", () => plain);
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
  await page.locator("#bench .head").waitFor();
};

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
  const dim = light(await pixel(page, ...red, 6));
  await saved(page, () => click(...red));
  const kept = light(await pixel(page, ...red, 6));
  assert.ok(kept > dim * 1.5, `the picked red went from ${dim} to ${kept}`);
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
  await page.locator("#bench .head h2", { hasText: "Finish" }).waitFor();
  await start("gel-ramp");
  await mark();
  const follow = (await state(page)).finish.passes[0].does.follow;
  const index = (await state(page)).lights.findIndex((l) => l.id === follow);
  assert.ok(index >= 0, "the ramp follows no light");
  const warm = await pixel(page, 300, 1500, 60);
  await page.locator(`[data-choose="${index}"]`).click();
  await page.locator('#rail [data-step="glow"]').click();
  const hue = page.locator(`at=#f-lights-${index}-gel-hue`);
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
  await page.locator("#bench .head h2", { hasText: "Finish" }).waitFor();
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
  assert.equal(await unlike(page), 0, "samples of the export differ from those on the screen");

  // Each step is undone, back to where it began.
  const versions = (await state(page)).version;
  for (const want of marks.toReversed().slice(1)) {
    await undo();
    assert.equal(await picture(page), want, "undo does not bring the picture of before");
  }
  assert.ok(versions > 10);
  await calm();
});

// parts gives the parts of the area that is open.
const parts = async () => {
  const s = await state(page);
  return s.areas.find((a) => a.id === s.focus.area).parts;
};
// covered gives how opaque the look at the area is at a place of the photo, 0 to 255.
const covered = async (x, y) => {
  const p = await place(page, x, y);
  return page.evaluate(
    ([cx, cy]) => {
      const c = document.getElementById("look");
      const r = c.getBoundingClientRect();
      const k = c.width / r.width;
      return c.getContext("2d").getImageData((cx - r.left) * k, (cy - r.top) * k, 1, 1).data[3];
    },
    [p.x, p.y],
  );
};
// looked waits until the look at the area is that of the saved version.
const looked = () =>
  page.waitForFunction(() => {
    const v = JSON.parse(document.getElementById("shot-state").dataset.state).version;
    return document.getElementById("stage").dataset.looking.endsWith(` ${v}`);
  });
const hand = (name) => page.locator(`[data-hand="${name}"]`).click();
const middle = async (locator) => {
  const b = await locator.boundingBox();
  return { x: b.x + b.width / 2, y: b.y + b.height / 2 };
};

test("an area is drawn with every hand, looked at, and put in order", async () => {
  await saved(page, () => page.selectOption("[data-add-pass]", "levels"));
  await saved(page, () => page.selectOption('at=[data-area-of="/dusk/passes/0/area"]', "+"));
  assert.equal(await page.locator("#bench .head input").inputValue(), "Levels");
  await page.locator('[data-look-as="black"]').click();

  const kinds = async () => (await parts()).map((p) => (p.of.kind === "shape" ? p.of.shape.kind : p.of.kind));
  await hand("ellipse");
  await saved(page, () => across([400, 300], [1000, 700]));
  const [e] = await parts();
  assert.ok(Math.abs(e.of.shape.x - 700) < 4 && Math.abs(e.of.shape.width - 600) < 8, JSON.stringify(e));
  await looked();
  assert.ok(
    (await covered(700, 500)) < 10 && (await covered(1200, 500)) > 245,
    "what is covered does not show on black",
  );

  await hand("freehand");
  const round = await Promise.all(
    [...Array(41).keys()].map((i) =>
      place(page, 1700 + 250 * Math.cos((i * Math.PI) / 20), 500 + 200 * Math.sin((i * Math.PI) / 20)),
    ),
  );
  await saved(page, async () => {
    await page.mouse.move(round[0].x, round[0].y);
    await page.mouse.down();
    for (const p of round) await page.mouse.move(p.x, p.y);
    await page.mouse.up();
  });
  const free = (await parts())[1].of.shape;
  assert.ok(
    free.nodes.length >= 3 && free.nodes.length <= 14,
    `the freehand outline has ${free.nodes.length} points`,
  );

  await hand("outline");
  await saved(page, async () => {
    for (const [x, y] of [
      [300, 1200],
      [700, 1200],
      [700, 1600],
    ])
      await click(x, y);
    await page.keyboard.press("Enter");
  });
  await hand("tube");
  await saved(page, async () => {
    await click(900, 1200);
    await click(1300, 1500);
    await page.keyboard.press("Enter");
  });
  await page.keyboard.press("l");
  await saved(page, () => across([1500, 1900], [1500, 1700]));
  await hand("ring");
  await saved(page, () => across([2500, 1500], [2700, 1650]));
  assert.deepEqual(await kinds(), ["ellipse", "outline", "outline", "tube", "line", "ring"]);
  await looked();
  for (const [x, y] of [
    [1700, 500],
    [620, 1300],
    [1100, 1350],
    [1500, 1950],
    [2500, 1500],
  ])
    assert.ok((await covered(x, y)) < 40, `nothing is covered at ${x}, ${y}`);

  // The ring is what one goes on with: its handle makes it wider.
  const ring = (await parts())[5].of;
  await saved(page, () => across([ring.x + ring.width / 2, ring.y], [ring.x + ring.width / 2 + 150, ring.y]));
  assert.ok((await parts())[5].of.width > ring.width + 250);

  // The brush: a stroke, straight on from its end with Shift, some of it erased with Alt.
  await hand("brush");
  await page.keyboard.press(".");
  await page.keyboard.press(".");
  const size = await page.evaluate(async () => {
    const { local } = await import("/static/js/local.js");
    return local("local:diameter");
  });
  assert.ok(size > 190 && size < 210, `two steps larger the brush has ${size} px`);
  await saved(page, () => across([2000, 900], [2300, 900]));
  await page.keyboard.down("Shift");
  await saved(page, () => click(2300, 1200));
  await page.keyboard.up("Shift");
  const strokes = async () => (await parts()).find((p) => p.of.kind === "strokes").of.strokes;
  const [, straight] = await strokes();
  assert.equal(straight.points.length, 2);
  assert.ok(Math.abs(straight.points[0].x - 2300) < 6 && Math.abs(straight.points[1].y - 1200) < 6);
  await looked();
  assert.ok((await covered(2300, 1050)) < 40);
  await page.keyboard.down("Alt");
  await saved(page, () => across([2200, 1050], [2400, 1050]));
  await page.keyboard.up("Alt");
  assert.equal((await strokes())[2].erase, true);
  await looked();
  assert.ok((await covered(2300, 1050)) > 200, "what was erased is still covered");
  // A pen presses less: the stroke keeps by how much.
  const pen = await page.context().newCDPSession(page);
  const [c, d] = [await place(page, 300, 1750), await place(page, 600, 1750)];
  const press = (type, x, force) =>
    pen.send("Input.dispatchMouseEvent", {
      type,
      x,
      y: c.y,
      button: "left",
      buttons: 1,
      clickCount: 1,
      pointerType: "pen",
      force,
    });
  await saved(page, async () => {
    await press("mousePressed", c.x, 0.2);
    for (let i = 1; i <= 8; i++) await press("mouseMoved", c.x + ((d.x - c.x) * i) / 8, 0.2 + 0.06 * i);
    await press("mouseReleased", d.x, 0);
  });
  const drawn = (await strokes())[3].points.map((q) => q.p);
  assert.ok(drawn[0] < 0.3 && Math.max(...drawn) > 0.55, `the pen pressed with ${drawn}`);
  await looked();
  assert.ok((await covered(330, 1750)) > (await covered(570, 1750)) + 40, "pressure changes nothing");
  // A stroke is chosen on the photo.
  await hand("edit");
  const at = await place(page, 2150, 900);
  await page.mouse.click(at.x, at.y);
  await page.locator(".stroke.open", { hasText: "Stroke 1" }).waitFor();

  // Parts by rule, their window dragged; what they do; their order by drag.
  await saved(page, () => page.selectOption("[data-add-part]", "tone"));
  await page.locator("svg.tone").scrollIntoViewIfNeeded();
  const tone = await page.locator("svg.tone").boundingBox();
  const toneAt = (v) => ({ x: tone.x + ((12 + 276 * v) * tone.width) / 300, y: tone.y + tone.height / 2 });
  await saved(page, () => drag(page, toneAt(0), toneAt(0.5)));
  assert.ok(Math.abs((await parts()).at(-1).of.low - 0.5) < 0.03);
  await saved(page, () => page.locator("at=#part-7 .does").selectOption("keep"));
  await saved(page, () => page.locator("at=#part-7 [data-toggle]").click());
  const last = (await parts())[7];
  assert.ok(last.does === "keep" && last.inverted);
  await saved(page, async () => {
    const from = await middle(page.locator("at=#part-7 [data-grip]"));
    const to = await middle(page.locator("at=#part-0 .thing-line"));
    await drag(page, from, { x: to.x, y: to.y - 6 });
  });
  assert.equal((await kinds())[0], "tone");
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal((await kinds())[0], "ellipse");

  // The wheel of hues: the band is turned, then an end of it opens it wider.
  await saved(page, () => page.selectOption("[data-add-part]", "hue"));
  const band = async () => (await parts()).at(-1).of;
  const first = await band();
  const wheel = await page.locator("#wheel").boundingBox();
  const around = (r, deg) => ({
    x: wheel.x + wheel.width / 2 + (r / 100) * wheel.width * Math.cos((deg * Math.PI) / 180),
    y: wheel.y + wheel.height / 2 + (r / 100) * wheel.height * Math.sin((deg * Math.PI) / 180),
  });
  await saved(page, () => drag(page, around(20, first.hue), around(20, first.hue + 60)));
  const turned = await band();
  assert.ok(Math.abs(turned.hue - first.hue - 60) < 5, `the band went from ${first.hue} to ${turned.hue}`);
  await saved(page, () =>
    drag(page, around(35, turned.hue + turned.width / 2), around(35, turned.hue + turned.width / 2 + 30)),
  );
  assert.ok(Math.abs((await band()).width - turned.width - 60) < 8, "an end of the band does not widen it");

  // Back on the step: levels are dragged under the histogram, and the pass is held off.
  await page.keyboard.press("Escape");
  await page.locator("#levels").waitFor();
  const box = await page.locator("#levels").boundingBox();
  const level = (v) => ({ x: box.x + ((14 + 272 * v) * box.width) / 300, y: box.y + box.height * 0.9 });
  await saved(page, () => drag(page, level(1), level(0.6)));
  assert.ok(Math.abs((await state(page)).dusk.passes[0].does.white - 0.6) < 0.02);
  const version = (await state(page)).version;
  const lit = await picture(page);
  const p = await middle(page.locator("at=#pass-0 .switch"));
  await page.mouse.move(p.x, p.y);
  await page.mouse.down();
  await page.waitForFunction(() => document.getElementById("stage").dataset.drawn.endsWith(":draft"));
  await rested(page);
  assert.notEqual(await picture(page), lit, "held, the picture does not show itself without the pass");
  await page.mouse.up();
  await settled(page);
  assert.equal(await picture(page), lit);
  assert.equal((await state(page)).version, version);
  // A click switches it off.
  await saved(page, () => page.locator("at=#pass-0 .switch").click());
  assert.equal((await state(page)).dusk.passes[0].on, false);
  await calm();
});

test("a small photo is enlarged to fit with crisp pixels, and the clipped share is shown", async () => {
  await page.goto(server.url);
  const { jpeg, upload } = await import("./lib.mjs");
  await upload(page, { name: "small.jpg", mimeType: "image/jpeg", buffer: await jpeg(page, 300, 200) });
  await page.waitForURL(/shots\//);
  await settled(page);
  const wide = () =>
    page.evaluate(async () => {
      const { toScreen } = await import("/static/js/view.js");
      return toScreen(300, 0)[0] - toScreen(0, 0)[0];
    });
  assert.ok((await wide()) > 800, `it is ${await wide()} wide`);
  // The line with tool and readout leaves the buttons free.
  await page.mouse.move(800, 300);
  await page.locator("#r-at:not(:empty)").waitFor();
  const boxes = await page.evaluate(() =>
    ["#readout", "#stage .tools", "#trace-hint"].map((s) => {
      const r = document.querySelector(s).getBoundingClientRect();
      return [r.left, r.right, r.top, r.bottom];
    }),
  );
  for (const a of boxes)
    for (const b of boxes)
      assert.ok(
        a === b ||
          a[0] === a[1] ||
          b[0] === b[1] ||
          a[1] <= b[0] ||
          b[1] <= a[0] ||
          a[3] <= b[2] ||
          b[3] <= a[2],
        `they lie on each other: ${JSON.stringify(boxes)}`,
      );
  await saved(page, () => page.selectOption("[data-add-pass]", "levels"));
  const field = page.locator("at=#f-dusk-passes-0-does-white");
  await saved(page, async () => {
    await field.fill("50");
    await field.press("Enter");
  });
  await page.locator("#r-clip", { hasText: /clipped [0-9.]+ %/ }).waitFor();
  await page.locator("#tones text", { hasText: "clipped" }).waitFor();
  await calm();
});
