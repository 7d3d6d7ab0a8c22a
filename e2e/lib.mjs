// What the browser tests share: a server on a data folder of its own, a browser,
// and ways to look at the picture.
import assert from "node:assert/strict";
import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import * as tests from "node:test";
import { chromium, selectors } from "playwright-core";

export const binary = process.env.PYRANT ?? join(import.meta.dirname, "..", "bin", "pyrant");

const flags =
  "--headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync";

export const launch = (more = []) =>
  chromium.launch({
    executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
    args: [...flags.split(" "), ...more],
  });

// Server runs Pyrant; it can be stopped, killed and started again on the same data.
export class Server {
  constructor(mode = "serve", options = []) {
    this.mode = mode;
    this.options = options;
    this.dir = mkdtempSync(join(tmpdir(), "pyrant-e2e-"));
    this.log = "";
  }

  async start(addr = "127.0.0.1:0") {
    const args = [this.mode, "--addr", addr, "--data", join(this.dir, "data"), ...this.options];
    this.process = spawn(binary, args);
    this.process.stderr.on("data", (b) => (this.log += b));
    this.url = await new Promise((done, fail) => {
      let out = "";
      this.process.stdout.on("data", (b) => {
        out += b;
        const found = out.match(/http:\/\/\S+/);
        if (found) done(found[0]);
      });
      this.process.on("exit", (code) => fail(new Error(`Pyrant ended with ${code}: ${this.log}`)));
    });
    return this.url;
  }

  async stop(signal = "SIGTERM") {
    if (this.process.exitCode !== null || this.process.signalCode) return;
    this.process.kill(signal);
    await once(this.process, "exit");
  }

  // restart ends Pyrant at once, as a power cut does, and starts it again at the same address.
  async restart() {
    await this.stop("SIGKILL");
    await this.start(new URL(this.url).host);
  }

  async remove() {
    await this.stop();
    rmSync(this.dir, { recursive: true, force: true });
  }
}

// sections are those of the panel that tests work in without opening them first.
const sections = [
  "tools",
  "cutouts",
  "blockers",
  "svg",
  "file",
  "shells",
  "core",
  "find",
  "unattached",
  "rays-star",
  "rays-halo",
  "rays-vary",
  "rays-distance",
  "rays-limits",
];

// blank gives a page that fails the test on errors of its scripts, and on answers with an error: the
// browser writes them to the console. A test that provokes one says so first, by expectError.
export async function blank(browser, options = {}) {
  const { unfolded = sections, ...rest } = options;
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    ...rest,
  });
  // Tests work in sections of the panel that are folded at first.
  await context.addInitScript((names) => {
    if (location.protocol === "about:") return;
    for (const name of names) localStorage[`pyrant fold ${name}`] ??= "1";
  }, unfolded);
  const page = await context.newPage();
  page.faults = [];
  page.on("pageerror", (e) => page.faults.push(e.message));
  page.on("console", (m) => {
    if (m.type() !== "error" || page.expected?.test(m.text())) return;
    page.faults.push(`${m.text()} ${m.location().url}`);
  });
  return page;
}

// at= is a selector in which items of lists stand by their positions, as in at=#f-lights-4-gel-hue,
// at=#channel-1 or at=[data-check="/lights/4/glow"]: the page has them by their ids.
await selectors.register("at", () => {
  const byID = (root, path) => {
    let v = root;
    return path.replace(/[^/]+/g, (name) => {
      const list = Array.isArray(v);
      v = v?.[name];
      return list && v?.id ? `id:${v.id}` : name;
    });
  };
  const positions = (css) => {
    const s = JSON.parse(document.getElementById("shot-state").dataset.state);
    const part = s.areas.find((a) => a.id === s.focus.area)?.parts;
    const lists = { channel: s.lights, part, pass: s.dusk.passes };
    return css
      .replace(/#f(-[\w-]+)/g, (_, id) => `#f${byID(s, id.replaceAll("-", "/")).replace(/[/:]/g, "-")}`)
      .replace(/"(\/[^"]+)"/g, (_, path) => `"${byID(s, path)}"`)
      .replace(/#(channel|part|pass)-(\d+)/g, (_, what, i) => `#${what}-${lists[what][i].id}`);
  };
  const all = (root, css) => [...root.querySelectorAll(positions(css))];
  return { query: (root, css) => all(root, css)[0], queryAll: all };
});

// stateIn reads the state of a shot from its page.
const stateIn = (html) => JSON.parse(unescaped(html.match(/data-state="([^"]+)"/)[1]));

// visit opens an address in which a light stands by its position.
export async function visit(page, address) {
  const url = new URL(address);
  const light = url.searchParams.get("light");
  if (/^\d+$/.test(light)) {
    const html = await (await page.request.get(url.origin + url.pathname)).text();
    url.searchParams.set("light", stateIn(html).lights[light].id);
  }
  await page.goto(url.href);
}

// open gives such a page that shows an address.
export async function open(browser, url, options = {}) {
  const page = await blank(browser, options);
  await visit(page, url);
  return page;
}

// card is a shot on the shots page.
export const card = (page, name) => page.locator(".shot", { has: page.locator(`input[value="${name}"]`) });

// openShot opens a shot from the shots page; openStep a step of it.
export async function openShot(page, name) {
  await card(page, name).locator("a.pic").click();
  await settled(page);
}
export async function openStep(page, name) {
  await page.locator(`#rail [data-step="${name}"]`).click();
  await page.locator(`#rail [data-step="${name}"][aria-current]`).waitFor();
  await settled(page);
}

// openCopy gives such a page that shows a new copy of a demo shot, changed as by copyOf.
export async function openCopy({ browser, server }, name, query, edit) {
  const page = await blank(browser);
  await visit(page, `${server.url + (await copyOf(page, server.url, name, edit))}?${query}`);
  await settled(page);
  return page;
}

// expectError lets answers with a status pass from now on, such as 409, or "offline" requests that get none.
export function expectError(page, ...statuses) {
  const list = statuses.map((s) =>
    s === "offline" ? "ERR_[A-Z_]+|Send Error" : `status of ${s}|Response Status Error Code ${s}`,
  );
  page.expected = new RegExp(list.join("|"));
}

const drawn = () => document.getElementById("stage").dataset.drawn ?? "";
const version = () => JSON.parse(document.getElementById("shot-state").dataset.state).version;

// rested waits until all that the page asked for is on the screen.
export const rested = (page) =>
  page.waitForFunction(() => document.getElementById("stage")?.getAttribute("aria-busy") === "false", null, {
    timeout: 30_000,
  });

// settled waits until the lossless frame of the saved version is on the screen,
// and nothing else is on its way. A failure says what the page shows instead.
export async function settled(page) {
  const done = page.waitForFunction(
    () => {
      const stage = document.getElementById("stage");
      const shot = document.getElementById("shot-state");
      if (!stage || !shot) return false; // still on the page before, or half read
      const v = JSON.parse(shot.dataset.state).version;
      return stage.dataset.drawn === `${v}:final` && stage.getAttribute("aria-busy") === "false";
    },
    null,
    { timeout: 30_000 },
  );
  await done.catch(async (e) => {
    const shown = await page.evaluate(() => [
      document.getElementById("stage")?.outerHTML.split(">")[0],
      document.getElementById("shot-state")?.dataset.state.slice(0, 200),
      document.getElementById("notice")?.innerText,
    ]);
    throw new Error(`not settled: ${shown.concat(page.faults).join("; ")}`, { cause: e });
  });
}

// saved runs an action and waits until it has made a new version, shown at rest.
export async function saved(page, action) {
  const before = await page.evaluate(version);
  await action();
  await page.waitForFunction(
    (v) => JSON.parse(document.getElementById("shot-state").dataset.state).version > v,
    before,
  );
  await settled(page);
}

export const shotVersion = (page) => page.evaluate(version);
export const drawnFrame = (page) => page.evaluate(drawn);
export const state = (page) =>
  page.evaluate(() => JSON.parse(document.getElementById("shot-state").dataset.state));

// shapesOf gives the shapes of the chosen light, as the page's scripts know them.
export const shapesOf = (page) =>
  page.evaluate(async () => {
    const s = await import("/static/js/store.js");
    return s.shapesOf(s.light());
  });

// place gives where a point of the photo is on the screen.
export const place = (page, x, y) =>
  page.evaluate(
    async ([px, py]) => {
      const { toScreen } = await import("/static/js/view.js");
      const r = document.getElementById("stage").getBoundingClientRect();
      const [sx, sy] = toScreen(px, py);
      return { x: r.left + sx, y: r.top + sy };
    },
    [x, y],
  );

// pixel gives the mean colour on the screen of a small square round a point of
// the photo, half a square of `size` screen pixels to each side.
export async function pixel(page, x, y, size = 4) {
  const p = await place(page, x, y);
  return page.evaluate(
    ([cx, cy, n]) => {
      const canvas = document.getElementById("picture");
      const r = canvas.getBoundingClientRect();
      const k = canvas.width / r.width;
      const d = canvas
        .getContext("2d")
        .getImageData(Math.round((cx - r.left) * k - n / 2), Math.round((cy - r.top) * k - n / 2), n, n).data;
      const sum = [0, 0, 0];
      for (let i = 0; i < d.length; i += 4) for (let c = 0; c < 3; c++) sum[c] += d[i + c] / (n * n);
      return sum;
    },
    [p.x, p.y, size],
  );
}

// picture gives a hash of all that the canvas shows.
export const picture = (page) =>
  page.evaluate(async () => {
    const c = document.getElementById("picture");
    const d = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
    const h = new Uint8Array(await crypto.subtle.digest("SHA-256", d));
    return [...h].map((b) => b.toString(16).padStart(2, "0")).join("");
  });

export async function drag(page, from, to, steps = 5) {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  for (let i = 1; i <= steps; i++)
    await page.mouse.move(from.x + ((to.x - from.x) * i) / steps, from.y + ((to.y - from.y) * i) / steps);
  await page.mouse.up();
}

// hue of a colour in degrees.
export function hue([r, g, b]) {
  const hi = Math.max(r, g, b);
  const d = hi - Math.min(r, g, b);
  if (d === 0) return 0;
  const h = hi === r ? ((g - b) / d + 6) % 6 : hi === g ? (b - r) / d + 2 : (r - g) / d + 4;
  return h * 60;
}

const linear = (v) => (v <= 10.31 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4);
const display = (v) => 255 * (v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055);

// lum is the luminance of a colour in display values.
export const lum = ([r, g, b]) => 0.2126 * r + 0.7152 * g + 0.0722 * b;

// undo takes back what was done last, by key.
export async function undo(page) {
  await page.locator("#stage").focus();
  await saved(page, () => page.keyboard.press("Control+z"));
}

// addedHue is the hue of the light that was added to a dark colour, at full
// brightness: hue is one of display values.
export function addedHue(lit, dark) {
  const added = lit.map((v, i) => Math.max(linear(v) - linear(dark[i]), 0));
  return hue(added.map((v) => display(v / Math.max(...added, 1e-9))));
}

// jpeg makes a photo in the page: grey stone with a soft shading and a lighter
// panel in the middle.
export const jpeg = async (page, w = 900, h = 600) =>
  Buffer.from(
    await page.evaluate(
      async ([width, height]) => {
        const c = new OffscreenCanvas(width, height);
        const g = c.getContext("2d");
        const shade = g.createLinearGradient(0, 0, width, height);
        shade.addColorStop(0, "#8d8b86");
        shade.addColorStop(1, "#a3a19c");
        g.fillStyle = shade;
        g.fillRect(0, 0, width, height);
        g.fillStyle = "#c9c9c4";
        g.fillRect(0.4 * width, 0.35 * height, 0.2 * width, 0.3 * height);
        const blob = await c.convertToBlob({ type: "image/jpeg", quality: 0.95 });
        return [...new Uint8Array(await blob.arrayBuffer())];
      },
      [w, h],
    ),
  );

// upload opens files through the chooser of the shots page.
export const upload = (page, ...files) => page.setInputFiles("#photo", files);

const unescaped = (html) =>
  html
    .replace(/&#(\d+);/g, (_, n) => String.fromCharCode(n))
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&amp;", "&");

// copyOf duplicates a demo shot of the server at root and gives the copy's path. edit, if given, takes the state of the
// shot and gives a JSON Patch that the copy is changed by. All by requests: a page of all shots would
// draw their thumbnails, and a page of this one its picture before the change.
export async function copyOf(page, root, name, edit) {
  const get = async (path) => (await page.request.get(root + path)).text();
  const paths = (html) => [...html.matchAll(/href="(\/shots\/\w+)"/g)].map((m) => m[1]);
  const shelf = await get("/");
  const headers = { "X-CSRF-Token": shelf.match(/name="csrf" value="([^"]+)"/)[1] };
  const post = async (path, form) => {
    const answer = await page.request.post(root + path, { headers, form });
    assert.ok(answer.ok(), `${path}: ${answer.status()}`);
  };
  const item = shelf.split('<li class="shot"').find((c) => c.includes(`value="${name}"`));
  await post(`${paths(item)[0]}/duplicate`, {});
  const old = paths(shelf);
  const path = paths(await get("/")).find((href) => !old.includes(href));
  if (edit) {
    const shot = stateIn(await get(path));
    const patch = JSON.stringify(edit(shot));
    await post(`${path}/changes`, { version: shot.version, step: shot.step, patch });
  }
  return path;
}

// stroke draws a line through points of the photo.
export async function stroke(page, points) {
  let first = true;
  for (const [x, y] of points) {
    const p = await place(page, x, y);
    await page.mouse.move(p.x, p.y, { steps: first ? 1 : 2 });
    if (first) await page.mouse.down();
    first = false;
  }
  await page.mouse.up();
}

// fine waits until the pixels of all cut-outs are those of the photo itself.
export async function fine(page) {
  await page.waitForFunction(
    () => {
      const { cutouts } = JSON.parse(document.getElementById("shot-state").dataset.state);
      return cutouts.every((c) => !c.rough);
    },
    null,
    { timeout: 60_000 },
  );
  await settled(page);
}

// serve runs a server and a browser for the tests of a file. use takes { server, browser }.
export function serve({ mode = "demo", options = [] } = {}, use) {
  const it = {};
  tests.before(async () => {
    it.server = new Server(mode, options);
    await it.server.start();
    it.browser = await launch();
    use(it);
  });
  tests.after(async () => {
    await it.browser?.close();
    await it.server?.remove();
  });
  return it;
}

// roomless gives the JSON Patch that takes away the room of a shot, with the cut-outs that stand in
// it, for tests of what has nothing to do with it.
export const roomless = ({ lights }) => [
  ...lights.map((_, i) => ({ op: "replace", path: `/lights/${i}/stand`, value: "" })),
  { op: "replace", path: "/room", value: { on: false } },
  { op: "replace", path: "/cutouts", value: [] },
];

// stand gives each test of a file a page of its own, on one server, of a copy of a demo shot, and fails the test on
// errors of its scripts. use takes { server, browser, page }. With empty the shot has no room.
export function stand({ shot, query, empty = false }, use) {
  const it = serve({}, () => {});
  tests.beforeEach(async () => {
    it.page = await openCopy(it, shot, query, empty && roomless);
    use(it);
  });
  tests.afterEach(async () => {
    if (it.page.faults.length)
      console.log(
        it.server.log
          .split("\n")
          .filter((l) => l.includes("refused"))
          .join("\n"),
      );
    assert.deepEqual(it.page.faults, []);
    await it.page.context().close();
  });
}

// differences counts the samples of the picture on the screen that are not as in a PNG of all of it, in base64.
export const differences = (page, png) =>
  page.evaluate(async (data) => {
    const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
    const img = await createImageBitmap(new Blob([bytes]), { colorSpaceConversion: "none" });
    const probe = new OffscreenCanvas(img.width, img.height).getContext("2d");
    probe.drawImage(img, 0, 0);
    const want = probe.getImageData(0, 0, img.width, img.height).data;
    const { origin } = (await import("/static/js/view.js")).geometry();
    const ctx = document.getElementById("picture").getContext("2d");
    const got = ctx.getImageData(origin.x, origin.y, img.width, img.height).data;
    return got.filter((v, i) => v !== want[i]).length;
  }, png);

// unlike exports the shot at the size of the screen and counts the samples that are not as
// on it.
export async function unlike(page) {
  const step = (await state(page)).step;
  const part = await page.evaluate(async () => (await import("/static/js/view.js")).geometry().part);
  await page.locator('#rail [data-step="export"]').click();
  await page.locator('input[name="format"][value="png"]').check();
  await page.locator('input[name="size"][value="edge"]').check();
  await page.locator('input[name="long"]').fill(String(part.long));
  await page.locator("#export-go").click();
  await page.locator("#download").waitFor({ timeout: 30_000 });
  const [file] = await Promise.all([page.waitForEvent("download"), page.locator("#download").click()]);
  const png = readFileSync(await file.path()).toString("base64");
  const differing = await differences(page, png);
  await page.locator(`#rail [data-step="${step}"]`).click();
  await page.locator(`#rail [data-step="${step}"][aria-current]`).waitFor();
  return differing;
}
