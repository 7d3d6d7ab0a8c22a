// Tracing by mouse on the demo photos: one click, cling, tubes, all letters of a sign.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { test } from "node:test";
import {
  drag,
  open,
  picture,
  pixel,
  place,
  saved,
  serve,
  settled,
  shapesOf,
  state,
  upload,
  expectError,
} from "./lib.mjs";

let server;
let browser;
let page;
serve({ mode: "serve" }, (it) => ({ server, browser } = it));

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
    () => !document.getElementById("trace-hint").textContent.includes("Preparing photo"),
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
// pull drags from one place of the photo to another, with a key held.
async function pull(from, to, key) {
  if (key) await page.keyboard.down(key);
  await drag(page, await place(page, ...from), await place(page, ...to), 6);
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

  await page.locator(".channel.add [data-action='add-light']").click();
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
  const unchanged = await picture(page);
  // To the right it grows, until it is let go of.
  const p = await place(page, 1344, 724);
  const widen = async (by) => {
    await page.mouse.move(p.x, p.y);
    await page.mouse.down();
    for (let i = 1; i <= 10; i++) await page.mouse.move(p.x + (by * i) / 10, p.y);
    await page.locator("#overlay .preview").first().waitFor();
  };
  await widen(60);
  await saved(page, () => page.mouse.up());
  const box = (o) => {
    const xs = o.nodes.map((n) => n.x);
    return Math.max(...xs) - Math.min(...xs);
  };
  const wide = (await shapesOf(page)).map(box);
  assert.ok(Math.max(...wide) > 60 && Math.max(...wide) < 200, `it is ${wide} px wide`);
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal(await picture(page), unchanged);
  // What would be more than half of the photo is asked about.
  const asked = (await state(page)).version;
  await widen(280);
  await page.mouse.up();
  await page.getByText("Large region").waitFor();
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
  assert.match(await hint(), /^Live-wire/);
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
  await take("region");
  await saved(page, () => page.selectOption("#region-within", "+"));
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
  await page.locator("[data-close]").click();
  await page.locator('#hands [data-hand="string"]').waitFor();
  await take("region");
  assert.equal(await page.locator("#region-within").inputValue(), area.id);
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

test("shapes are scaled, turned, mirrored, copied, moved to another light, and undone", async () => {
  await begin("quay");
  await take("region");
  await saved(page, () => click(1254, 620));
  const first = await picture(page);
  const boxOf = async (k = -1) => {
    const all = await shapesOf(page);
    const { nodes } = all.at(k);
    const xs = nodes.map((n) => n.x);
    const ys = nodes.map((n) => n.y);
    const [x, y] = [Math.min(...xs), Math.min(...ys)];
    return { x, y, w: Math.max(...xs) - x, h: Math.max(...ys) - y, nodes, count: all.length };
  };
  const b = await boxOf();
  await take("transform");
  // The lower right grip to twice the size, about the upper left corner.
  await saved(page, () => pull([b.x + b.w, b.y + b.h], [b.x + 2 * b.w, b.y + 2 * b.h]));
  let now = await boxOf();
  assert.ok(
    Math.abs(now.w - 2 * b.w) < 8 && Math.abs(now.h - 2 * b.h) < 8 && Math.abs(now.x - b.x) < 1,
    JSON.stringify(now),
  );
  assert.notEqual(await picture(page), first);
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal(await picture(page), first);
  // A quarter of a turn by the knob, in steps.
  const k = await place(page, b.x + b.w / 2, b.y);
  const middle = await place(page, b.x + b.w / 2, b.y + b.h / 2);
  await page.mouse.move(k.x, k.y - 26);
  await page.keyboard.down("Shift");
  await page.mouse.down();
  const r = middle.y - k.y + 26;
  for (let i = 1; i <= 9; i++) {
    const a = (i * Math.PI) / 18 - Math.PI / 2;
    await page.mouse.move(middle.x + r * Math.cos(a), middle.y + r * Math.sin(a));
  }
  await saved(page, () => page.mouse.up());
  await page.keyboard.up("Shift");
  now = await boxOf();
  assert.ok(Math.abs(now.w - b.h) < 1 && Math.abs(now.h - b.w) < 1, `${now.w} x ${now.h} of ${b.w} x ${b.h}`);
  await saved(page, () => page.keyboard.press("Control+z"));
  // Mirrored: what pointed down points up.
  await saved(page, () => page.locator('[data-shapes="upright"]').click());
  now = await boxOf();
  const low = (n) => n.reduce((a, c) => (c.y > a.y ? c : a));
  const high = (n) => n.reduce((a, c) => (c.y < a.y ? c : a));
  assert.ok(Math.abs(high(now.nodes).x - low(b.nodes).x) < 0.1 && Math.abs(now.y - b.y) < 0.1);
  // A copy, nudged aside, and put into another light.
  await saved(page, () => page.locator('[data-shapes="copy"]').click());
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Shift+ArrowRight"));
  now = await boxOf();
  assert.equal(now.count, 2);
  assert.ok(Math.abs(now.x - b.x - 10) < 0.1, `${now.x} after ${b.x}`);
  // One corner by itself, the others stay.
  await saved(page, () => pull([now.x + now.w, now.y], [now.x + now.w + 40, now.y - 30], "Alt"));
  const bent = await boxOf();
  assert.ok(bent.w > now.w + 8 && Math.abs(bent.x - now.x) < 3, JSON.stringify(bent));
  await page.locator(".channel.add [data-action='add-light']").click();
  await settled(page);
  await page.locator('[data-choose="0"]').click();
  await settled(page);
  await take("transform");
  await saved(page, () => page.selectOption("#shapes-to", { index: 1 }));
  const s = await state(page);
  assert.deepEqual(
    s.lights.map((l) => l.shapes.length),
    [0, 2],
  );
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.deepEqual(
    (await state(page)).lights.map((l) => l.shapes.length),
    [2, 0],
  );
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a click sets a bulb as large as the float that is there, five clicks an ellipse", async () => {
  await begin("quay");
  await take("rim");
  for (let i = 0; i < 4; i++) await click(1237 + 120 * Math.cos(i * 1.25), 273 + 62 * Math.sin(i * 1.25));
  await saved(page, () => click(1237 + 120 * Math.cos(5), 273 + 62 * Math.sin(5)));
  const [rim] = await shapesOf(page);
  assert.ok(Math.abs(rim.width - 240) < 12 && Math.abs(rim.height - 124) < 12, JSON.stringify(rim));
  await saved(page, () => page.keyboard.press("Control+z"));
  await take("bulb");
  for (const [x, y] of [
    [524, 236],
    [676, 278],
    [826, 314],
  ])
    await saved(page, () => click(x, y));
  const shapes = await shapesOf(page);
  for (const [i, s] of shapes.entries()) {
    assert.equal(s.kind, "ellipse");
    assert.ok(Math.abs(s.width - 47) < 4 && s.width === s.height, `bulb ${i} is ${s.width} px wide`);
  }
  assert.ok(Math.hypot(shapes[1].x - 675.8, shapes[1].y - 278.4) < 2, JSON.stringify(shapes[1]));
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("points are chosen together, nudged, bent sides, and a tube's width by its knob", async () => {
  await begin("quay");
  await page.locator('[data-hand="outline"]').click();
  for (const at of [
    [300, 1300],
    [600, 1300],
    [600, 1600],
    [300, 1600],
  ])
    await click(...at);
  await saved(page, () => page.keyboard.press("Enter"));
  await take("edit");
  const nodes = async () => (await shapesOf(page))[0].nodes;
  const old = await nodes();
  // A box round the upper two, then both go along with one.
  await pull([260, 1240], [660, 1360], "Shift");
  assert.equal(await overlay("node.chosen"), 2);
  await saved(page, () => pull([old[0].x, old[0].y], [old[0].x, old[0].y - 60]));
  let now = await nodes();
  const close = (a, b) => Math.abs(a - b) < 3;
  assert.ok(
    close(now[0].y, old[0].y - 60) && close(now[1].y, old[1].y - 60) && close(now[2].y, old[2].y),
    JSON.stringify(now),
  );
  await saved(page, () => page.keyboard.press("Shift+ArrowDown"));
  now = await nodes();
  assert.ok(close(now[0].y, old[0].y - 50) && now[2].y === old[2].y);
  // A side is bent where it is taken hold of.
  const [x, y] = [(now[2].x + now[3].x) / 2, now[2].y];
  await saved(page, () => pull([x, y], [x, y + 80], "Alt"));
  now = await nodes();
  assert.ok(now[2].out[1] > 60 && now[3].in[1] > 60, JSON.stringify(now));
  await saved(page, () => page.keyboard.press("Control+z"));
  // Delete takes both away; what is left is no outline and goes.
  await pull([260, 1200], [660, 1360], "Shift");
  await saved(page, () => page.keyboard.press("Delete"));
  assert.equal((await shapesOf(page)).length, 0);

  await take("tube");
  await click(1700, 1500);
  await click(2100, 1500);
  await saved(page, () => page.keyboard.press("Enter"));
  await take("edit");
  const tube = async () => (await shapesOf(page))[0];
  const t = await tube();
  const side = [t.nodes[0].x, t.nodes[0].y - t.width / 2];
  await saved(page, () => pull(side, [side[0], t.nodes[0].y - 60]));
  assert.ok(close((await tube()).width, 120), `${(await tube()).width}`);
  await saved(page, () => pull([t.nodes[1].x, t.nodes[1].y - 60], [t.nodes[1].x, t.nodes[1].y - 15], "Alt"));
  const thin = await tube();
  assert.ok(
    close(thin.width, 120) && Math.abs(thin.widths[1].k - 0.25) < 0.03 && thin.widths[0].k === 1,
    JSON.stringify(thin),
  );
  // A point more, one less: the widths go with their points.
  const p = await place(page, (t.nodes[0].x + t.nodes[1].x) / 2, t.nodes[0].y);
  await saved(page, () => page.mouse.dblclick(p.x, p.y));
  const three = await tube();
  assert.deepEqual([three.nodes.length, three.widths.length], [3, 3]);
  assert.ok(Math.abs(three.widths[1].k - (1 + thin.widths[1].k) / 2) < 0.01, JSON.stringify(three.widths));
  await click(t.nodes[0].x, t.nodes[0].y);
  await saved(page, () => page.keyboard.press("Delete"));
  assert.deepEqual(
    (await tube()).widths.map((v) => v.k),
    [three.widths[1].k, thin.widths[1].k],
  );
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("shapes come from an SVG file and go into one, and come back the same", async () => {
  await begin("quay");
  expectError(page, 422);
  // The demo photo is 3000 by 2000: the drawing is scaled to it.
  const drawing =
    '<svg viewBox="0 0 300 200"><path d="M30 130h30l10 40h-40z"/><circle cx="90" cy="150" r="12"/><text>no</text></svg>';
  const put = (text) =>
    page.setInputFiles("#drawing-in", {
      name: "a.svg",
      mimeType: "image/svg+xml",
      buffer: Buffer.from(text),
    });
  await page.locator(".channel.add [data-action='add-light']").click();
  await page.locator("#drawing-in").waitFor({ state: "attached" });
  await settled(page);
  const dark = await pixel(page, 450, 1500, 6);
  await saved(page, () => put(drawing));
  await page.getByText("Not imported").waitFor();
  const shapes = await shapesOf(page);
  assert.deepEqual([shapes[0].nodes[0].x, shapes[0].nodes[0].y, shapes[1].width], [300, 1300, 240]);
  assert.ok(light(await pixel(page, 450, 1500, 6)) > light(dark) + 40);
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Export SVG" }).click(),
  ]);
  const text = readFileSync(await download.path(), "utf8");
  const lit = await picture(page);
  await saved(page, () => page.keyboard.press("Control+z"));
  await saved(page, () => put(text));
  assert.equal(await picture(page), lit);
  const version = (await state(page)).version;
  await put("<svg><g>");
  await page.getByText(/not a valid SVG/).waitFor();
  assert.equal((await state(page)).version, version);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("a light is looked at cut out, and its edge followed at 1:1", async () => {
  await begin("quay");
  await take("region");
  await saved(page, () => click(1254, 620));
  const look = (x, y) =>
    place(page, x, y).then((p) =>
      page.evaluate(
        ([cx, cy]) => {
          const c = document.getElementById("look");
          const r = c.getBoundingClientRect();
          const k = c.width / r.width;
          return [...c.getContext("2d").getImageData((cx - r.left) * k, (cy - r.top) * k, 1, 1).data];
        },
        [p.x, p.y],
      ),
    );
  for (const [as, inside, outside] of [
    ["black", [0, 0, 0, 0], [12, 12, 11, 255]],
    ["white", [0, 0, 0, 0], [255, 255, 255, 255]],
  ]) {
    await page.locator(`[data-look-as="${as}"]`).click();
    await page.waitForFunction((a) => document.getElementById("stage").dataset.looking.startsWith(a), as);
    assert.deepEqual(await look(1254, 620), inside);
    assert.deepEqual(await look(1900, 1200), outside);
  }
  await page.locator('[data-look-as=""]').click();
  await take("edit");
  await page.locator("#stage").focus();
  const [shape] = await shapesOf(page);
  const places = [];
  for (let i = 0; i < 2; i++) {
    await page.keyboard.press("n");
    await page.waitForTimeout(150);
    places.push(await place(page, shape.nodes[0].x, shape.nodes[0].y));
  }
  // First the first point is in the middle, then the view has gone on, at 1:1.
  const stage = await page.locator("#stage").boundingBox();
  assert.ok(
    Math.hypot(places[0].x - stage.x - stage.width / 2, places[0].y - stage.y - stage.height / 2) < 3,
  );
  const gone = Math.hypot(places[1].x - places[0].x, places[1].y - places[0].y);
  assert.ok(gone > 60 && gone <= 245, `it went on by ${gone}`);
  assert.match(await page.locator("#zoom").textContent(), /100 %/);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

// hungBulbs gives the bulbs of the first shape as the page draws them, and checks that they are
// those that the core makes of the same string.
async function hungBulbs() {
  const [drawn, made] = await page.evaluate(async () => {
    const [{ bulbsOf }, s] = await Promise.all([
      import("/static/js/string.js"),
      import("/static/js/store.js"),
    ]);
    const svg = await (await fetch(`/shots/${s.shot.id}/drawing.svg?light=${s.light().id}`)).text();
    const circles = [...svg.matchAll(/<circle[^>]* cx="(.*?)" cy="(.*?)" r="(.*?)"/g)];
    return [
      bulbsOf(s.shapesOf(s.light())[0]).filter((b) => !b.gone),
      circles.map((m) => m.slice(1).map(Number)),
    ];
  });
  assert.equal(drawn.length, made.length);
  drawn.forEach((b, i) => {
    const [x, y, r] = made[i];
    const off = Math.hypot(b.x - x, b.y - y);
    assert.ok(off < 0.3 && Math.abs(b.width / 2 - r) < 0.01, `bulb ${i}: ${JSON.stringify(b)}, ${made[i]}`);
  });
  return drawn;
}
async function enter(field, value) {
  await saved(page, async () => {
    await page.locator(field).fill(value);
    await page.locator(field).press("Enter");
  });
}

test("the floats are traced as a string, and single ones moved, dropped, sized, and kept so", async () => {
  await begin("quay");
  const dark = await pixel(page, 2006, 359, 3);
  await take("string");
  const began = Date.now();
  for (const at of [
    [372, 187],
    [1120, 364],
    [1860, 376],
  ])
    await click(...at);
  await click(2743, 176);
  await saved(page, () => page.keyboard.press("Enter"));
  assert.ok(Date.now() - began < 20_000);
  const all = await hungBulbs();
  assert.ok(all.length >= 13 && all.length <= 17, `${all.length} bulbs`);
  // Each float in sight has one on it, of its size.
  for (const [x, y] of [
    [372, 187],
    [524, 236],
    [676, 278],
    [826, 314],
    [1419, 388],
    [1566, 391],
    [1713, 387],
    [1859, 376],
    [2006, 359],
    [2299, 306],
    [2447, 269],
    [2595, 226],
    [2743, 176],
  ])
    assert.ok(
      all.some((b) => Math.hypot(b.x - x, b.y - y) < 3 && Math.abs(b.width - 47) < 5),
      `none at ${x}, ${y}: ${JSON.stringify(all)}`,
    );
  assert.ok(light(await pixel(page, 2006, 359, 3)) > light(dark) + 20);
  // One is dropped, taken back, moved, and made larger.
  await take("edit");
  await click(2006, 359);
  await saved(page, () => page.keyboard.press("Delete"));
  assert.ok(light(await pixel(page, 2006, 359, 3)) < light(dark) + 12);
  assert.equal((await hungBulbs()).length, all.length - 1);
  await saved(page, () => page.keyboard.press("Delete"));
  assert.equal((await hungBulbs()).length, all.length);
  await saved(page, () => page.keyboard.press("Delete"));
  await saved(page, () => pull([1566, 391], [1566, 500]));
  assert.ok(light(await pixel(page, 1566, 500, 3)) > light(await pixel(page, 1566, 391, 3)) + 20);
  const [s] = await shapesOf(page);
  const moved = s.own.find((b) => !b.found && !b.gone);
  await saved(page, () =>
    pull([moved.x + (s.width * moved.size) / 2, moved.y], [moved.x + s.width * moved.size, moved.y]),
  );
  const kept = (b) => Math.hypot(b.x - moved.x, b.y - moved.y) < 1 && Math.abs(b.width - 2 * s.width) < 8;
  assert.ok((await hungBulbs()).some(kept));
  // More and fewer of the others: what was done by hand stays.
  const gone = [2006, 359];
  for (const count of ["30", "9", "5"]) {
    await enter("at=#f-lights-0-shapes-0-count", count);
    const now = await hungBulbs();
    assert.equal(now.length, Number(count) - 1);
    assert.ok(now.some(kept), JSON.stringify(now));
    assert.ok(!now.some((b) => Math.hypot(b.x - gone[0], b.y - gone[1]) < 25));
  }
  await saved(page, () => page.getByRole("button", { name: "Space evenly" }).click());
  const even = await hungBulbs();
  assert.equal(even.length, 5);
  // By spacing, and hanging down as far as it is pulled.
  await saved(page, () => page.locator("at=#f-lights-0-shapes-0-laid").selectOption("spacing"));
  await enter("at=#f-lights-0-shapes-0-spacing", "100");
  assert.ok((await hungBulbs()).length > 20);
  const [a, b] = s.nodes;
  const middle = [(a.x + b.x) / 2, (a.y + b.y) / 2];
  await saved(page, () => pull(middle, [middle[0], middle[1] + 150], "Alt"));
  const [hangs] = await shapesOf(page);
  assert.ok(Math.abs(hangs.sag - 150 / (b.x - a.x)) < 0.03, `${hangs.sag}`);
  await hungBulbs();
  // Set on what is there once more.
  await saved(page, () => page.locator("at=#f-lights-0-shapes-0-laid").selectOption("count"));
  await enter("at=#f-lights-0-shapes-0-sag", "0");
  await enter("at=#f-lights-0-shapes-0-count", "17");
  await saved(page, () => page.getByRole("button", { name: "Snap to photo" }).click());
  assert.ok((await hungBulbs()).some((q) => Math.hypot(q.x - 1566, q.y - 391) < 3));
  // It can be turned, and goes where it is moved, with its bulbs.
  const unmoved = await hungBulbs();
  await take("transform");
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Shift+ArrowDown"));
  const lower = await hungBulbs();
  lower.forEach((q, i) => assert.ok(Math.abs(q.y - unmoved[i].y - 10) < 0.1));
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.deepEqual(await hungBulbs(), unmoved);
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

test("boxes, polygons, points that snap, a magnifier, the order of shapes, and copies in another shot", async () => {
  await begin("quay");
  await take("box");
  const a = await place(page, 1500, 1300);
  const b = await place(page, 1900, 1600);
  await page.mouse.move(a.x, a.y);
  await page.mouse.down();
  await page.mouse.move(b.x - 5, b.y);
  await page.mouse.move(b.x, b.y);
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("ArrowUp");
  assert.match(await hint(), /Corner radius 20 %/);
  await saved(page, () => page.mouse.up());
  await take("polygon");
  await saved(page, () => pull([2172, 500], [2172, 300]));
  const [box, six] = await shapesOf(page);
  assert.equal(box.nodes.length, 8);
  assert.ok(Math.abs(box.nodes[0].y - box.nodes[1].y - 30) < 1 && Math.abs(box.nodes[0].y - 1330) < 3);
  assert.equal(six.nodes.length, 6);
  assert.ok(light(await pixel(page, 2172, 500, 4)) > 200);
  // The order is changed by the grip, by mouse and by key.
  const grip = (i) => page.locator(".shapes [data-grip]").nth(i);
  const [g0, g1] = [await grip(0).boundingBox(), await grip(1).boundingBox()];
  await saved(page, () => drag(page, { x: g1.x + 6, y: g1.y + 12 }, { x: g0.x + 6, y: g0.y + 5 }, 6));
  const order = async () => (await shapesOf(page)).map((s) => s.nodes.length);
  assert.deepEqual(await order(), [6, 8]);
  await grip(0).focus();
  await saved(page, () => page.keyboard.press("ArrowDown"));
  assert.deepEqual(await order(), [8, 6]);
  // A new outline begins at a corner of the hexagon, to the pixel; with Ctrl it does not.
  await take("outline");
  const corner = six.nodes[3];
  for (const key of [undefined, "Control"]) {
    await click(corner.x + 8, corner.y + 10, key);
    await click(corner.x - 200, corner.y + 150);
    await click(corner.x + 200, corner.y + 150);
    await saved(page, () => page.keyboard.press("Enter"));
    const [first] = (await shapesOf(page)).at(-1).nodes;
    const on = first.x === corner.x && first.y === corner.y;
    assert.equal(on, !key, `${JSON.stringify(first)} beside ${JSON.stringify(corner)}`);
    await saved(page, () => page.keyboard.press("Control+z"));
  }
  // The magnifier shows the photo under the pointer, larger.
  await page.keyboard.press("z");
  const p = await place(page, 1254, 620);
  await page.mouse.move(p.x - 2, p.y);
  await page.mouse.move(p.x, p.y);
  await page.waitForFunction(() => {
    const c = document.getElementById("loupe");
    if (c.hidden) return false;
    const [r, g, , alpha] = c.getContext("2d").getImageData(c.width / 2 + 3, c.height / 2 + 3, 1, 1).data;
    return alpha === 255 && r > 120 && Math.abs(r - g) < 12;
  });
  const wide = () =>
    page.evaluate(() => {
      // How much of it is the pale panel: 400 px of the photo are more than it shows.
      const c = document.getElementById("loupe");
      const d = c.getContext("2d").getImageData(0, Math.round(c.height * 0.4), c.width, 1).data;
      let pale = 0;
      for (let i = 0; i < d.length; i += 4) pale += d[i + 2] > 130;
      return pale / c.width;
    });
  assert.ok((await wide()) > 0.5, `${await wide()}`);
  await page.keyboard.press("z");
  assert.ok(await page.locator("#loupe").isHidden());
  // Copied, and put down in another shot.
  await take("transform");
  await page.locator("#stage").focus();
  await page.keyboard.press("Control+c");
  await page.goto(server.url);
  await upload(page, demo("dunes"));
  await page.waitForURL(/\/shots\/\w+/);
  await settled(page);
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator("#hands").waitFor();
  await take("transform");
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Control+v"));
  const pasted = await shapesOf(page);
  assert.deepEqual(
    pasted.map((s) => s.nodes),
    [box.nodes, six.nodes],
  );
  assert.deepEqual(page.faults, []);
  await page.context().close();
});
