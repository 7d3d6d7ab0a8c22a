// The room that spill falls in, by mouse: made by one line, then by corners, with what stands in it. A foot is
// moved and its shadow swings; a room that cannot be is refused at the corner; all can be undone; what is
// exported is what is seen.
import assert from "node:assert/strict";
import { afterEach, test } from "node:test";
import {
  drag,
  drawnFrame,
  lum,
  picture,
  pixel,
  place,
  rested,
  saved,
  settled,
  serve,
  state,
  stroke,
  undo,
  unlike,
  roomless,
  openCopy,
  expectError,
} from "./lib.mjs";

const it = serve({}, () => {});
let page;
const open = async (name, light, edit) => {
  page = await openCopy(it, name, `step=spill&light=${light}`, edit);
};
afterEach(async () => {
  assert.deepEqual(page.faults, []);
  await page.context().close();
});

const button = (hand) => page.locator(`#hands [data-hand="${hand}"]`);
const sketch = () =>
  page.evaluate(async () => {
    const { room } = await import("/static/js/room.js");
    return { now: room.now, wrong: room.wrong };
  });
const note = () => page.locator("#overlay .room-note").textContent();
// drawn waits until the room on the screen is as a test says.
async function drawn(is) {
  for (let i = 0; i < 100; i++) {
    const { now } = await sketch();
    if (now && is(now)) return;
    await page.waitForTimeout(50);
  }
  assert.fail("the room is not drawn as it should be");
}

async function corners(hand, points) {
  await button(hand).click();
  for (const [x, y] of points) {
    const p = await place(page, x, y);
    await page.mouse.click(p.x, p.y);
  }
}

test("one drag makes a room, corners refine it, what cannot be is refused at its corner, and all is undone", async () => {
  // The harbour as it is before it has a room: the letters' light stays near them.
  await open("Tidewatch harbour", 0, roomless);
  expectError(page, 422);
  await saved(page, () => page.locator("at=#channel-1").getByRole("button", { name: "Off" }).click());
  const paving = [1650, 1500];
  const plain = await pixel(page, ...paving, 10);
  const before = await picture(page);
  assert.equal(await page.locator("#room-parts").count(), 0);
  await button("wall").click();
  await saved(page, async () => drag(page, await place(page, 1830, 1412), await place(page, 2638, 1420)));
  assert.notEqual(await picture(page), before);
  assert.equal(await page.locator("#room-parts .room-part").count(), 1);
  const first = await pixel(page, ...paving, 10);
  assert.ok(lum(first) > lum(plain) + 1, `the paving was ${plain}, in the room it is ${first}`);
  // The hand is put down, and the floor has its grid.
  assert.equal(await button("stands").getAttribute("aria-pressed"), "true");
  assert.match(await note(), /field of view 53°/);
  await saved(page, () =>
    corners("floor", [
      [404, 1935],
      [1974, 1912],
      [1583, 1424],
      [1001, 1427],
    ]),
  );
  await drawn((r) => Math.abs(r.horizon[1] - 1131) < 60);
  const seen = await sketch();
  assert.ok(seen.now.view > 50 && seen.now.view < 60, `the field of view is ${seen.now.view}`);
  assert.equal(seen.now.points.filter((p) => p.of === "floor").length, 4);

  // A corner that makes no rectangle: a sentence beside it, and the picture and the room stay.
  const good = await picture(page);
  const from = await place(page, 404, 1935);
  const to = await place(page, 1500, 1500);
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(to.x, to.y, { steps: 12 });
  await page.locator("#overlay .room-wrong").waitFor();
  assert.match(await page.locator("#overlay .room-wrong").textContent(), /sides of the floor cross/);
  assert.equal(await page.locator("#overlay .node.bad").count(), 1);
  await page.mouse.up();
  await page.getByText("Not possible here").waitFor();
  await settled(page);
  assert.equal(await picture(page), good);
  assert.equal((await sketch()).wrong, null);
  await page.keyboard.press("Escape");

  // A wall above the horizon is refused as well.
  const version = (await state(page)).version;
  await button("wall").click();
  await drag(page, await place(page, 300, 700), await place(page, 1200, 700));
  await page.getByText("lies above the horizon").waitFor();
  assert.equal((await state(page)).version, version);

  // The switch shows the picture without the room, and the way back is one step at a time.
  await saved(page, () => page.locator('[data-check="/room/on"]').click());
  assert.equal(await picture(page), before);
  await undo(page);
  assert.equal(await picture(page), good);
  await undo(page);
  await drawn((r) => r.points.every((p) => p.of !== "floor"));
  await undo(page);
  assert.equal(await picture(page), before);
  assert.equal(await page.locator("#room-parts").count(), 0);
});

test("the photo's lines tell of the floor, which can be corrected and undone", async () => {
  await open("Tidewatch harbour", 0, roomless);
  expectError(page, 422);
  const before = await picture(page);
  await saved(page, () => page.locator("#find-room").click());
  const { room } = await state(page);
  assert.ok(room.on, "no floor was found");
  const corner = (is) => is.points.find((p) => p.name === "Corner 1 of the floor")?.at;
  await drawn((is) => is.grid.length > 6 && corner(is));
  const { now } = await sketch();
  // What the photo was made with: the horizon at 1131 of 3000 pixels, 55 degrees across.
  const [x0, y0, x1, y1] = now.horizon;
  assert.ok(Math.abs((y0 + y1) / 2 - 1131) < 40, `the horizon runs from ${x0}, ${y0} to ${x1}, ${y1}`);
  assert.ok(Math.abs(now.view - 55) < 4, `it sees ${now.view} degrees across`);
  assert.notEqual(await picture(page), before);
  // A corner is taken hold of like those that were clicked.
  const [x, y] = corner(now);
  await saved(page, async () => drag(page, await place(page, x, y), await place(page, x - 60, y + 10)));
  await drawn((is) => corner(is)[0] < x - 50);
  await undo(page);
  // A ceiling is found by where it meets a wall, so that it takes one.
  const ceiling = async (from, to) => {
    await button("ceiling").click();
    await drag(page, await place(page, ...from), await place(page, ...to));
  };
  await ceiling([1830, 400], [2638, 400]);
  await page.locator("#notice").waitFor();
  assert.match(await page.locator("#notice").textContent(), /Draw a wall line/);
  await page.locator("#notice").getByRole("button", { name: "Close" }).click();
  await button("wall").click();
  await saved(page, async () => drag(page, await place(page, 1830, 1412), await place(page, 2638, 1420)));
  await saved(page, () => ceiling([1830, 400], [2638, 400]));
  assert.ok(Number(await page.locator("#f-room-ceiling").inputValue()) > 1);
  await undo(page);
  await undo(page);
  await undo(page);
  assert.equal(await picture(page), before);
});

test("a foot is moved and the shadow swings while it moves; recoloured, the light follows; the export is what is seen", async () => {
  await open("Tidewatch quay", 3);
  // The lamp alone: to the right of the figure the floor lies in its shadow.
  await saved(page, () => page.locator("at=#channel-3").getByRole("button", { name: "Alone" }).click());
  const shade = [1560, 1440];
  const lit = [700, 1700];
  const was = { shade: lum(await pixel(page, ...shade, 8)), lit: lum(await pixel(page, ...lit, 8)) };
  const foot = (await sketch()).now.points.find((p) => p.of === "foot");
  // Its foot is dragged towards the camera, so that the shadow swings away.
  const from = await place(page, ...foot.at);
  const to = await place(page, foot.at[0] + 40, foot.at[1] + 330);
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  for (let i = 1; i <= 12; i++) {
    await page.mouse.move(from.x + ((to.x - from.x) * i) / 12, from.y + ((to.y - from.y) * i) / 12);
    await page.waitForTimeout(40);
  }
  await page.waitForFunction(() => document.getElementById("stage").dataset.drawn.endsWith(":draft"));
  await rested(page);
  const held = lum(await pixel(page, ...shade, 8));
  assert.match(await drawnFrame(page), /:draft$/);
  await page.mouse.up();
  await settled(page);
  const now = { shade: lum(await pixel(page, ...shade, 8)), lit: lum(await pixel(page, ...lit, 8)) };
  assert.ok(Math.abs(held - was.shade) > 2, `while it moved the floor went from ${was.shade} to ${held}`);
  assert.ok(Math.abs(now.shade - held) < 3, `in the hand it was ${held}, at rest ${now.shade}`);
  assert.notEqual(now.lit, was.lit);
  assert.equal(await unlike(page), 0, "samples of the export differ from those on the screen");

  // In green all of its spill is green.
  await page.locator('#rail [data-step="glow"]').click();
  const hue = page
    .locator('at=[data-path="/lights/3/gel/hue"] input[type="text"], #f-lights-3-gel-hue')
    .first();
  await saved(page, async () => {
    await hue.fill("120");
    await hue.press("Enter");
  });
  const [r, g, b] = await pixel(page, ...lit, 8);
  assert.ok(g > r + 5 && g > b + 5, `in green the floor is ${[r, g, b]}`);
  await undo(page);
  await undo(page);
  const back = lum(await pixel(page, ...shade, 8));
  assert.ok(Math.abs(back - was.shade) < 1.5, `undone, the floor is ${back}, it was ${was.shade}`);
});

test("a platform is set by five clicks and throws a shadow; a cut-out is put into the room and taken out", async () => {
  await open("Tidewatch quay", 3);
  expectError(page, 422);
  await saved(page, () => page.locator("at=#channel-3").getByRole("button", { name: "Alone" }).click());
  await page.locator('details[data-fold="room-parts"] > summary').click();
  const parts = () => page.locator("#room-parts .room-part").count();
  const count = await parts();
  const behind = [540, 1800];
  const was = lum(await pixel(page, ...behind, 6));
  // A chest on the floor, left and nearer than the lamp's crate.
  await saved(page, () =>
    corners("platform", [
      [420, 1500],
      [640, 1500],
      [650, 1440],
      [450, 1440],
      [420, 1700],
    ]),
  );
  assert.equal(await parts(), count + 1);
  const now = lum(await pixel(page, ...behind, 6));
  assert.ok(now < was - 1, `behind the platform the floor was ${was}, now it is ${now}`);
  await undo(page);
  // A thing of the room that is taken out can be put back.
  await saved(page, () => page.getByRole("button", { name: "Delete Bollard from the room" }).click());
  assert.equal(await parts(), count - 1);
  await saved(page, () => page.locator("#add-thing").selectOption({ label: "Bollard" }));
  assert.equal(await parts(), count);
  const { now: room } = await sketch();
  const p = room.points.find((k) => k.name === "Foot of Bollard");
  assert.ok(Math.hypot(p.at[0] - 2553, p.at[1] - 1430) < 60, `its foot is guessed at ${p.at}`);
  // What a light stands on is not taken away from under it.
  await page.getByRole("button", { name: "Delete Crate from the room" }).click();
  await page.getByText("is not in the room. Choose another").waitFor();
  assert.equal(await parts(), count);
});

test("folds within a figure's outline catch the light as far as its relief says, on the screen and in the export", async () => {
  await open("Tidewatch quay", 2);
  const fold = [1350, 1101];
  const floor = [1530, 1640];
  const was = { fold: lum(await pixel(page, ...fold, 8)), floor: lum(await pixel(page, ...floor, 8)) };
  await page.locator('details[data-fold="room-parts"] > summary').click();
  await page.getByLabel("Settings of Automaton").click();
  const relief = page.locator("at=#f-room-things-0-relief");
  assert.equal(await relief.inputValue(), "100");
  await saved(page, async () => {
    await relief.fill("0");
    await relief.press("Enter");
  });
  const smooth = { fold: lum(await pixel(page, ...fold, 8)), floor: lum(await pixel(page, ...floor, 8)) };
  assert.ok(smooth.fold > was.fold + 8, `without relief the fold is ${smooth.fold}, with it ${was.fold}`);
  assert.ok(Math.abs(smooth.floor - was.floor) < 0.7, "the floor changed");
  await undo(page);
  assert.ok(Math.abs(lum(await pixel(page, ...fold, 8)) - was.fold) < 0.7);
  assert.equal(await unlike(page), 0);
});

test("less is painted on the chest, a light is kept off a surface, and both are undone", async () => {
  await open("Tidewatch quay", 2);
  await saved(page, () => page.locator("at=#channel-2").getByRole("button", { name: "Alone" }).click());
  const floor = [1530, 1640];
  const leg = [1370, 1340];
  const was = { floor: lum(await pixel(page, ...floor, 8)), leg: lum(await pixel(page, ...leg, 8)) };
  await page.locator('details[data-fold="falls"] > summary').click();
  await saved(page, async () => {
    const amount = page.locator("at=#f-lights-2-spill-falls-floor-amount");
    await amount.fill("0");
    await amount.press("Enter");
  });
  const off = { floor: lum(await pixel(page, ...floor, 8)), leg: lum(await pixel(page, ...leg, 8)) };
  assert.ok(off.floor < was.floor - 4, `kept off, the floor is ${off.floor}, it was ${was.floor}`);
  assert.ok(Math.abs(off.leg - was.leg) < 0.7, `the leg was ${was.leg}, now it is ${off.leg}`);
  await undo(page);
  assert.ok(Math.abs(lum(await pixel(page, ...floor, 8)) - was.floor) < 0.7);
  // Painted less: the brush is in the hand at once.
  await page.locator('details[data-fold="touches"] > summary').click();
  await saved(page, () => page.locator('[data-touch="less"]').click());
  await page.locator("#brush").waitFor();
  const side = [1385, 1150];
  const before = lum(await pixel(page, ...side, 6));
  await saved(page, () =>
    stroke(page, [
      [side[0], side[1] - 60],
      [side[0], side[1] + 60],
    ]),
  );
  const after = lum(await pixel(page, ...side, 6));
  assert.ok(after < before - 2, `where less was painted it was ${before}, now it is ${after}`);
  assert.ok(Math.abs(lum(await pixel(page, ...floor, 8)) - was.floor) < 0.7);
  await undo(page);
  assert.ok(Math.abs(lum(await pixel(page, ...side, 6)) - before) < 0.7);
});

test("what stands on a crate is lit there and throws its shadow on it; on the floor it would not", async () => {
  await open("Tidewatch quay", 2);
  await page.locator('details[data-fold="room-parts"] > summary').click();
  await page.getByLabel("Settings of Lamp's metal").click();
  const on = page.locator("at=#f-room-things-5-on");
  assert.equal(await on.locator("option:checked").textContent(), "Crate");
  const { now } = await sketch();
  const foot = now.points.find((k) => k.name === "Foot of Lamp's metal").at;
  const [base, top] = [
    [430, 1075],
    [490, 1112],
  ];
  const was = { base: await pixel(page, ...base, 6), top: lum(await pixel(page, ...top, 6)) };
  // Its base turns from the flame over it: it is darker than the boards beside it, which that falls on.
  assert.ok(lum(was.base) < lum(await pixel(page, 640, 1075, 6)) - 20, `the base is ${was.base}`);
  // Taken to the front of the crate by its foot, its shadow goes along.
  await saved(page, async () =>
    drag(page, await place(page, ...foot), await place(page, foot[0] - 90, foot[1] + 14)),
  );
  await rested(page);
  assert.notDeepEqual(await pixel(page, ...base, 6), was.base);
  await undo(page);
  await rested(page);
  await saved(page, () => on.selectOption({ label: "Floor" }));
  await rested(page);
  const floor = (await sketch()).now.points.find((k) => k.name === "Foot of Lamp's metal").at;
  assert.deepEqual(floor, foot);
  assert.notDeepEqual(await pixel(page, ...base, 6), was.base);
  await undo(page);
  await rested(page);
  assert.ok(Math.abs(lum(await pixel(page, ...base, 6)) - lum(was.base)) < 0.7);
  assert.equal(await unlike(page), 0);
});

test("the flat top of the bollard takes the hexagon's light from above, and has it where the bollard is dragged", async () => {
  await open("Tidewatch quay", 2);
  await saved(page, () => page.locator("at=#channel-4").getByRole("button", { name: "Alone" }).click());
  await rested(page);
  const red = ([r, g, b]) => r - (g + b) / 2;
  const [top, side] = [
    [2554, 1164],
    [2554, 1250],
  ];
  const was = { top: await pixel(page, ...top, 6), side: await pixel(page, ...side, 6) };
  assert.ok(red(was.top) > red(was.side) + 12, `its top is ${was.top}, its side ${was.side}`);
  const foot = (await sketch()).now.points.find((k) => k.name === "Foot of Bollard").at;
  await saved(page, async () =>
    drag(page, await place(page, ...foot), await place(page, foot[0], foot[1] + 30)),
  );
  await rested(page);
  const now = { top: await pixel(page, ...top, 6), side: await pixel(page, ...side, 6) };
  assert.ok(red(now.top) > red(now.side) + 12, `moved, its top is ${now.top}, its side ${now.side}`);
  await undo(page);
  await rested(page);
  assert.ok(Math.abs(red(await pixel(page, ...top, 6)) - red(was.top)) < 1);
  assert.equal(await unlike(page), 0);
});
