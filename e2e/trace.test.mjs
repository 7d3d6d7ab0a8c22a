// Tracing by mouse on the demo photos: one click, cling, tubes, all letters of a sign.
import assert from "node:assert/strict";
import { join } from "node:path";
import { after, before, test } from "node:test";
import {
  Server,
  launch,
  open,
  picture,
  pixel,
  place,
  saved,
  settled,
  shapesOf,
  state,
  upload,
} from "./lib.mjs";

let server;
let browser;
let page;
before(async () => {
  server = new Server();
  await server.start();
  browser = await launch();
});
after(async () => {
  await browser?.close();
  await server?.remove();
});

const demo = (name) => join(import.meta.dirname, "..", "demo", `tidewatch-${name}.jpg`);

// begin opens a demo photo as a new shot, at Trace.
async function begin(name) {
  page = await open(browser, server.url);
  await upload(page, demo(name));
  await page.waitForURL(/\/shots\/\w+/);
  await settled(page);
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator("#hands").waitFor();
}
const hint = () => page.locator("#trace-hint").textContent();
async function take(hand) {
  await page.locator(`[data-hand="${hand}"]`).click();
  await page.waitForFunction(
    () => !document.getElementById("trace-hint").textContent.includes("made ready"),
    null,
    { timeout: 60_000 },
  );
}
async function click(x, y, key) {
  const p = await place(page, x, y);
  await page.mouse.move(p.x - 4, p.y - 3);
  await page.mouse.move(p.x, p.y);
  if (key) await page.keyboard.down(key);
  await page.mouse.down();
  await page.mouse.up();
  if (key) await page.keyboard.up(key);
}
const light = (c) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
const overlay = (kind) => page.locator(`#overlay .${kind}`).count();

test("five panels and the porthole by one click each, the hexagon as a closed tube", async () => {
  await begin("quay");
  const rim = await pixel(page, 1265, 560, 3);
  await take("region");
  const began = Date.now();
  // What would be taken is shown before.
  const p = await place(page, 1254, 620);
  await page.mouse.move(p.x, p.y);
  await page.locator("#overlay .preview").first().waitFor();
  const panels = [
    [1254, 620],
    [1140, 590],
    [1355, 590],
    [1160, 720],
    [1344, 724],
  ];
  for (const [i, at] of panels.entries()) await saved(page, () => click(...at, i > 0 && "Shift"));
  let s = await state(page);
  assert.equal(s.lights.length, 1);
  const counts = (await shapesOf(page)).map((o) => o.nodes.length);
  assert.equal(counts.length, 5);
  assert.equal(counts[0], 5, `the middle panel has ${counts[0]} corners`);
  assert.ok(Math.max(...counts) <= 16, `points: ${counts}`);
  // The glow lies round them.
  const lit = await pixel(page, 1265, 560, 3);
  assert.ok(light(lit) > light(rim) + 5, `the rim went from ${rim} to ${lit}`);
  // Without Shift a light of its own.
  await saved(page, () => click(1232, 280));
  s = await state(page);
  assert.deepEqual(
    s.lights.map((l) => l.shapes.length),
    [5, 1],
  );
  // Undo takes one back, redo brings it again.
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal((await state(page)).lights.length, 1);
  await saved(page, () => page.keyboard.press("Control+Shift+z"));

  await page.locator("#board .add, [data-action='add-light']").first().click();
  await settled(page);
  await take("tube");
  const corners = [
    [2352, 400],
    [2182, 296],
    [2010, 396],
    [2003, 602],
    [2172, 700],
    [2342, 601],
  ];
  for (const c of corners) await click(...c);
  await saved(page, () => click(...corners[0]));
  const [tube] = await shapesOf(page);
  assert.ok(tube.closed && tube.nodes.length === 6);
  assert.ok(Math.abs(tube.width - 14) < 1.6, `its width is ${tube.width}`);
  assert.ok(Math.hypot(tube.nodes[0].x - 2351, tube.nodes[0].y - 398.6) < 3, JSON.stringify(tube.nodes[0]));
  assert.ok(Date.now() - began < 60_000, `it took ${(Date.now() - began) / 1000} s`);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a drag widens what is alike, Alt takes away, what has no region takes nothing", async () => {
  await begin("quay");
  await take("region");
  await saved(page, () => click(1254, 620));
  const before = await picture(page);
  // To the right it grows, until it is let go of.
  const p = await place(page, 1344, 724);
  const drag = async (by) => {
    await page.mouse.move(p.x, p.y);
    await page.mouse.down();
    for (let i = 1; i <= 10; i++) await page.mouse.move(p.x + (by * i) / 10, p.y);
    await page.locator("#overlay .preview").first().waitFor();
  };
  await drag(60);
  await saved(page, () => page.mouse.up());
  const box = (o) => {
    const xs = o.nodes.map((n) => n.x);
    return Math.max(...xs) - Math.min(...xs);
  };
  const wide = (await shapesOf(page)).map(box);
  assert.ok(Math.max(...wide) > 60 && Math.max(...wide) < 200, `it is ${wide} px wide`);
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal(await picture(page), before);
  // What would be more than half of the photo is asked about.
  const asked = (await state(page)).version;
  await drag(280);
  await page.mouse.up();
  await page.getByText("Half of the photo").waitFor();
  await page.locator("#notice").getByRole("button", { name: "Close" }).click();
  assert.equal((await state(page)).version, asked);
  await saved(page, () => click(1340, 724, "Alt"));
  assert.equal((await shapesOf(page)).at(-1).away, true);
  const version = (await state(page)).version;
  await page.keyboard.press("Escape");
  assert.equal((await state(page)).version, version);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a line clings between pins, is straight with Shift, and goes back pin by pin", async () => {
  await begin("quay");
  await take("cling");
  // The lower left panel, carelessly.
  const pins = [
    [1116, 674],
    [1178, 686],
    [1212, 742],
    [1190, 780],
    [1140, 766],
  ];
  for (const at of pins.slice(0, 3)) {
    await click(...at);
    await page.waitForTimeout(300);
  }
  assert.equal(await overlay("node"), 3);
  await page.keyboard.press("Backspace");
  assert.equal(await overlay("node"), 2);
  for (const at of pins.slice(2)) {
    await click(...at);
    await page.waitForTimeout(300);
  }
  assert.match(await hint(), /^Cling/);
  await saved(page, () => page.keyboard.press("Enter"));
  const [shape] = await shapesOf(page);
  assert.equal(shape.kind, "outline");
  assert.ok(shape.nodes.length >= 5 && shape.nodes.length <= 9, `${shape.nodes.length} points`);
  // Its corners lie on those of the pane, whatever was clicked.
  const near = (x, y) => Math.min(...shape.nodes.map((n) => Math.hypot(n.x - x, n.y - y)));
  assert.ok(near(1114.8, 673.8) < 5 && near(1181, 684) < 8, JSON.stringify(shape.nodes));
  for (const at of [
    [300, 1500],
    [600, 1500],
    [450, 1700],
  ])
    await click(...at, "Shift");
  await page.waitForTimeout(200);
  await saved(page, () => click(300, 1500, "Shift"));
  const straight = (await shapesOf(page)).at(-1);
  assert.equal(straight.nodes.length, 3);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("all letters of the sign in one go, within an area", async () => {
  await begin("harbour");
  // An area round the sign, drawn with four clicks.
  await page.locator('#rail [data-step="dusk"]').click();
  await page.locator("[data-start]").waitFor();
  await saved(page, () => page.selectOption("[data-start]", { index: 1 }));
  const select = page.locator("[data-area-of]").first();
  await saved(page, () => select.selectOption("+"));
  await page.locator('[data-hand="outline"]').click();
  for (const at of [
    [1815, 720],
    [2640, 720],
    [2640, 880],
    [1815, 880],
  ])
    await click(...at);
  await saved(page, () => page.keyboard.press("Enter"));
  const area = (await state(page)).areas.at(-1);
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator("#hands").waitFor();
  await take("region");
  await page.selectOption("#region-within", area.id);
  await page.locator("#region-all").check();
  await saved(page, () => click(1891, 820));
  const shapes = await shapesOf(page);
  const left = (o) => Math.min(...o.nodes.map((n) => n.x));
  const at = shapes.filter((o) => !o.away).map(left);
  // T I D E W A T C H: each has a shape that begins where it does.
  for (const x of [1860, 1942, 1981, 2065, 2142, 2265, 2358, 2443, 2530])
    assert.ok(
      at.some((v) => Math.abs(v - x) < 16),
      `nothing begins at ${x}: ${at.map(Math.round).sort()}`,
    );
  assert.ok(
    shapes.some((o) => o.away),
    "no counter was left out",
  );
  assert.deepEqual(page.faults, []);
  await page.context().close();
});
