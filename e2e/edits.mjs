// Random edits from several pages at once, and a model of what must come of them: each answered edit in the order of the
// versions that the answers name.
import { execFileSync } from "node:child_process";
import { readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { binary, differences, settled, state } from "./lib.mjs";

// random gives numbers from 0 to 1, the same for the same seed.
function random(seed) {
  let s = seed;
  return () => {
    s = (s + 0x6d2b79f5) | 0;
    let t = Math.imul(s ^ (s >>> 15), 1 | s);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 2 ** 32;
  };
}

const plain = (lights) =>
  lights.map((l) => ({ id: l.id, name: l.name, level: l.level, hue: l.gel.hue, on: l.on }));

// one does one edit as the page's own widgets do, of what the page shows at that moment.
const one = (page, dice, value) =>
  page.evaluate(
    async ([what, which, v]) => {
      const { act, commit, saved } = await import("/static/js/store.js");
      const n = saved.lights.length;
      const i = Math.floor(which * n);
      const path = `/lights/${i}`;
      const set = (name, to) => commit([{ op: "replace", path: `${path}/${name}`, value: to }]);
      if (what < 0.35) await set("gel/hue", v % 360);
      else if (what < 0.6) await set("level", (v % 100) / 100);
      else if (what < 0.8) await set("name", `Light ${v}`);
      else if (what < 0.9 || n < 5) await act("duplicate-light", { light: saved.lights[i].id });
      else await commit([{ op: "remove", path }]);
    },
    [...dice, value],
  );

// editsBy has each page do so many edits, all pages at the same time. It returns the number of saved edits, the
// statuses of refused ones, and every difference between the pages and the model.
export async function editsBy(pages, each, seed) {
  const log = []; // { version, patch, lights } of each answer
  const reading = [];
  const refused = []; // statuses
  for (const page of pages)
    page.on("response", (r) => {
      const q = r.request();
      if (q.method() !== "POST" || !/\/(changes|actions\/[\w-]+)$/.test(r.url())) return;
      if (r.status() !== 200) {
        refused.push(r.status());
        return;
      }
      reading.push(
        r.json().then(({ state: s }) => {
          const patch = new URLSearchParams(q.postData()).get("patch");
          log.push({ version: s.version, patch: patch && JSON.parse(patch), lights: plain(s.lights) });
        }),
      );
    });
  let model = plain((await state(pages[0])).lights);
  const dice = pages.map((_, i) => random(seed + i));
  await Promise.all(
    pages.map(async (page, k) => {
      for (let i = 0; i < each; i++) await one(page, [dice[k](), dice[k]()], 1000 * (k + 1) + i);
    }),
  );
  await Promise.all(reading);
  const newest = Math.max(...log.map((e) => e.version));
  for (const page of pages) {
    await page.waitForFunction(
      (v) => JSON.parse(document.getElementById("shot-state").dataset.state).version >= v,
      newest,
    );
    await settled(page);
  }
  const wrong = [];
  log.sort((a, b) => a.version - b.version);
  for (const { version, patch, lights } of log) {
    for (const { op, path, value } of patch ?? []) {
      const [, id, name] = path.match(/^\/lights\/id:([^/]+)\/?(.*)$/);
      const l = model.find((m) => m.id === id);
      if (!l) wrong.push(`${version}: ${path} names no light`);
      else if (op === "remove") model = model.filter((m) => m !== l);
      else l[name.replace("gel/", "")] = value;
    }
    // Of a duplicate the page makes nothing up: what is new in the answer is one light.
    if (!patch) {
      const added = lights.filter((l) => !model.some((m) => m.id === l.id));
      if (added.length !== 1) wrong.push(`${version}: ${added.length} lights came of one duplicate`);
      model.splice(
        lights.findIndex((l) => l.id === added[0]?.id),
        0,
        ...added,
      );
    }
    if (JSON.stringify(model) !== JSON.stringify(lights))
      wrong.push(`${version}: ${JSON.stringify(model)} against ${JSON.stringify(lights)}`);
  }
  for (const page of pages) {
    const s = await state(page);
    if (JSON.stringify(plain(s.lights)) !== JSON.stringify(model)) wrong.push("a page shows something else");
    if (s.version !== newest) wrong.push(`a page is at ${s.version}, the last edit at ${newest}`);
  }
  return { saved: log.length, refused, wrong };
}

// sameAsCommandLine tells whether the picture that a page shows at fit is, byte by byte, that of the command line.
export async function sameAsCommandLine(page, address) {
  await page.keyboard.press("f");
  await settled(page);
  const { part } = await page.evaluate(async () => (await import("/static/js/view.js")).geometry());
  const file = join(tmpdir(), `pyrant-edits-${process.pid}.pyrant`);
  const png = file.replace(/pyrant$/, "png");
  writeFileSync(file, await (await page.request.get(`${address}/archive`)).body());
  execFileSync(binary, ["render", file, "-o", png, "--long-edge", String(part.long)]);
  const data = readFileSync(png).toString("base64");
  rmSync(file);
  rmSync(png);
  return (await differences(page, data)) === 0;
}
