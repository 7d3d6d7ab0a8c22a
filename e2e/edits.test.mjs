// Edits that must not be lost or go to something else: in a hurry, from two windows, with errors, while leaving the page.
import assert from "node:assert/strict";
import { test } from "node:test";
import {
  expectError,
  jpeg,
  open,
  place,
  saved,
  settled,
  shapesOf,
  stand,
  state,
  stroke,
  upload,
} from "./lib.mjs";

let server;
let browser;
let page;
stand(
  { shot: "Tidewatch quay", query: "step=trace&light=0", empty: true },
  (it) => ({ server, browser, page } = it),
);

const goTo = async (step) => {
  await page.locator(`#rail [data-step="${step}"]`).click();
  await page.locator(`#rail [data-step="${step}"][aria-current]`).waitFor();
  await settled(page);
};
const change = (p, ops) =>
  p.evaluate(async (list) => (await import("/static/js/store.js")).commit(list), ops);
const click = async (x, y) => {
  const p = await place(page, x, y);
  await page.mouse.move(p.x - 3, p.y - 2);
  await page.mouse.move(p.x, p.y);
  await page.mouse.down();
  await page.mouse.up();
};
const hand = (name) => page.locator(`[data-hand="${name}"]`).click();
const notice = (text) => page.locator("#notice", { hasText: text });

// boxes gives a light four small outlines, each of another size.
const boxes = (p) =>
  saved(p, () =>
    change(p, [
      {
        op: "replace",
        path: "/lights/0/shapes",
        value: [0, 1, 2, 3].map((i) => ({
          kind: "outline",
          nodes: [
            { x: 300, y: 300 + 100 * i },
            { x: 350 + 20 * i, y: 300 + 100 * i },
            { x: 350, y: 340 + 100 * i },
          ],
        })),
      },
    ]),
  );
const tops = async (p) => (await shapesOf(p)).map((s) => s.nodes[0].y);

test("two shapes are deleted in a hurry, and no other", async () => {
  await boxes(page);
  await saved(page, () =>
    page.evaluate(() => {
      const all = [...document.querySelectorAll("li[data-shape] [data-remove]")];
      all[1].click();
      all[2].click();
    }),
  );
  await page.waitForFunction(async () => {
    const s = await import("/static/js/store.js");
    return s.shapesOf(s.light()).length === 2;
  });
  assert.deepEqual(await tops(page), [300, 600]);
});

test("a change goes to the light that it was for, whatever another window deletes, or names it", async () => {
  expectError(page, 404);
  const other = await open(browser, page.url());
  await settled(other);
  const before = (await state(page)).lights.map((l) => [l.id, l.gel.hue, l.name]);
  await saved(other, () => other.locator('[data-action="remove-light"]').click());
  // The second light is the first one by now.
  await saved(page, () =>
    change(page, [{ op: "replace", path: `/lights/id:${before[1][0]}/gel/hue`, value: 33 }]),
  );
  const lights = async () => (await state(page)).lights.map((l) => [l.id, l.gel.hue, l.name]);
  assert.deepEqual(
    await lights(),
    before.slice(1).map(([id, hue, name], i) => [id, i ? hue : 33, name]),
  );
  // A light that the other window has deleted takes nothing with it.
  await other.reload();
  await settled(other);
  await saved(other, () => other.locator('[data-action="remove-light"]').click());
  await change(page, [{ op: "replace", path: `/lights/id:${before[1][0]}/gel/hue`, value: 99 }]);
  await notice(`“${before[1][2]}” was deleted`).waitFor();
  await settled(page);
  assert.deepEqual(await lights(), before.slice(2));
  await other.context().close();
});

test("a listener that fails, and a full store of the browser, stop no save", async () => {
  await page.evaluate(async () => {
    Storage.prototype.setItem = () => {
      throw new DOMException("full", "QuotaExceededError");
    };
    (await import("/static/js/store.js")).on("change", () => {
      throw new Error("a widget fails");
    });
  });
  await goTo("glow");
  for (const hue of [20, 40, 60]) {
    await saved(page, () => change(page, [{ op: "replace", path: "/lights/0/gel/hue", value: hue }]));
    assert.equal((await state(page)).lights[0].gel.hue, hue);
  }
  // Only the failing listener is reported.
  assert.ok(
    page.faults.length > 0 && page.faults.every((f) => f.includes("a widget fails")),
    page.faults.join(),
  );
  page.faults.length = 0;
});

test("what was not saved can be sent again after something else was saved", async () => {
  expectError(page, 507);
  let refuse = true;
  await page.route("**/changes", (r) =>
    refuse && r.request().postData().includes("daylight")
      ? r.fulfill({ status: 507, json: { title: "Disk full", error: "The disk is full." } })
      : r.continue(),
  );
  await change(page, [{ op: "replace", path: "/dusk/daylight", value: -1.25 }]);
  await notice("Disk full").waitFor();
  await saved(page, () => change(page, [{ op: "replace", path: "/lights/0/gel/hue", value: 77 }]));
  refuse = false;
  await saved(page, () => page.getByRole("button", { name: "Try again" }).click());
  const s = await state(page);
  assert.deepEqual([s.dusk.daylight, s.lights[0].gel.hue], [-1.25, 77]);
  assert.equal(await page.locator("#notice").isVisible(), false);
});

test("in an area shapes are deleted with Transform and with Edit", async () => {
  await goTo("dusk");
  await saved(page, () => page.selectOption("[data-add-pass]", "levels"));
  const last = (await state(page)).dusk.passes.length - 1;
  await saved(page, () => page.selectOption(`at=[data-area-of="/dusk/passes/${last}/area"]`, "+"));
  await hand("ellipse");
  const ring = async (x) => {
    const [a, b] = [await place(page, x, 300), await place(page, x + 300, 600)];
    await page.mouse.move(a.x, a.y);
    await page.mouse.down();
    await page.mouse.move(b.x, b.y, { steps: 5 });
    await page.mouse.up();
  };
  await saved(page, () => ring(300));
  await hand("ellipse");
  await saved(page, () => ring(900));
  const parts = async () => (await state(page)).areas.at(-1).parts.length;
  assert.equal(await parts(), 2);
  for (const [tool, at] of [
    ["transform", [1050, 450]],
    ["edit", [450, 450]],
  ]) {
    await hand(tool);
    await click(...at);
    await page.locator("#stage").focus();
    const n = await parts();
    await saved(page, () => page.keyboard.press("Delete"));
    assert.equal(await parts(), n - 1, tool);
  }
});

test("with several lights selected, rays change for all of them", async () => {
  await goTo("glow");
  await page.locator('[data-carry="1"]').click({ modifiers: ["Shift"] });
  await saved(page, () =>
    change(page, [
      { op: "replace", path: "/lights/0/rays/on", value: true },
      { op: "replace", path: "/lights/0/rays/length", value: 321 },
      { op: "replace", path: "/lights/0/name", value: "Alone in its name" },
    ]),
  );
  const { lights } = await state(page);
  assert.deepEqual(lights.map((l) => l.rays.on && l.rays.length === 321).slice(0, 3), [true, true, false]);
  assert.notEqual(lights[1].name, "Alone in its name");
});

test("an export goes on while other steps are open, keeps the focus on Cancel, and says its size as cropped", async () => {
  await saved(page, () =>
    change(page, [{ op: "crop", path: "/crop", value: { x: 0, y: 0, width: 1200, height: 900 } }]),
  );
  await goTo("export");
  await page.getByText("Full size, 1200 × 900").waitFor();
  await saved(page, () => page.locator("#undo").click());
  await page.locator('input[name="format"][value="png16"]').check();
  await page.locator("#export-go").click();
  await page.locator("#job-cancel").focus();
  await page.waitForTimeout(700); // two answers of how far it is
  assert.equal(await page.evaluate(() => document.activeElement.id), "job-cancel");
  await goTo("glow");
  await saved(page, () => change(page, [{ op: "replace", path: "/glow/level", value: 0.9 }]));
  await goTo("export");
  await page.locator("#job-cancel, #download").first().waitFor();
  await page.locator("#download").waitFor({ timeout: 60_000 });
  await saved(page, () => change(page, [{ op: "replace", path: "/glow/level", value: 0.8 }]));
  assert.ok(await page.locator("#download").isVisible());
});

test("a value that was typed a moment ago is saved when the page is left", async () => {
  await goTo("dusk");
  const field = page.locator("#f-dusk-daylight");
  const was = Number(await field.inputValue());
  await field.focus();
  await page.keyboard.press("ArrowDown");
  const url = page.url();
  await page.goto(server.url); // before the run of keys has ended
  await page.goto(url);
  await settled(page);
  assert.ok(Math.abs((await state(page)).dusk.daylight - (was - 0.01)) < 1e-6, "the arrow key is lost");
  await page.locator("#f-dusk-daylight").fill("-2.5");
  await page.goto(server.url);
  await page.goto(url);
  await settled(page);
  assert.equal((await state(page)).dusk.daylight, -2.5);
});

test("photos that are dropped while others are on their way are opened all the same", async () => {
  await page.goto(server.url);
  const photo = (name, buffer) => ({ name, mimeType: "image/jpeg", buffer });
  const [a, b] = [await jpeg(page, 300, 200), await jpeg(page, 320, 200)];
  let first = true;
  await page.route("**/shots", async (r) => {
    if (r.request().method() === "POST" && !first) await new Promise((go) => setTimeout(go, 1500));
    first = false;
    await r.continue();
  });
  await upload(page, photo("First drop.jpg", a));
  await upload(page, photo("Second drop.jpg", b));
  await page.locator('input[value="First drop"]').first().waitFor();
  // When nothing is on its way any more, the last one is shown.
  await page.waitForURL(/\/shots\/\w+/);
  await settled(page);
  await page.goto(server.url);
  for (const name of ["First drop", "Second drop"])
    assert.equal(await page.locator(`input[value="${name}"]`).count(), 1, name);
});

test("undo keeps the tool: one click, scribble", async () => {
  await saved(page, () => change(page, [{ op: "replace", path: "/lights", value: [] }]));
  await hand("region");
  await page.waitForFunction(
    () => !document.getElementById("trace-hint").textContent.includes("made ready"),
    null,
    { timeout: 60_000 },
  );
  const tool = () => page.locator('[data-hand][aria-pressed="true"]').getAttribute("data-hand");
  await saved(page, () => click(1254, 620));
  assert.equal((await state(page)).lights.length, 1);
  await saved(page, () => page.keyboard.press("Control+z"));
  assert.equal((await state(page)).lights.length, 0);
  assert.equal(await tool(), "region");
  // Beside the photo nothing is asked for: an answer with an error would fail the test.
  const stage = await page.locator("#stage").boundingBox();
  for (const [x, y] of [
    [stage.x + 2, stage.y + 2],
    [stage.x + stage.width - 3, stage.y + stage.height - 3],
  ])
    await page.mouse.move(x, y, { steps: 12 });
  await page.waitForTimeout(300); // longer than a pointer has to rest to be answered
  await hand("scribble");
  await saved(page, () =>
    stroke(page, [
      [1200, 500],
      [1300, 700],
    ]),
  );
  assert.equal((await state(page)).cutouts.length, 1);
  await saved(page, () => page.locator("#undo").click());
  assert.equal((await state(page)).cutouts.length, 0);
  assert.equal(await tool(), "scribble");
});
