// Sets up the quay's lights from the untouched photo by mouse, at the pace of a hand, in a running Pyrant of its own, and
// keeps the exported picture. It prints how long each part took.
//
//	node scripts/sixminutes.mjs [FILE]      docs/evidence/quay-in-six-minutes.jpg if not said
import { mkdirSync } from "node:fs";
import { dirname, join } from "node:path";
import { Server, launch, open, place, saved, settled, state, upload } from "../e2e/lib.mjs";

const root = join(import.meta.dirname, "..");
const file = process.argv[2] ?? join(root, "docs", "evidence", "quay-in-six-minutes.jpg");
const server = new Server("serve");
await server.start();
const browser = await launch();
const page = await open(browser, server.url);
const began = Date.now();
const parts = [];
const wait = (ms) => page.waitForTimeout(ms);
let hand = { x: 640, y: 400 };

// go moves the pointer to a place of the screen as a hand does: about 900 pixels a second, slower at both ends.
async function go(to) {
  const long = Math.hypot(to.x - hand.x, to.y - hand.y);
  const steps = Math.max(Math.round((120 + long / 0.9) / 16), 4);
  for (let i = 1; i <= steps; i++) {
    const t = i / steps;
    const k = t * t * (3 - 2 * t);
    await page.mouse.move(hand.x + (to.x - hand.x) * k, hand.y + (to.y - hand.y) * k);
    await wait(14);
  }
  hand = to;
}
const middle = async (what) => {
  const el = typeof what === "string" ? page.locator(what).first() : what;
  await el.scrollIntoViewIfNeeded();
  const b = await el.boundingBox();
  return { x: b.x + b.width / 2, y: b.y + b.height / 2, w: b.width, h: b.height };
};
async function press(to, key) {
  await go(to);
  await wait(160);
  if (key) await page.keyboard.down(key);
  await page.mouse.down();
  await wait(70);
  await page.mouse.up();
  if (key) await page.keyboard.up(key);
  await wait(180);
}
const push = async (what, key) => press(await middle(what), key);
const click = async (x, y, key) => press(await place(page, x, y), key);
async function pull(from, to) {
  await go(from);
  await page.mouse.down();
  await wait(80);
  await go(to);
  await wait(120);
  await page.mouse.up();
  await wait(180);
}
// type writes a number into a field, in place of what is there.
async function type(field, text) {
  await push(field);
  await page.keyboard.press("Control+a");
  await page.keyboard.type(text, { delay: 130 });
  await page.keyboard.press("Enter");
  await wait(250);
}
async function fade(i, level) {
  const m = await middle(`at=#channel-${i} .fader`);
  const is = (await state(page)).lights[i].level;
  const at = (v) => ({ x: m.x, y: m.y + m.h / 2 - 9 - (m.h - 18) * (v / 2) });
  await saved(page, () => pull(at(is), at(level)));
}
async function choose(select, value) {
  await push(select);
  await wait(300);
  await saved(page, () => page.selectOption(select, value));
}
async function take(what) {
  await push(`[data-hand="${what}"]`);
  await page.waitForFunction(
    () => !document.getElementById("trace-hint").textContent.includes("made ready"),
    null,
    { timeout: 60_000 },
  );
}
async function name(text) {
  await push("#light-name");
  await page.keyboard.press("Control+a");
  await saved(page, async () => {
    await page.keyboard.type(text, { delay: 90 });
    await page.keyboard.press("Enter");
  });
}
const step = async (id) => {
  await push(`#rail [data-step="${id}"]`);
  await page.waitForFunction((s) => document.querySelector(".bench")?.dataset.step === s, id);
};
let last = began;
const done = (what) => {
  parts.push([what, (Date.now() - last) / 1000]);
  last = Date.now();
};
const another = async () => {
  await push(".channel.add [data-action='add-light']");
  await settled(page);
};

await upload(page, join(root, "demo", "tidewatch-quay.jpg"));
await page.waitForURL(/\/shots\/\w+/);
await settled(page);
done("opened");

// Dusk: a ready-made night, a little deeper.
await step("dusk");
await choose("[data-start]", "blue-hour");
done("dusk");

await step("trace");
await take("region");
for (const [i, at] of [
  [1254, 620],
  [1140, 590],
  [1355, 590],
  [1160, 720],
  [1344, 724],
].entries())
  await saved(page, () => click(...at, i > 0 ? "Shift" : undefined));
await name("Panels");
done("panels traced");
await saved(page, () => click(1232, 280));
await name("Porthole");
done("porthole traced");

await another();
await take("tube");
await click(1392, 1249);
await click(1669, 363);
await saved(page, () => page.keyboard.press("Enter"));
// The gloves are before it: what they hide is taken away.
for (const shape of [
  [
    [1367, 1250],
    [1431, 1206],
    [1434, 1194],
    [1430, 1128],
    [1417, 1091],
    [1350, 1120],
  ],
  [
    [1469, 924],
    [1532, 880],
    [1580, 728],
    [1547, 754],
    [1500, 760],
  ],
  [
    [1542, 690],
    [1577, 738],
    [1616, 611],
    [1578, 574],
  ],
]) {
  await push("#trace-away");
  await take("outline");
  for (const at of shape) await click(...at);
  await saved(page, () => click(...shape[0]));
}
await name("Rod");
done("rod traced");

await another();
await take("outline");
const globe = [
  [488, 1012],
  [503, 980],
  [501, 939],
  [486, 898],
  [482, 879],
  [430, 881],
  [428, 899],
  [418, 934],
  [416, 973],
  [437, 1014],
];
for (const at of globe) await click(...at);
await saved(page, () => click(...globe[0]));
await name("Lamp");
done("lamp traced");

await another();
await take("tube");
const corners = [
  [2351, 399],
  [2184, 295],
  [2009, 397],
  [2004, 600],
  [2171, 700],
  [2343, 600],
];
for (const at of corners) await click(...at);
await saved(page, () => click(...corners[0]));
await name("Hexagon");
done("hexagon traced");

await another();
await take("string");
for (const at of [
  [372, 187],
  [1120, 364],
  [1860, 376],
  [2743, 176],
])
  await click(...at);
await saved(page, () => page.keyboard.press("Enter"));
await name("Floats");
done("floats traced");

// Gels, rigs where the light's shape does not say it, and how bright each is.
await step("glow");
for (const [i, gel, stops, rig] of [
  [0, [168, 90, 50], null],
  [1, [38, 92, 60], "0.5", "Lamp"],
  [2, [214, 95, 60], "0.35"],
  [3, [33, 95, 56], "0.5", "Lamp"],
  [4, [328, 90, 58], "1"],
  [5, [36, 92, 60], "0.2"],
]) {
  await push(`[data-carry="${i}"]`);
  await page.waitForFunction(
    (n) => Number(document.querySelector(".channel.chosen")?.dataset.light) === n,
    i,
  );
  await settled(page);
  for (const [k, what] of ["hue", "saturation", "lightness"].entries()) {
    const field = `at=#f-lights-${i}-gel-${what}`;
    if (Math.abs(Number(await page.locator(field).inputValue()) - gel[k]) > 0.5)
      await saved(page, () => type(field, String(gel[k])));
  }
  if (stops) await saved(page, () => type(`at=#f-lights-${i}-intensity`, stops));
  if (rig) {
    const b = page.locator(".tries button", { hasText: new RegExp(`^${rig}$`) });
    if ((await b.getAttribute("aria-pressed")) !== "true") await saved(page, () => push(b));
  }
}
for (const [i, level] of [
  [0, 0.75],
  [1, 0.6],
  [2, 0.8],
  [3, 0.8],
  [4, 0.65],
  [5, 0.6],
])
  await fade(i, level);
done("glow");

await step("spill");
for (const [i, strength, reach] of [
  [0, "110", "1300"],
  [1, "40", "700"],
  [2, "280", "1500"],
  [3, "380", "1700"],
  [4, "240", "1400"],
  [5, "100", "800"],
]) {
  await push(`[data-carry="${i}"]`);
  await settled(page);
  await page.waitForFunction(
    (n) => Number(document.querySelector(".channel.chosen")?.dataset.light) === n,
    i,
  );
  for (const [what, v] of [
    ["strength", strength],
    ["reach", reach],
  ]) {
    const field = `at=#f-lights-${i}-spill-${what}`;
    if (Math.abs(Number(await page.locator(field).inputValue()) - Number(v)) > 0.5)
      await saved(page, () => type(field, v));
  }
}
done("spill");

await step("finish");
await choose("[data-start]", "vignette");
done("finish");

await step("export");
await push("#export-go");
await page.locator("#download").waitFor({ timeout: 60_000 });
const [download] = await Promise.all([page.waitForEvent("download"), push("#download")]);
mkdirSync(dirname(file), { recursive: true });
await download.saveAs(file);
done("exported");

for (const [what, s] of parts) console.log(`${s.toFixed(1).padStart(6)} s  ${what}`);
const all = (Date.now() - began) / 1000;
console.log(`${all.toFixed(1).padStart(6)} s  in all, of 360`);
if (page.faults.length) console.log("faults:", page.faults);
await browser.close();
await server.remove();
process.exit(all < 360 && !page.faults.length ? 0 : 1);
