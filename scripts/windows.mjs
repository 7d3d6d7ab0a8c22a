// Measures several windows on one shot: 500 random edits from two browsers, checked one by one and against the command
// line's picture; how long a browser takes to show what another one saved; and twelve tabs of one browser, while one drags.
//
//   go build -o bin/pyrant ./cmd/pyrant && node scripts/windows.mjs
import { editsBy, sameAsCommandLine } from "../e2e/edits.mjs";
import { Server, copyOf, expectError, launch, open, picture, settled } from "../e2e/lib.mjs";

const edits = Number(process.argv[2] ?? 500);
const server = new Server("demo");
const url = await server.start();
const browser = await launch();
const first = await open(browser, url);
const address = url + (await copyOf(first, url, "Tidewatch quay"));
await first.goto(`${address}?step=glow`);
const other = await open(browser, `${address}?step=glow`);
for (const p of [first, other]) {
  expectError(p, 404, 409);
  await settled(p);
}

const quantile = (list, q) => Math.round(list.sort((a, b) => a - b)[Math.floor(q * (list.length - 1))]);
const told = (list) => `median ${quantile(list, 0.5)} ms, 95th percentile ${quantile(list, 0.95)} ms`;

// How long from the answer to one window until the other one has the new state.
const change = (p, value) =>
  p.evaluate(async (v) => {
    const s = await import("/static/js/store.js");
    await s.commit([{ op: "replace", path: "/lights/0/gel/hue", value: v }]);
    return [s.saved.version, performance.timeOrigin + performance.now()];
  }, value);
const waits = [];
for (let i = 0; i < 30; i++) {
  const seen = other.evaluate(
    (v) =>
      new Promise((done) => {
        import("/static/js/store.js").then((s) =>
          s.on(
            "change",
            () => s.at("/lights/0/gel/hue") !== v || done(performance.timeOrigin + performance.now()),
          ),
        );
      }),
    i,
  );
  const [, answered] = await change(first, i);
  waits.push(Math.max((await seen) - answered, 0));
  await settled(other);
}
console.log(`another browser has what was saved after: ${told(waits)}`);

const result = await editsBy([first, other], edits / 2, 35);
const same = (await picture(first)) === (await picture(other));
const cli = await sameAsCommandLine(first, address);
console.log(
  `${edits} edits from two browsers: ${result.saved} saved, ${result.refused.length} refused (${[...new Set(result.refused)]}), ${result.wrong.length} wrong; the two pictures are ${same ? "equal" : "different"}, that of the command line is ${cli ? "equal" : "different"}`,
);
result.wrong.slice(0, 5).forEach((w) => console.log(w));
await other.context().close();

// Twelve tabs: frames of a drag in one, alone and beside eleven others that follow.
const drag = async (p) => {
  const b = await p.locator("#board .channel .fader").first().boundingBox();
  const x = b.x + b.width / 2;
  await p.evaluate(() => {
    window.frames = [];
    const stage = document.getElementById("stage");
    let asked = 0;
    document.addEventListener("input", () => (asked = performance.now()));
    stage.addEventListener("frame", () => window.frames.push(performance.now() - asked));
  });
  await p.mouse.move(x, b.y + 0.3 * b.height);
  await p.mouse.down();
  for (let i = 0; i < 60; i++) {
    await p.mouse.move(x, b.y + (0.3 + 0.4 * Math.abs(Math.sin(i / 9))) * b.height);
    await p.waitForTimeout(16);
  }
  await p.waitForTimeout(300);
  const list = await p.evaluate(() => window.frames);
  await p.mouse.up();
  return list;
};
console.log(`frames of a drag, one tab: ${told(await drag(first))}`);
const tabs = [];
for (let i = 0; i < 11; i++) {
  const tab = await first.context().newPage();
  await tab.goto(`${address}?step=glow`);
  await settled(tab);
  tabs.push(tab);
}
await first.bringToFront();
console.log(`frames of a drag, twelve tabs: ${told(await drag(first))}`);
await settled(first);
for (const tab of tabs) await settled(tab);
const seen = await picture(first);
const alike = [];
for (const tab of tabs) {
  await tab.bringToFront();
  await settled(tab);
  alike.push((await picture(tab)) === seen);
}
console.log(`tabs that show the same afterwards: ${alike.filter(Boolean).length} of ${tabs.length}`);
await browser.close();
await server.remove();
