// The parts of the shot page: board, falloff chart, tracing by hand, compare,
// keys, two windows at once.
import assert from "node:assert/strict";
import { beforeEach, test } from "node:test";
import {
  Server,
  openCopy,
  roomless,
  drag,
  drawnFrame,
  launch,
  open,
  picture,
  pixel,
  place,
  rested,
  saved,
  serve,
  settled,
  shapesOf,
  shotVersion,
  state,
  expectError,
  visit,
} from "./lib.mjs";

let server;
let browser;
let page;
serve({}, (it) => ({ server, browser } = it));

// Each test has a copy of the demo shot of its own.
let address;
beforeEach(async () => {
  page = await openCopy({ browser, server }, "Tidewatch quay", "step=glow", roomless);
  address = page.url().split("?")[0];
});

// post sends a form as the page itself would, and gives the status.
const post = (url, form) =>
  page.evaluate(
    async ([to, values]) => {
      const headers = { "X-CSRF-Token": document.body.dataset.csrf };
      return (await fetch(to, { method: "POST", headers, body: new URLSearchParams(values) })).status;
    },
    [url, form],
  );

const calm = async () => {
  assert.deepEqual(page.faults, []);
  await page.context().close();
};

test("a fader follows the hand and is one revision", async () => {
  const s = await state(page);
  const was = await pixel(page, 1290, 650, 12);
  const fader = await page.locator("at=#channel-0 .fader").boundingBox();
  const x = fader.x + fader.width / 2;
  const half = fader.y + fader.height / 2;
  await page.mouse.move(x, half);
  await page.mouse.down();
  for (let i = 1; i <= 10; i++) await page.mouse.move(x, half + (i * fader.height * 0.42) / 10);
  // The button is still held: the picture is already darker, nothing is saved.
  await page.waitForFunction(() => document.getElementById("stage").dataset.drawn.endsWith(":draft"));
  await rested(page);
  const during = await pixel(page, 1290, 650, 12);
  assert.ok(during[1] < was[1] - 3, `with the fader down the panel went from ${was} to ${during}`);
  assert.equal(await shotVersion(page), s.version);
  // Held still, it has sharpened to what will be saved.
  const held = await picture(page);
  await saved(page, () => page.mouse.up());
  assert.equal(await picture(page), held, "letting go changed the picture");
  assert.equal(await shotVersion(page), s.version + 1);
  assert.match(await page.locator("#undo").getAttribute("title"), /Undo: Fader of Breastplate panels/);
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.deepEqual((await state(page)).lights, s.lights);
  await calm();
});

test("a shell is dragged in the chart and the table follows", async () => {
  const old = (await state(page)).lights[0].shells;
  const handle = await page.locator('[data-shell-handle="4"]').boundingBox();
  const from = { x: handle.x + handle.width / 2, y: handle.y + handle.height / 2 };
  const was = await picture(page);
  await saved(page, () => drag(page, from, { x: from.x + 30, y: from.y - 25 }));
  const now = (await state(page)).lights[0].shells;
  assert.ok(now[4].radius > old[4].radius * 1.3, `radius ${old[4].radius} became ${now[4].radius}`);
  assert.ok(now[4].strength > old[4].strength, `strength ${old[4].strength} became ${now[4].strength}`);
  assert.deepEqual(now.toSpliced(4, 1), old.toSpliced(4, 1), "another shell moved");
  assert.equal(Number(await page.locator("#sr-4").inputValue()), now[4].radius);
  assert.equal(Number(await page.locator("#ss-4").inputValue()), Math.round(100 * now[4].strength));
  assert.notEqual(await picture(page), was);
  await calm();
});

// The chart goes as far as the recipe does: a shell stronger than the usual keeps its
// strength when it is dragged sideways.
test("a strong shell keeps its strength when its radius is dragged", async () => {
  const field = page.locator("#ss-4");
  await saved(page, async () => {
    await field.fill("320");
    await field.press("Enter");
  });
  const old = (await state(page)).lights[0].shells[4];
  assert.equal(old.strength, 3.2);
  const handle = await page.locator('[data-shell-handle="4"]').boundingBox();
  const from = { x: handle.x + handle.width / 2, y: handle.y + handle.height / 2 };
  await saved(page, () => drag(page, from, { x: from.x + 40, y: from.y }));
  let now = (await state(page)).lights[0].shells[4];
  assert.ok(now.radius > old.radius * 1.3, `radius ${old.radius} became ${now.radius}`);
  assert.ok(Math.abs(now.strength - 3.2) < 0.02, `strength 3.2 became ${now.strength}`);
  // The upper edge of the chart is the recipe's largest strength.
  const box = await page.locator("#falloff").boundingBox();
  const there = await page.locator('[data-shell-handle="4"]').boundingBox();
  await saved(page, () =>
    drag(
      page,
      { x: there.x + there.width / 2, y: there.y + there.height / 2 },
      { x: there.x, y: box.y - 30 },
    ),
  );
  now = (await state(page)).lights[0].shells[4];
  assert.equal(now.strength, 4);
  await calm();
});

// Thousands of points are not carried by the page; they are fetched once and can be
// moved as any other.
test("a shape of thousands of points is shown and its points are moved", async () => {
  const nodes = [];
  for (let i = 0; i < 3000; i++) {
    const a = (2 * Math.PI * i) / 3000;
    nodes.push({ x: 2300 + 300 * Math.cos(a), y: 1300 + 200 * Math.sin(a) });
  }
  const s = await state(page);
  const was = await pixel(page, 2300, 1300, 8);
  const form = {
    version: s.version,
    light: s.lights[0].id,
    shape: JSON.stringify({ kind: "outline", nodes }),
    step: "trace",
  };
  assert.equal(await post(`${address}/actions/add-shape`, form), 200);
  await page.goto("about:blank"); // this page, too, heard of the shape and fetched it
  let fetched = 0;
  page.on("request", (q) => (fetched += /\/shapes\/[\w-]+$/.test(q.url()) ? 1 : 0));
  await visit(page, `${address}?step=trace&light=0`);
  await settled(page);
  await page.waitForFunction(() => document.querySelectorAll("#overlay rect.node").length >= 3000);
  assert.ok((await page.content()).length < 4_000_000);
  assert.deepEqual((await state(page)).lights[0].shapes, [], "the page carries the points in itself");
  const lit = await pixel(page, 2300, 1300, 8);
  assert.ok(lit[1] > was[1] + 80, `inside the new outline there is ${lit}, before ${was}`);
  assert.equal(fetched, 1);
  const p = await place(page, 2600, 1300);
  await saved(page, () => drag(page, p, { x: p.x + 60, y: p.y }));
  const now = await shapesOf(page);
  const moved = now.at(-1).nodes.filter((n) => n.x > 2640);
  assert.equal(now.at(-1).nodes.length, 3000);
  assert.equal(moved.length, 1, `${moved.length} points were moved`);
  await calm();
});

test("shells are added, removed, spaced, and join by a chosen way", async () => {
  const count = async () => (await state(page)).lights[0].shells.length;
  assert.equal(await count(), 8);
  await saved(page, () => page.getByRole("button", { name: "Add shell" }).click());
  assert.equal(await count(), 9);
  await saved(page, () => page.getByRole("button", { name: "Space evenly" }).click());
  const radii = (await state(page)).lights[0].shells.map((s) => s.radius);
  for (let i = 2; i < radii.length; i++)
    assert.ok(Math.abs(radii[i] / radii[i - 1] / (radii[1] / radii[0]) - 1) < 0.05, `radii ${radii}`);
  await saved(page, () => page.getByRole("button", { name: "Delete shell 3" }).click());
  assert.equal(await count(), 8);
  const was = await picture(page);
  await saved(page, () => page.locator("#sj-5").selectOption("screen"));
  assert.equal((await state(page)).lights[0].shells[5].join, "screen");
  assert.notEqual(await picture(page), was);
  await calm();
});

test("numbers take typing, arrow keys, nothing and nonsense", async () => {
  const field = page.locator("at=#f-lights-0-core-texture");
  await saved(page, async () => {
    await field.fill("0");
    await field.press("Enter");
  });
  assert.equal((await state(page)).lights[0].core.texture, 0);
  await saved(page, async () => {
    await field.focus();
    await page.keyboard.press("ArrowUp");
    await page.keyboard.press("Shift+ArrowUp");
  });
  // On a busy machine the two presses are two revisions.
  await page.waitForFunction(
    () => JSON.parse(document.getElementById("shot-state").dataset.state).lights[0].core.texture === 0.11,
  );
  await settled(page);
  await saved(page, async () => {
    await field.fill("900 %");
    await field.press("Enter");
  });
  assert.equal((await state(page)).lights[0].core.texture, 1);
  const version = await shotVersion(page);
  await field.fill("a lot");
  await field.press("Enter");
  await page.getByText("Not a number").waitFor();
  assert.equal(await shotVersion(page), version);
  // The bench is asked for anew, and comes with the value that stands.
  await page.waitForFunction((el) => el.value === "100", await field.elementHandle());
  // A double click on the slider brings the default.
  await saved(page, () => page.locator("at=#f-lights-0-core-texture-slider").dblclick());
  assert.equal((await state(page)).lights[0].core.texture, 0.3);
  await calm();
});

test("points of a shape are moved, added, bent and removed", async () => {
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator('[data-hand="edit"]').waitFor();
  const shape = async () => (await state(page)).lights[0].shapes[0];
  const old = await shape();
  const at = async (n) => place(page, n.x, n.y);
  let p = await at(old.nodes[0]);
  await saved(page, () => drag(page, p, { x: p.x - 20, y: p.y - 14 }));
  let now = await shape();
  assert.ok(now.nodes[0].x < old.nodes[0].x - 40 && now.nodes[0].y < old.nodes[0].y - 30);
  assert.deepEqual(now.nodes.slice(1), old.nodes.slice(1));
  // A double click on a side adds a point there.
  const mid = await at({
    x: (now.nodes[2].x + now.nodes[3].x) / 2,
    y: (now.nodes[2].y + now.nodes[3].y) / 2,
  });
  await saved(page, () => page.mouse.dblclick(mid.x, mid.y));
  now = await shape();
  assert.equal(now.nodes.length, old.nodes.length + 1);
  // A double click on a point bends it.
  p = await at(now.nodes[1]);
  await saved(page, () => page.mouse.dblclick(p.x, p.y));
  now = await shape();
  assert.ok(now.nodes[1].out && now.nodes[1].in, "the corner did not become a bend");
  // Backspace removes the chosen point.
  await page.mouse.click(p.x, p.y);
  await saved(page, () => page.keyboard.press("Backspace"));
  assert.equal((await shape()).nodes.length, old.nodes.length);
  await calm();
});

test("a tube is traced, given a width, and shines", async () => {
  await page.locator('.channel.add [data-action="add-light"]').click();
  await page.locator('[data-hand="tube"]').waitFor();
  await page.waitForFunction(() => document.querySelectorAll(".channels .channel").length === 7);
  await page.keyboard.press("t");
  const was = await pixel(page, 2300, 1500, 6);
  for (const [x, y] of [
    [2100, 1400],
    [2300, 1500],
    [2600, 1450],
  ]) {
    const p = await place(page, x, y);
    await page.mouse.click(p.x, p.y);
  }
  await saved(page, () => page.keyboard.press("Enter"));
  let s = await state(page);
  assert.equal(s.lights.length, 7);
  assert.equal(s.light, 6);
  assert.equal(s.lights[6].shapes[0].kind, "tube");
  const width = page.locator("at=#f-lights-6-shapes-0-width");
  await saved(page, async () => {
    await width.fill("60");
    await width.press("Enter");
  });
  s = await state(page);
  assert.equal(s.lights[6].shapes[0].width, 60);
  const lit = await pixel(page, 2300, 1500, 6);
  assert.ok(lit[0] > was[0] + 80, `the tube shows ${lit}, before there was ${was}`);
  // Escape leaves a shape unfinished, Backspace takes its last point back.
  await page.keyboard.press("o");
  for (const [x, y] of [
    [300, 1700],
    [500, 1700],
    [500, 1900],
  ]) {
    const p = await place(page, x, y);
    await page.mouse.click(p.x, p.y);
  }
  const nodes = () => page.locator("#overlay rect.node").count();
  assert.equal(await nodes(), 3);
  await page.keyboard.press("Backspace");
  assert.equal(await nodes(), 2);
  await page.keyboard.press("Escape");
  assert.equal(await nodes(), 0);
  assert.equal((await state(page)).version, s.version);
  await calm();
});

test("split shows lit left and plain right of its line", async () => {
  const lit = await pixel(page, 600, 1500, 10);
  await page.keyboard.press("s");
  await page.locator("#divider").waitFor();
  await rested(page);
  const right = await pixel(page, 2400, 1500, 10);
  assert.deepEqual(await pixel(page, 600, 1500, 10), lit);
  const line = await page.locator("#divider").boundingBox();
  await drag(page, { x: line.x + line.width / 2, y: line.y + 200 }, { x: line.x - 260, y: line.y + 200 });
  const moved = await place(page, 1300, 1500);
  const box = await page.locator("#divider").boundingBox();
  assert.ok(box.x < moved.x, "the line did not move");
  await page.locator('[data-show="plain"]').click();
  await rested(page);
  const plain = await pixel(page, 2400, 1500, 10);
  for (let c = 0; c < 3; c++)
    assert.ok(Math.abs(plain[c] - right[c]) < 2, `plain ${plain}, in the split ${right}`);
  assert.ok(plain[0] > lit[0], "plain is not lighter than dusk");
  await calm();
});

test("zoom keeps the point under the pointer, and the readout tells its pixel", async () => {
  const p = await place(page, 1440, 560);
  await page.mouse.move(p.x, p.y);
  await page.mouse.wheel(0, -900);
  await page.waitForFunction(() => !/Fit/.test(document.getElementById("zoom").textContent));
  const then = await place(page, 1440, 560);
  assert.ok(
    Math.hypot(then.x - p.x, then.y - p.y) < 3,
    `the point went from ${JSON.stringify(p)} to ${JSON.stringify(then)}`,
  );
  await settled(page);
  await page.mouse.move(p.x + 1, p.y);
  const told = await page.locator("#r-at").textContent();
  const [x, y] = told.split(",").map(Number);
  assert.ok(Math.abs(x - 1440) < 4 && Math.abs(y - 560) < 4, `the readout says ${told}`);
  const now = (await page.locator("#r-now").textContent()).trim().split(/\s+/).map(Number);
  const seen = await pixel(page, 1440.5, 560.5, 2);
  for (let c = 0; c < 3; c++) assert.ok(Math.abs(now[c] - seen[c]) < 12, `readout ${now}, screen ${seen}`);
  await page.keyboard.press("f");
  assert.match(await page.locator("#zoom").textContent(), /Fit/);
  await calm();
});

test("what two windows change is saved by both", async () => {
  const other = await open(browser, `${address}?step=dusk`);
  await settled(other);
  const field = (p) => p.locator("#f-dusk-daylight");
  await page.locator('#rail [data-step="dusk"]').click();
  await saved(page, async () => {
    await field(page).fill("-3");
    await field(page).press("Enter");
  });
  const edge = other.locator("#f-dusk-edge");
  await other.locator('[data-fold="emits"] summary').click();
  await saved(other, async () => {
    await edge.fill("40");
    await edge.press("Enter");
  });
  assert.equal(await field(other).inputValue(), "-3.00");
  assert.equal(await edge.inputValue(), "40.0");
  await other.context().close();
  await calm();
});

test("when the server is gone the page says so, and saves when it is back", async () => {
  await server.stop("SIGKILL");
  const hue = page.locator("at=#f-lights-0-gel-hue");
  await hue.fill("300");
  await hue.press("Enter");
  await page.getByText("No answer").waitFor();
  const old = server.url;
  await server.start(new URL(old).host);
  assert.equal(server.url, old);
  await saved(page, () => page.getByRole("button", { name: "Try again" }).first().click());
  assert.equal((await state(page)).lights[0].gel.hue, 300);
  await page.context().close();
});

test("a change that finds the disk full is kept and saved when there is room", async () => {
  expectError(page, 507);
  const s = await state(page);
  const full = { title: "Disk full", error: "The disk is full, so this could not be saved." };
  await page.route("**/changes", (r) => r.fulfill({ status: 507, json: full }));
  const field = page.locator("at=#f-lights-0-core-texture");
  await field.fill("12");
  await field.press("Enter");
  await page.getByText("The disk is full").waitFor();
  assert.equal(await shotVersion(page), s.version);
  await page.unroute("**/changes");
  await saved(page, () => page.getByRole("button", { name: "Try again" }).click());
  assert.equal((await state(page)).lights[0].core.texture, 0.12);
  await calm();
});

test("steps, lights and switches by keys alone", async () => {
  await page.keyboard.press("?");
  await page.getByRole("heading", { name: "Keyboard shortcuts" }).waitFor();
  await page.keyboard.press("Escape");
  await page.keyboard.press("]");
  await page.locator('#rail [data-step="spill"][aria-current]').waitFor();
  const off = page.locator("at=#channel-1 .btn-mini", { hasText: "Off" });
  await off.focus();
  await saved(page, () => page.keyboard.press("Enter"));
  assert.equal((await state(page)).lights[1].on, false);
  // Held, the button of another shows the picture without that light, and changes nothing.
  const was = await picture(page);
  const version = await shotVersion(page);
  const b = await page.locator("at=#channel-0 .btn-mini", { hasText: "Off" }).boundingBox();
  await page.mouse.move(b.x + b.width / 2, b.y + b.height / 2);
  await page.mouse.down();
  await page.waitForFunction(() => document.getElementById("stage").dataset.drawn.endsWith(":draft"));
  await rested(page);
  assert.notEqual(await picture(page), was);
  await page.mouse.up();
  await settled(page);
  assert.equal(await picture(page), was);
  assert.equal(await shotVersion(page), version);
  const alone = page.locator("at=#channel-2 .btn-mini", { hasText: "Alone" });
  await alone.focus();
  await saved(page, () => page.keyboard.press("Space"));
  assert.equal((await state(page)).lights[2].alone, true);
  const fader = page.locator("at=#channel-2 .fader");
  const level = (await state(page)).lights[2].level;
  await fader.focus();
  await saved(page, async () => {
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Shift+ArrowDown");
  });
  assert.equal((await state(page)).lights[2].level, Number((level - 0.11).toFixed(2)));
  assert.match(await drawnFrame(page), /:final$/);
  await calm();
});

test("an ellipse is traced by one drag, shaped by its handles, and taken away", async () => {
  await page.locator('#rail [data-step="trace"]').click();
  await page.locator('[data-hand="ellipse"]').click();
  const shapes = async () => (await state(page)).lights[0].shapes;
  const count = (await shapes()).length;
  const a = await place(page, 300, 1400);
  await saved(page, async () => drag(page, a, await place(page, 700, 1700)));
  const lit = await pixel(page, 500, 1550, 6);
  assert.ok(lit[1] > 200, `what was traced shines with ${lit}`);
  await page.locator("#trace-away").check();
  await saved(page, async () => drag(page, await place(page, 440, 1490), await place(page, 560, 1610)));
  assert.equal((await shapes())[count + 1].away, true);
  const dark = await pixel(page, 500, 1550, 6);
  assert.ok(dark[0] < lit[0] - 40, `what was taken away went from ${lit} to ${dark}`);
  // Its handle turns it, a drag inside moves it, and Backspace removes it.
  await page.keyboard.press("Escape");
  await saved(page, async () => drag(page, await place(page, 700, 1550), await place(page, 640, 1690)));
  const turned = (await shapes())[count];
  assert.ok(Math.abs(turned.turn - 45) < 3 && Math.abs(turned.height - 300) < 1, JSON.stringify(turned));
  const from = await place(page, 500, 1460);
  await saved(page, () => drag(page, from, { x: from.x + 30, y: from.y }));
  assert.ok((await shapes())[count].x > turned.x + 50);
  await saved(page, () => page.keyboard.press("Backspace"));
  assert.equal((await shapes()).length, count + 1);
  await calm();
});

test("from another machine frames come as JPEG and PNG", async (t) => {
  // Another name for this machine is to the page another machine.
  const away = new Server("demo", ["--host", "studio.test"]);
  t.after(() => away.remove());
  const url = new URL(await away.start());
  const other = await launch(["--host-resolver-rules=MAP studio.test 127.0.0.1"]);
  t.after(() => other.close());
  const p = await open(other, `http://studio.test:${url.port}/`);
  const kinds = [];
  p.on("response", (r) => /\/frame\?/.test(r.url()) && kinds.push(r.headers()["content-type"]));
  await p.locator(".shot a.pic").first().click();
  await settled(p);
  assert.deepEqual([...new Set(kinds)].sort(), ["image/jpeg", "image/png"]);
  const seen = await pixel(p, 1000, 1000, 20);
  const href = new URL(p.url()).pathname;
  const near = await open(browser, `${url.origin}${href}`);
  await settled(near);
  assert.deepEqual(seen, await pixel(near, 1000, 1000, 20));
  assert.deepEqual(p.faults, []);
  await near.context().close();
  await page.context().close();
});

test("on a dense screen the picture has a pixel for each of the screen's", async () => {
  const dense = await open(browser, `${address}?step=glow`, { deviceScaleFactor: 2 });
  await settled(dense);
  const size = await dense.evaluate(() => {
    const c = document.getElementById("picture");
    return {
      ratio: c.width / c.clientWidth,
      zoom: Number(document.getElementById("zoom").parentElement.ariaLabel.match(/\d+/)),
    };
  });
  const zoom = await page.evaluate(() =>
    Number(document.getElementById("zoom").parentElement.ariaLabel.match(/\d+/)),
  );
  assert.equal(size.ratio, 2);
  assert.ok(
    Math.abs(size.zoom - 2 * zoom) <= 3,
    `zoom ${size.zoom} % on the dense screen, ${zoom} % on the other`,
  );
  assert.deepEqual(dense.faults, []);
  await dense.context().close();
  await calm();
});
