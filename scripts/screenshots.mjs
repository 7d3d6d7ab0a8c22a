// Makes docs/screenshots from the demo data, at 1280x800, and renews those that changed visibly.
//
//	go build -o bin/pyrant ./cmd/pyrant && node scripts/screenshots.mjs
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import {
  Server,
  drag,
  fine,
  launch,
  open,
  place,
  rested,
  saved,
  settled,
  state,
  stroke,
} from "../e2e/lib.mjs";
import { cutKite } from "../e2e/kite.mjs";
import { keep } from "./screenshot.mjs";

const out = join(import.meta.dirname, "..", "docs", "screenshots");
mkdirSync(out, { recursive: true });
const server = new Server("demo");
const url = await server.start();
const browser = await launch();
const page = await open(browser, url, { unfolded: ["find", "unattached", "rays-star", "blockers"] });
const says = (what) => page.locator(`[data-says="${what}"]`).click();
const pairs = (list) => list.flatMap((v, i) => (i % 2 ? [] : [[v, list[i + 1]]]));
const shoot = async (name) => {
  if (await keep(join(out, `${name}.png`), await page.screenshot())) console.log(`${name} is renewed`);
};

await page.waitForFunction(() => [...document.images].every((i) => i.complete && i.naturalWidth));
await shoot("shots");
await page
  .locator(".shot", { has: page.locator('input[value="Tidewatch quay"]') })
  .locator("a.pic")
  .click();
await settled(page);
const step = async (name) => {
  await page.locator(`#rail [data-step="${name}"]`).click();
  await page.locator(`#rail [data-step="${name}"][aria-current]`).waitFor();
  await settled(page);
  await page.mouse.move(640, 30);
  await page.waitForTimeout(300);
};
await step("glow");
await page.locator("#falloff .curve[points]").waitFor();
await page.mouse.move(640, 300); // a place whose distance the chart shows
await page.waitForTimeout(1200);
await shoot("glow");
// A group on the board, and an orb by its handles.
const across = async (hand, a, b) => {
  await page.locator(`[data-hand="${hand}"]`).scrollIntoViewIfNeeded();
  await page.click(`[data-hand="${hand}"]`);
  await saved(page, async () => drag(page, await place(page, ...a), await place(page, ...b)));
};
await page.locator('[data-carry="0"]').click({ modifiers: ["Shift"] });
await page.locator('[data-carry="1"]').click();
await page.locator('[data-carry="0"]').click({ modifiers: ["Shift"] });
await saved(page, () => page.click("#group-chosen"));
await across("orb", [2450, 1180], [2640, 1290]);
await saved(page, async () => {
  await page.locator("at=#f-lights-6-gel-hue").fill("185");
  await page.keyboard.press("Enter");
});
await page.locator("#stage").focus();
await page.waitForTimeout(400);
await shoot("glow-orb");
while (!(await page.locator("#undo").isDisabled())) await saved(page, () => page.keyboard.press("Control+z"));
await settled(page); // the board is what it was before
await page.locator('[data-carry="0"]').click();
await settled(page);
await step("finish");
await page.locator('[data-open="pass"]').nth(1).click();
await settled(page);
await page.waitForTimeout(500);
await shoot("finish");
await step("trace");
// An arm that was cut out stands before the rod, whose own outlines no longer hide it.
await page.locator('[data-choose="2"]').click();
await settled(page);
for (let n = 0; n < 3; n++) await saved(page, () => page.locator('li[data-shape="1"] [data-remove]').click());
await page.keyboard.press("d");
const arm = [
  ["in", 1484, 533, 1606, 683, 1665, 770, 1571, 840, 1432, 916],
  ["out", 1669, 341, 1631, 533],
  ["out", 1505, 906, 1435, 1108],
  ["out", 1763, 481, 1798, 794, 1658, 968, 1536, 986],
  ["out", 1380, 376, 1449, 655, 1449, 777, 1345, 934],
];
for (const [what, ...line] of arm) {
  if (await page.locator("#says").count()) await says(what);
  await saved(page, () => stroke(page, pairs(line)));
}
await fine(page);
await page.locator("input.name").fill("Forearm");
await saved(page, () => page.keyboard.press("Enter"));
await page.locator("#bench .head [data-close]").click();
await settled(page);
await page.locator('[data-choose="2"]').click();
await settled(page);
await saved(page, () => page.locator("[data-add-blocker]").selectOption({ label: "Cut-out Forearm" }));
await page.locator('[data-hand="edit"]').click();
await page.evaluate(async () => (await import("/static/js/view.js")).lookAt(1600, 760));
await page.locator("[data-add-blocker]").evaluate((el) => el.scrollIntoView({ block: "end" }));
await settled(page);
await page.mouse.move(640, 30);
await page.waitForTimeout(400);
await shoot("trace");
await page.keyboard.press("f");
await page.locator("#stage").focus();
while (!(await page.locator("#undo").isDisabled())) await saved(page, () => page.keyboard.press("Control+z"));
await page.locator('[data-choose="4"]').click();
await step("spill");
await page.locator('[data-choose="2"]').click();
await settled(page);
const foot = await place(page, 1394, 1585);
await page.mouse.move(foot.x, foot.y);
await page.waitForTimeout(400);
await shoot("room");
// The spill and its shadows beside the plain photo, and how much each surface gets.
await page.locator('details[data-fold="falls"] > summary').click();
await page.locator('details[data-fold="falls"]').evaluate((el) => el.scrollIntoView({ block: "end" }));
await page.locator('[data-show="split"]').click();
await settled(page);
await page.mouse.move(640, 30);
await page.waitForTimeout(400);
await shoot("spill");
await page.locator('[data-show="lit"]').click();
await settled(page);
await step("export");
// Three exports in the list of jobs; and what a window is told that changes a light which another one has deleted.
await page.locator("#export-go").click();
await page.locator("#download").waitFor();
const gone = (await state(page)).lights[1].id;
const other = await open(browser, page.url());
await settled(other);
const change = (p, op) =>
  p.evaluate(
    async (ops) => (await import("/static/js/store.js")).commit(ops),
    [{ path: `/lights/id:${gone}`, ...op }],
  );
await saved(other, () => change(other, { op: "remove" }));
await other.context().close();
await page.waitForFunction((id) => !document.getElementById(`channel-${id}`), gone);
await settled(page);
for (const format of ["png16", "tiff16"]) {
  await page.locator(`input[name="format"][value="${format}"]`).check();
  await page.locator("#export-go").click();
  await page.waitForTimeout(300);
}
await page.locator("#jobs-open").click();
await page.waitForFunction(
  () => document.querySelector("#jobs [data-state='working'] progress")?.value > 0.3,
);
await change(page, { op: "replace", path: `/lights/id:${gone}/level`, value: 0.3 });
await page.getByText("was deleted in another window").waitFor();
await shoot("export");
await page.locator("#notice button").click();
await page.locator("#jobs-close").click();
await page.locator("#download").waitFor();
await saved(page, () => page.locator("#undo").click());

// Dusk and an area, on the dunes.
await page.goto(url);
await page
  .locator(".shot", { has: page.locator('input[value="Tidewatch dunes"]') })
  .locator("a.pic")
  .click();
await settled(page);
await step("dusk");
await saved(page, () => page.selectOption("[data-add-pass]", "curves"));
await page.locator('[data-channel="blue"]').click();
const curve = await page.locator("#curve").boundingBox();
const on = (x, y) => ({
  x: curve.x + ((14 + 272 * x) * curve.width) / 300,
  y: curve.y + ((180 - 170 * y) * curve.height) / 190,
});
await saved(page, () => drag(page, on(0.15, 0.15), on(0.16, 0.2)));
await page.mouse.move(640, 30);
await page.waitForTimeout(600);
await shoot("dusk");
await page.locator('[data-fold="back"] summary').click();
await saved(page, () => page.selectOption('[data-area-of="/dusk/back/area"]', "+"));
for (const [a, b] of [
  [
    [1290, 1780],
    [1370, 1440],
  ],
  [
    [1380, 1400],
    [1500, 1240],
  ],
])
  await saved(page, async () => drag(page, await place(page, ...a), await place(page, ...b), 12));
await page.locator('[data-look-as="tint"]').click();
const over = await place(page, 1560, 1200);
await page.mouse.move(over.x, over.y);
await page.waitForTimeout(900);
await shoot("area");

// A kite cut out by strokes, and looked at on black at 1:1.
await page.locator("#bench .head [data-close]").click();
await step("trace");
await page.keyboard.press("d");
await cutKite(page, says, (points) => saved(page, () => stroke(page, points)));
await page.keyboard.press("f");
await settled(page);
await page.locator("input.name").fill("Kite");
await saved(page, () => page.keyboard.press("Enter"));
await fine(page);
await page.locator("#stage").focus();
const beside = await place(page, 2700, 1000);
await page.mouse.move(beside.x, beside.y);
await page.waitForTimeout(900);
await shoot("scribble");
await page.locator('[data-look-as="black"]').click();
await page.evaluate(async () => (await import("/static/js/view.js")).lookAt(2450, 850));
await settled(page);
await page.mouse.move(640, 30);
await page.waitForTimeout(900);
await shoot("cutout");

// Points on the harbour: found, dead bulbs dealt gels, lamps with rays as a lens makes them; a burst on the dunes.
const shot = async (name) => {
  await page.goto(url);
  await page
    .locator(".shot", { has: page.locator(`input[value="${name}"]`) })
    .locator("a.pic")
    .click();
  await settled(page);
  await step("glow");
};
await shot("Tidewatch harbour");
await saved(page, () =>
  page.evaluate(async () => {
    const { commit, set } = await import("/static/js/store.js");
    const form = { kind: "ellipse", x: 2770, y: 1060, width: 340, height: 260 };
    const parts = [{ on: true, does: "add", amount: 1, feather: 0, of: { kind: "shape", shape: form } }];
    await commit([set("/areas/-", { id: "boat", name: "Behind the boat", parts }, "add")]);
  }),
);
await page.locator('[data-hand="points"]').click();
await page.locator("#take-found").waitFor();
await page.locator("#found-off").selectOption("boat");
await page.waitForFunction(() =>
  /excluded by area/.test(document.querySelector("#found [role=status]")?.textContent),
);
await page.waitForFunction(() => document.querySelectorAll("#found [data-found] canvas").length > 20);
await page.waitForTimeout(600);
await page.locator("#found").evaluate((el) => el.scrollIntoView({ block: "end" }));
await page.waitForTimeout(500);
await shoot("points");
await saved(page, () => page.locator("#take-found").click());
await page.locator('details[data-fold="rays"] > summary').click();
await saved(page, () => page.selectOption('at=[data-select="/lights/2/rays/made"]', "lens"));
await page.locator('[data-hand="dead-points"]').click();
await page.locator("#take-found").waitFor();
await saved(page, () => page.locator("#take-found").click());
await page.locator('details[data-fold="deal"] > summary').click();
await saved(page, () => page.locator('[data-deal="fair"]').click());
await page.locator("#board [data-carry='2'], .channel [data-carry='2']").first().click();
await settled(page);
const rays = page.locator('details[data-fold="rays"]');
const opened = async () => (await rays.getAttribute("open")) ?? (await rays.locator("> summary").click());
await opened();
await page.locator('details[data-fold="rays"]').evaluate((el) => el.scrollIntoView({ block: "start" }));
await page.locator("#stage").focus();
await rested(page);
await page.waitForTimeout(600);
await shoot("rays");
await shot("Tidewatch dunes");
await across("burst", [843, 652], [1380, 640]);
await opened();
await page.locator('details[data-fold="rays"]').evaluate((el) => el.scrollIntoView({ block: "start" }));
await page.locator("#stage").focus();
await rested(page);
await page.waitForTimeout(600);
await shoot("burst");
// The frame on the dunes, straightened; a night sky behind tower and hills; the history with then beside now.
await page.locator("#stage").focus();
while (!(await page.locator("#undo").isDisabled())) await saved(page, () => page.keyboard.press("Control+z"));
await step("photo");
const at = (x, y) => place(page, x, y);
await saved(page, async () => drag(page, await at(3000, 2000), await at(2620, 1750)));
await saved(page, async () => drag(page, await at(0, 0), await at(260, 150)));
await saved(page, async () => {
  await page.locator("#f-crop-angle").fill("-2.4");
  await page.keyboard.press("Enter");
});
await page.mouse.move(640, 30);
await settled(page);
await page.waitForTimeout(400);
await shoot("photo");
await step("dusk");
await saved(page, () => page.locator("[data-add-pass]").selectOption("picture"));
await page.locator('[data-shipped="stars"]').waitFor();
await saved(page, () => page.locator('[data-shipped="stars"]').click());
const sky = (await page.locator("[data-area-of^='/dusk/passes/']").last().getAttribute("data-area-of")) ?? "";
await saved(page, () => page.locator(`[data-area-of="${sky}"]`).selectOption({ label: "Sky" }));
await page.locator(".thing.open").evaluate((el) => el.scrollIntoView({ block: "start" }));
await page.mouse.move(640, 30);
await settled(page);
await page.waitForTimeout(400);
await shoot("sky");
await page.locator("#saved").click();
await page.locator("#mark-new input").fill("Sky behind the tower");
await page.locator("#mark-new button").click();
await page.locator("[data-go-mark]").waitFor();
await page.locator('[data-beside="1"]').click();
await settled(page);
await page.waitForFunction(() =>
  [...document.querySelectorAll(".past-go img")].every((i) => i.complete && i.naturalWidth),
);
await page.mouse.move(640, 30);
await page.waitForTimeout(900);
await shoot("history");
// The quay beside a photo with its small real lights on, and what a match leaves over.
await shot("Tidewatch quay");
await step("photo");
await page.locator('details[data-fold="reference"] > summary').click();
await page.locator("#ref-demo").click();
await page.locator("#ref-split").waitFor();
await page.locator('[data-hand="level"]').scrollIntoViewIfNeeded();
await page.locator("#ref-split").click();
await page.locator("#ref-says").evaluate((el) => el.scrollIntoView({ block: "end" }));
await page.mouse.move(640, 30);
await settled(page);
await page.waitForTimeout(900);
await shoot("reference");
await browser.close();
await server.remove();
