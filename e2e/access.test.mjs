// What everyone can reach: no finding of axe-core on any step, keys that do not clash, the rod of the quay lit by
// keyboard alone, a lamp lit by touch alone.
import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { test } from "node:test";
import { open, openShot, openStep, pixel, place, rested, saved, serve, settled, state } from "./lib.mjs";

let server;
let browser;
serve({ mode: "demo" }, (it) => ({ server, browser } = it));

const root = join(import.meta.dirname, "..");
const axe = readFileSync(join(root, "node_modules/axe-core/axe.min.js"), "utf8");
const photo = (name) => join(root, "demo", `tidewatch-${name}.jpg`);
const shotPage = async (options) => {
  const page = await open(browser, server.url, options);
  await openShot(page, "Tidewatch quay");
  return page;
};

// findings runs axe-core over the page, with every folded section open.
async function findings(page) {
  for (let i = 0; i < 3; i++)
    await page.evaluate(() => document.querySelectorAll("details").forEach((d) => (d.open = true)));
  await page.evaluate(axe);
  const found = await page.evaluate(() =>
    window.axe.run(document, {
      runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"],
    }),
  );
  return found.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target.join(" ")).join(", ")}`);
}

test("axe-core finds nothing on any step, with every section open, nor where there is nothing yet", async () => {
  const page = await shotPage({ bypassCSP: true });
  for (const name of ["photo", "dusk", "trace", "glow", "spill", "finish", "export"]) {
    await openStep(page, name);
    assert.deepEqual(await findings(page), [], name);
  }
  await page.keyboard.press("?");
  assert.deepEqual(await findings(page), [], "the shortcuts");
  await page.keyboard.press("Escape");
  await page.locator("#saved").click();
  await page.locator("#past").waitFor();
  assert.deepEqual(await findings(page), [], "history");
  await page.locator("#jobs-open").click();
  assert.deepEqual(await findings(page), [], "jobs");
  await openStep(page, "trace");
  await page.locator('[data-open="cut"]').first().click();
  await page.locator("#says").waitFor();
  assert.deepEqual(await findings(page), [], "a cut-out");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  await page.locator('[data-open="area"]').first().click();
  await page.locator('[data-hand="brush"]').waitFor();
  assert.deepEqual(await findings(page), [], "an area");
  await page.goto(server.url);
  assert.deepEqual(await findings(page), [], "the shots");
  await openShot(page, "Tidewatch quay, untouched");
  for (const name of ["trace", "glow", "spill"]) {
    await openStep(page, name);
    assert.deepEqual(await findings(page), [], `${name} without lights`);
  }
  assert.deepEqual(page.faults, []);
});

test("control edges and focus have a contrast of 3:1, and chart text is 11 px at least", async () => {
  const page = await shotPage();
  await openStep(page, "glow");
  const seen = await page.evaluate(() => {
    const parse = (c) => c.match(/[\d.]+/g).map(Number);
    const lin = (v) => (v / 255 <= 0.04045 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4);
    const luma = ([r, g, b]) => 0.2126 * lin(r) + 0.7152 * lin(g) + 0.0722 * lin(b);
    const ratio = (a, b) => {
      const [x, y] = [luma(a), luma(b)].sort((p, q) => q - p);
      return (x + 0.05) / (y + 0.05);
    };
    const panel = parse(getComputedStyle(document.getElementById("bench")).backgroundColor);
    const out = {};
    for (const s of [
      "#bench .form-control",
      "#bench .btn-quiet:not(.own)",
      "#bench .form-check-input:not(:checked)",
      "#board .btn-mini:not(.square)",
    ]) {
      const el = document.querySelector(s);
      out[s] = ratio(parse(getComputedStyle(el).borderTopColor), panel);
    }
    const el = document.querySelector("#bench .btn-quiet");
    el.focus({ focusVisible: true });
    const focus = getComputedStyle(el);
    out.focus = ratio(parse(focus.outlineColor), panel) * (parseFloat(focus.outlineWidth) >= 2 ? 1 : 0);
    const text = document.querySelector("#falloff text");
    const svg = text.ownerSVGElement;
    const scale = svg.getBoundingClientRect().width / svg.viewBox.baseVal.width;
    return { out, text: parseFloat(getComputedStyle(text).fontSize) * scale };
  });
  for (const [what, k] of Object.entries(seen.out)) assert.ok(k >= 3, `${what} has a contrast of ${k}`);
  assert.ok(seen.text >= 10.9, `chart text is ${seen.text} px`);
});

test("no key means two things, and the list shows what works now", async () => {
  const page = await shotPage();
  const clashes = () =>
    page.evaluate(async () => {
      const { bindings } = await import("/static/js/keys.js");
      const { active, clashes: of } = await import("/static/js/bindings.js");
      return of(active(bindings()));
    });
  const listed = async () => {
    await page.keyboard.press("?");
    const text = await page.locator("#keys-list").innerText();
    await page.keyboard.press("Escape");
    return text;
  };
  for (const name of ["photo", "dusk", "trace", "glow", "spill", "finish", "export"]) {
    await openStep(page, name);
    assert.deepEqual(await clashes(), [], name);
  }
  // Every context's tools, also of those that do not show now, keep off the keys of the page.
  const tools = await page.evaluate(async () => {
    const { contexts, toolsOf } = await import("/static/js/hands/index.js");
    return contexts.map((c) => [c.name, toolsOf(c).map((t) => [t.key, t.label])]);
  });
  const global = ["f", "1", "+", "=", "-", "s", "p", "r", "z", "a", "q", "[", "]", "h", "?"];
  for (const [name, list] of tools) {
    const keys = list.map(([key]) => key).filter((key) => key !== "Escape");
    assert.equal(new Set(keys).size, keys.length, `${name} has a key twice: ${keys}`);
    assert.deepEqual(
      keys.filter((key) => global.includes(key)),
      [],
      name,
    );
  }
  await openStep(page, "trace");
  assert.match(await listed(), /Live-wire/);
  await openStep(page, "glow");
  assert.doesNotMatch(await listed(), /Live-wire/);
  assert.match(await listed(), /Falloff/);
  // A tool's key stands on its button.
  await openStep(page, "trace");
  assert.equal(await page.locator('[data-hand="tube"] kbd').textContent(), "T");
  // Single-letter keys can be switched off; others stay.
  await page.keyboard.press("?");
  await page.locator("#keys-single").focus();
  await page.keyboard.press("Space");
  await page.keyboard.press("Escape");
  await page.locator("#stage").focus();
  await page.keyboard.press("t");
  assert.equal(await page.locator('[data-hand="tube"]').getAttribute("aria-pressed"), "false");
  await page.reload();
  await settled(page);
  await page.keyboard.press("t");
  assert.equal(await page.locator('[data-hand="tube"]').getAttribute("aria-pressed"), "false");
  await page.locator("#keys-open").click();
  await page.locator("#keys-single").click();
  await page.keyboard.press("Escape");
  await page.keyboard.press("t");
  assert.equal(await page.locator('[data-hand="tube"]').getAttribute("aria-pressed"), "true");
});

// go moves the photo cursor to a place of the photo, by arrow keys alone.
async function go(page, at, to) {
  const [dx, dy] = [Math.round(to.x - at.x), Math.round(to.y - at.y)];
  for (const [n, plus, minus] of [
    [dx, "ArrowRight", "ArrowLeft"],
    [dy, "ArrowDown", "ArrowUp"],
  ]) {
    const key = n > 0 ? plus : minus;
    const far = Math.abs(n);
    for (let i = 0; i < Math.floor(far / 10); i++) await page.keyboard.press(key);
    for (let i = 0; i < far % 10; i++) await page.keyboard.press(`Shift+${key}`);
  }
  return { x: at.x + dx, y: at.y + dy };
}

// tabTo moves the focus by Tab until a selector has it.
async function tabTo(page, selector, key = "Tab") {
  for (let i = 0; i < 90; i++) {
    if (await page.evaluate((s) => document.activeElement?.matches(s), selector)) return;
    await page.keyboard.press(key);
  }
  assert.fail(`Tab does not come to ${selector}`);
}

test("the quay's rod is lit by keyboard alone, from a fresh photo to an export", async () => {
  const page = await open(browser, server.url);
  // No pointer event may come in.
  await page.addInitScript(() =>
    ["pointerdown", "mousedown", "touchstart"].forEach((kind) =>
      window.addEventListener(kind, (e) => e.isTrusted && (window.pointed = true), true),
    ),
  );
  const chooser = page.waitForEvent("filechooser");
  await tabTo(page, "#choose");
  await page.keyboard.press("Enter");
  await (await chooser).setFiles(photo("quay"));
  await page.waitForURL(/\/shots\/\w+/);
  await settled(page);
  // Dusk, by its slider.
  await page.locator("#f-dusk-daylight-slider").waitFor();
  await tabTo(page, "#f-dusk-daylight-slider");
  await saved(page, async () => {
    for (let i = 0; i < 4; i++) await page.keyboard.press("Shift+ArrowLeft");
  });
  const dark = await pixel(page, 1530, 800, 3);
  await page.keyboard.press("]");
  await page.locator('[data-hand="tube"]').waitFor();
  // Trace: the rod's two ends with the photo cursor.
  await page.keyboard.press("t");
  await page.keyboard.press("a");
  const stage = await page.evaluate(() => {
    const r = document.getElementById("stage").getBoundingClientRect();
    return { x: r.left + Math.round(r.width / 2), y: r.top + Math.round(r.height / 2) };
  });
  const at = await go(page, stage, await place(page, 1668, 365));
  await page.keyboard.press("Space");
  await go(page, at, await place(page, 1393, 1247));
  await page.keyboard.press("Space");
  await saved(page, () => page.keyboard.press("Enter"));
  const { lights } = await state(page);
  assert.equal(lights.length, 1);
  assert.equal(lights[0].shapes[0].kind, "tube");
  assert.ok(
    lights[0].shapes[0].width > 15 && lights[0].shapes[0].width < 45,
    `${lights[0].shapes[0].width} px`,
  );
  await rested(page);
  const lit = await pixel(page, 1530, 800, 3);
  assert.ok(lit[0] + lit[1] + lit[2] > dark[0] + dark[1] + dark[2] + 200, `${dark} became ${lit}`);
  // The node under the cursor is dragged: Space held, arrows, Space released. Undo puts it back.
  await page.keyboard.press("Escape");
  const node = async () => (await state(page)).lights[0].shapes[0].nodes.at(-1);
  const was = await node();
  await saved(page, async () => {
    await page.keyboard.down("Space");
    for (let i = 0; i < 4; i++) await page.keyboard.press("ArrowRight");
    await page.keyboard.up("Space");
  });
  const moved = (await node()).x - was.x;
  assert.ok(Math.abs(moved - 40 * (3000 / 861)) < 6, `the node moved by ${moved} px of the photo`);
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.deepEqual(await node(), was);
  // Seen without the light by holding a key on its name.
  await tabTo(page, "[data-carry]");
  await page.keyboard.down("q");
  await page.waitForFunction(() => document.getElementById("stage").dataset.drawn.endsWith("draft"));
  await rested(page);
  const without = await pixel(page, 1530, 800, 3);
  await page.keyboard.up("q");
  await rested(page);
  assert.ok(without[1] < lit[1] - 60, `held it is ${without}, not as dark as before`);
  // Export.
  for (let i = 0; i < 4; i++) await page.keyboard.press("]");
  await page.locator("#export-go").waitFor();
  await tabTo(page, "#export-go");
  await page.keyboard.press("Enter");
  await page.locator("#download").waitFor({ timeout: 60_000 });
  await page.waitForFunction(() => /done/.test(document.getElementById("live").textContent));
  const download = page.waitForEvent("download");
  await tabTo(page, "#download");
  await page.keyboard.press("Enter");
  const file = await (await download).path();
  assert.ok(readFileSync(file).length > 100_000);
  assert.equal(await page.evaluate(() => window.pointed ?? false), false, "a pointer was used");
  assert.deepEqual(page.faults, []);
});

test("groups of choices are chosen by arrow keys, several lights with Shift and Enter", async () => {
  const page = await shotPage();
  await page.locator('[data-show="lit"]').focus();
  await page.keyboard.press("ArrowRight");
  assert.equal(await page.locator('[data-show="split"]').getAttribute("aria-checked"), "true");
  assert.equal(await page.evaluate(() => document.activeElement.dataset.show), "split");
  assert.equal(await page.locator('[data-show="lit"]').getAttribute("tabindex"), "-1");
  await page.keyboard.press("ArrowLeft");
  await openStep(page, "glow");
  await page.locator('[data-carry="1"]').focus();
  await page.keyboard.press("Shift+Enter");
  await page.locator("#group-chosen:not([hidden])").waitFor();
  assert.equal(await page.locator(".channel.also").count(), 1);
});

test("a lamp is traced and lit by touch alone, and a pinch while tracing adds no point", async () => {
  const touch = await open(browser, server.url, { hasTouch: true });
  await touch.setInputFiles("#photo", photo("quay"));
  await touch.waitForURL(/\/shots\/\w+/);
  await settled(touch);
  await touch.locator('#rail [data-step="trace"]').tap();
  await touch.locator('[data-hand="outline"]').tap();
  const cdp = await touch.context().newCDPSession(touch);
  const fingers = (type, ...points) =>
    cdp.send("Input.dispatchTouchEvent", {
      type,
      touchPoints: points.map(([x, y], id) => ({ x, y, id })),
    });
  const c = await place(touch, 1500, 1000);
  const zoom = () => touch.locator("#zoom").textContent();
  const before = await zoom();
  await fingers("touchStart", [c.x - 40, c.y]);
  await fingers("touchStart", [c.x - 40, c.y], [c.x + 40, c.y]);
  for (let i = 1; i <= 8; i++)
    await fingers("touchMove", [c.x - 40 - 8 * i, c.y], [c.x + 40 + 8 * i, c.y + 2 * i]);
  await fingers("touchEnd");
  assert.notEqual(await zoom(), before, "two fingers do not zoom");
  assert.equal(await touch.locator("#overlay .node").count(), 0, "the pinch set a node");
  // A tap sets one; a pinch after it takes none away and adds none.
  await touch.touchscreen.tap(c.x, c.y);
  assert.equal(await touch.locator("#overlay .node").count(), 1);
  await fingers("touchStart", [c.x - 60, c.y + 30]);
  await fingers("touchStart", [c.x - 60, c.y + 30], [c.x + 60, c.y + 30]);
  await fingers("touchMove", [c.x - 30, c.y + 30], [c.x + 30, c.y + 30]);
  await fingers("touchEnd");
  assert.equal(await touch.locator("#overlay .node").count(), 1);
  await touch.keyboard.press("Escape");
  // The lamp's globe by one tap.
  await touch.locator('[data-zoom="fit"]').tap();
  await touch.locator('[data-hand="region"]').tap();
  await touch.waitForFunction(
    () => !document.getElementById("trace-hint").textContent.includes("Preparing photo"),
    null,
    { timeout: 60_000 },
  );
  const lamp = await place(touch, 1265, 290);
  const was = await pixel(touch, 1265, 290, 3);
  await saved(touch, () => touch.touchscreen.tap(lamp.x, lamp.y));
  await rested(touch);
  assert.equal((await state(touch)).lights.length, 1);
  const now = await pixel(touch, 1265, 290, 3);
  assert.notDeepEqual(now, was);
  assert.deepEqual(touch.faults, []);
});
