// Measures in the real browser how long it takes from a move of the pointer to the
// picture that shows it, while a fader, a gel, a radius, a point, daylight and a curve
// are dragged in the demo shot, and a stroke is painted. Pointer moves come every 16 ms, as a
// mouse sends them. Then, on a photo of 24 megapixels, how long until what is under the pointer
// is outlined (one click), until the line has come after it (cling), and from the end of a stroke
// until what it cuts out shows (scribble).
//
//   go build -o bin/pyrant ./cmd/pyrant && node scripts/latency.mjs
import { readFileSync } from "node:fs";
import { Server, launch, open, place, settled, state, stroke } from "../e2e/lib.mjs";

const server = new Server("demo");
const url = await server.start();
const browser = await launch();
const page = await open(browser, url);
const card = page.locator(".shot", { has: page.locator('input[value="Tidewatch quay"]') });
await card.locator("a.pic").click();
await settled(page);

await page.evaluate(() => {
  const stage = document.getElementById("stage");
  let waiting = [];
  window.taken = [];
  const asked = (e) => {
    const n = Number(stage.dataset.asked ?? 0);
    if (e.buttons !== 0 && n !== asked.last) {
      asked.last = n;
      waiting.push({ n, at: e.timeStamp });
    }
  };
  document.addEventListener("pointermove", asked);
  // A slider tells of its value after the pointer's own event.
  let move = null;
  document.addEventListener("pointermove", (e) => (move = e), true);
  document.addEventListener("input", () => move && asked(move));
  stage.addEventListener("frame", (e) => {
    requestAnimationFrame(() => {
      const now = performance.now();
      const done = waiting.filter((w) => w.n <= e.detail);
      window.taken.push(...done.map((w) => now - w.at));
      waiting = waiting.filter((w) => w.n > e.detail);
    });
  });
});

async function measure(name, from, to) {
  await page.waitForTimeout(800);
  await page.evaluate(() => (window.taken.length = 0));
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  const moves = 120;
  for (let i = 1; i <= moves; i++) {
    const t = 0.5 - 0.5 * Math.cos((4 * Math.PI * i) / moves); // there and back, twice
    await page.mouse.move(from.x + (to.x - from.x) * t, from.y + (to.y - from.y) * t);
    await page.waitForTimeout(14);
  }
  await page.waitForTimeout(400);
  const taken = await page.evaluate(() => window.taken);
  await page.mouse.up();
  await settled(page);
  report(name, taken);
}

function report(name, taken) {
  taken.sort((a, b) => a - b);
  const at = (q) => Math.round(taken[Math.min(Math.floor(q * taken.length), taken.length - 1)]);
  console.log(
    `${name.padEnd(12)} ${String(taken.length).padStart(4)} moves   median ${at(0.5)} ms   95th percentile ${at(0.95)} ms`,
  );
}

const middle = async (selector) => {
  const b = await page.locator(selector).boundingBox();
  return { x: b.x + b.width / 2, y: b.y + b.height / 2, w: b.width, h: b.height };
};

let m = await middle("at=#channel-0 .fader");
await measure("fader", m, { x: m.x, y: m.y + 0.4 * m.h });
// On the gel's ring, a straight way that stays on it for as long as it is dragged.
m = await middle("#gel");
await measure("gel", { x: m.x - 0.43 * m.w, y: m.y }, { x: m.x - 0.2 * m.w, y: m.y - 0.4 * m.h });
m = await middle('[data-shell-handle="5"]');
await measure("radius", m, { x: m.x + 40, y: m.y });
await page.locator('#rail [data-step="trace"]').click();
await page.locator('[data-hand="edit"]').waitFor();
const node = (await state(page)).lights[0].shapes[0].nodes[3];
m = await place(page, node.x, node.y);
await measure("point", m, { x: m.x + 25, y: m.y + 25 });
await page.locator('#rail [data-step="dusk"]').click();
await page.locator("#f-dusk-daylight-slider").waitFor();
await settled(page);
await page.waitForTimeout(800); // the histogram has come
m = await middle("#f-dusk-daylight-slider");
const set = Number(await page.locator("#f-dusk-daylight-slider").inputValue());
await measure("daylight", { x: m.x - m.w / 2 + (m.w * set) / 1000, y: m.y }, { x: m.x, y: m.y });
await page.locator("[data-add-pass]").selectOption("curves");
await page.locator("#curve [data-knot]").first().waitFor();
await settled(page);
const box = await page.locator("#curve").boundingBox();
const on = (x, y) => ({
  x: box.x + ((14 + 272 * x) * box.width) / 300,
  y: box.y + ((180 - 170 * y) * box.height) / 190,
});
await measure("curve", on(0.5, 0.5), on(0.5, 0.65));
await page.locator("[data-area-of]").first().selectOption("+");
await page.locator('[data-hand="brush"]').waitFor();
await settled(page);
await measure("brush", await place(page, 400, 1500), await place(page, 2600, 1300));

// The demo photo at twice its size.
const photo = Buffer.from(
  await page.evaluate(
    async (data) => {
      const small = await createImageBitmap(new Blob([Uint8Array.from(atob(data), (c) => c.charCodeAt(0))]));
      const c = new OffscreenCanvas(2 * small.width, 2 * small.height);
      c.getContext("2d").drawImage(small, 0, 0, c.width, c.height);
      const bytes = new Uint8Array(
        await (await c.convertToBlob({ type: "image/jpeg", quality: 0.92 })).arrayBuffer(),
      );
      let text = "";
      for (let i = 0; i < bytes.length; i += 32768)
        text += String.fromCharCode(...bytes.subarray(i, i + 32768));
      return btoa(text);
    },
    readFileSync(new URL("../demo/tidewatch-quay.jpg", import.meta.url)).toString("base64"),
  ),
  "base64",
);
await page.goto(url);
await page.setInputFiles("#photo", { name: "large.jpg", mimeType: "image/jpeg", buffer: photo });
await page.waitForURL(/\/shots\/\w+/, { timeout: 60_000 });
await settled(page);
await page.locator('#rail [data-step="trace"]').click();
await page.locator("#hands").waitFor();
const ready = () =>
  page.waitForFunction(
    () => !document.getElementById("trace-hint").textContent.includes("made ready"),
    null,
    { timeout: 60_000 },
  );
// What the hand shows, as the data of its last line.
await page.evaluate(() => {
  const overlay = document.getElementById("overlay");
  const line = () => overlay.querySelector(".preview, .over.faint")?.getAttribute("d");
  window.taken = [];
  let asked = null;
  let before = null;
  document.addEventListener(
    "pointermove",
    (e) => {
      before = line();
      asked = e.timeStamp;
    },
    true,
  );
  new MutationObserver(() => {
    if (asked === null || !line() || line() === before) return;
    const from = asked;
    asked = null;
    requestAnimationFrame(() => window.taken.push(performance.now() - from));
  }).observe(overlay, { childList: true, subtree: true });
});
async function follow(name, places) {
  await page.evaluate(() => (window.taken.length = 0));
  for (const [x, y] of places) {
    const p = await place(page, 2 * x, 2 * y);
    await page.mouse.move(p.x, p.y);
    await page.waitForTimeout(220);
  }
  const taken = (await page.evaluate(() => window.taken)).sort((a, b) => a - b);
  const at = (q) => Math.round(taken[Math.min(Math.floor(q * taken.length), taken.length - 1)]);
  console.log(
    `${name.padEnd(12)} ${String(taken.length).padStart(4)} moves   median ${at(0.5)} ms   95th percentile ${at(0.95)} ms`,
  );
}
const things = [
  [1254, 620],
  [1140, 590],
  [1355, 590],
  [1160, 720],
  [1344, 724],
  [1232, 280],
  [524, 236],
  [1713, 387],
  [2595, 226],
  [460, 900],
];
await page.locator('[data-hand="region"]').click();
await ready();
await follow("one click", [...things, ...things, ...things]);
await page.locator('[data-hand="cling"]').click();
const pin = await place(page, 2 * 1208, 2 * 575);
await page.mouse.move(pin.x, pin.y);
await page.mouse.down();
await page.mouse.up();
await page.waitForTimeout(400);
const along = Array.from({ length: 30 }, (_, i) => [1208 + 4 * i, 575 + (i % 3)]);
await follow("cling", along);

// From the end of a stroke of Scribble until its cut-out shows.
await page.keyboard.press("Escape");
await page.locator('[data-hand="scribble"]').click();
await page.waitForTimeout(1500);
const inside = [
  [
    [1240, 270],
    [1240, 655],
    [1290, 900],
    [1190, 1110],
    [1094, 1550],
  ],
  [
    [1325, 970],
    [1385, 1245],
    [1400, 1540],
  ],
  [
    [1025, 465],
    [860, 760],
    [830, 985],
  ],
  [
    [1450, 500],
    [1650, 760],
    [1430, 915],
  ],
];
const around = [
  [1066, 130],
  [1415, 130],
  [1485, 300],
  [1780, 690],
  [1540, 1130],
  [1540, 1630],
  [960, 1640],
  [700, 970],
  [790, 510],
  [1066, 130],
];
const twice = (list) => list.map(([x, y]) => [2 * x, 2 * y]);
const looking = () => page.evaluate(() => document.getElementById("stage").dataset.looking ?? "");
const shown = [];
async function scribbled(line, counts = true) {
  const before = await looking();
  await stroke(page, twice(line));
  const began = performance.now();
  await page.waitForFunction((b) => document.getElementById("stage").dataset.looking !== b, before, {
    polling: 8,
  });
  if (counts) shown.push(performance.now() - began);
}
await scribbled(inside[0], false);
await page.locator('[data-says="out"]').click();
await scribbled(around);
await page.locator('[data-says="in"]').click();
for (let round = 0; round < 4; round++)
  for (const line of inside.slice(1)) {
    await page.waitForTimeout(300);
    await scribbled(line);
  }
report("scribble", shown);

await browser.close();
await server.remove();
