// The photo: zoom, pan, compare, and the frames that fill the screen.
import { onEvent } from "./events.js";
import { after, inverse, isIdle, sizeOf, straight, table, through, toPicture } from "./crop.js";
import { Frames, nearby } from "./frames.js";
import * as browser from "./local.js";
import { notice } from "./notice.js";
import { draft, on, shot } from "./store.js";

const stage = document.getElementById("stage");
const canvas = document.getElementById("picture");
const ctx = canvas.getContext("2d", { alpha: false });
const divider = document.getElementById("divider");
const busy = document.getElementById("busy");

const margin = { x: 14, top: 14, bottom: 46 };

// other is what the picture is compared with: null for plain, else { of, name } of a revision or a mark.
let other = null;
const otherKey = () => other?.of ?? "plain";
export const besides = () => other;
export function beside(what) {
  if ((what?.of ?? "plain") === otherKey()) return;
  other = what;
  document.getElementById("tag-other").textContent = other?.name ?? "plain";
  document.getElementById("other-name").textContent = other ? "Then" : "Plain";
  has.plain = { base: null, part: null };
  paint();
  ask();
}

let dpr = 1;
let size = { w: 1, h: 1 }; // of the stage, in device pixels
let zoom = 0; // device pixels for a pixel of the picture
let origin = { x: 0, y: 0 }; // of the picture's corner, in device pixels
let fitted = true;
let show = "lit";
let held = false; // plain, while a key is held
let split = 0.5;
let drawn = 0; // counts drafts, so that a frame knows whether it is the newest
let idle = 0;

// What has arrived: for each of lit and plain the whole at fit, and the part
// that is seen.
const has = { lit: { base: null, part: null }, plain: { base: null, part: null } };
const moved = [];

export const onMove = (fn) => moved.push(fn);
// The sheet is what lies on the screen: the picture as it is cropped or, where it is being recomposed, all of the photo,
// turned as the crop has it. It has a size in pixels of the photo, a map `to` from the photo and `from` back to it. Frames
// come of its source, which has w and h: that picture, or the photo as it is, which is then turned as it is drawn.
let sheet = null;
const isCrop = (o) => o.path.startsWith("/crop");
// inHand is the draft that frames are asked for with: recomposing changes none of them.
const inHand = () => (draft && !draft.every(isCrop) ? draft : null);
export const cropNow = () => after(shot.crop, draft, shot.width, shot.height);

function resheet() {
  const crop = cropNow();
  const [w, h] = [shot.width, shot.height];
  if (shot.step === "photo") {
    const t = table(crop, w, h);
    const turned = Boolean(crop.angle || crop.turns || crop.flip);
    sheet = { ...t, turned, key: "photo", source: { w, h, all: true } };
  } else {
    const [cw, ch] = sizeOf(shot.crop, w, h);
    const key = isIdle(shot.crop) ? "photo" : JSON.stringify(shot.crop);
    const to = isIdle(shot.crop) ? straight : toPicture(shot.crop, w, h);
    sheet = { w: cw, h: ch, to, turned: false, key, source: { w: cw, h: ch, all: false } };
  }
  sheet.from = inverse(sheet.to);
  sheet.source.long = Math.max(sheet.source.w, sheet.source.h);
}
resheet();

export const toScreen = (x, y) => {
  const [u, v] = through(sheet.to, x, y);
  return [(u * zoom + origin.x) / dpr, (v * zoom + origin.y) / dpr];
};
const toSheet = (cx, cy) => {
  const r = stage.getBoundingClientRect();
  return [((cx - r.left) * dpr - origin.x) / zoom, ((cy - r.top) * dpr - origin.y) / zoom];
};
export const toPhoto = (cx, cy) => through(sheet.from, ...toSheet(cx, cy));
// turning gives how the photo is turned and mirrored on the screen, for a canvas.
export const turning = () => [sheet.to[0], sheet.to[3], sheet.to[1], sheet.to[4]];
// onScreen gives a length of the photo in pixels of the page.
export const onScreen = (l) => (l * zoom) / dpr;
// within keeps a point where the recipe takes it: outside of the photo, but not
// further than its own size away.
export const within = ([x, y]) => [
  Math.min(Math.max(x, -shot.width), 2 * shot.width),
  Math.min(Math.max(y, -shot.height), 2 * shot.height),
];
// onPhoto tells whether a place lies on the photo.
export const onPhoto = ([x, y]) => x >= 0 && y >= 0 && x < shot.width && y < shot.height;
export const showing = () => (held ? "plain" : show);

// geometry tells what of the picture is seen, and where it lies on the screen: part in
// pixels of the picture at this zoom, k device pixels for each of them.
export const geometry = () => ({ part: part(), origin, k: Math.max(zoom, 1), size });

// Fit shows a small photo no larger than it is, unless the user says so.
const enlarge = document.getElementById("enlarge");
let enlarged = browser.kept("pyrant enlarge") === "1";
enlarge.addEventListener("click", () => {
  enlarged = !enlarged;
  browser.keep("pyrant enlarge", enlarged ? "1" : "");
  fit();
});

function fitZoom() {
  const w = size.w - 2 * margin.x * dpr;
  const h = size.h - (margin.top + margin.bottom) * dpr;
  const z = Math.min(w / sheet.w, h / sheet.h);
  enlarge.hidden = z <= 1.001;
  enlarge.setAttribute("aria-pressed", String(enlarged));
  return Math.max(Math.min(z, enlarged ? 16 : 1), 0.001);
}

// snap gives the zoom whose picture has a whole number of pixels.
const snap = (z) => {
  const { long } = sheet.source;
  return z >= 1 ? z : Math.max(Math.round(long * z), 1) / long;
};

function place(z, x, y) {
  zoom = snap(z);
  // The photo may not be lost from sight.
  const w = sheet.w * zoom;
  const h = sheet.h * zoom;
  const keep = 60 * dpr;
  origin = {
    x: Math.round(Math.min(Math.max(x, keep - w), size.w - keep)),
    y: Math.round(Math.min(Math.max(y, keep - h), size.h - keep)),
  };
  const shown = document.getElementById("zoom");
  shown.textContent = fitted ? "Fit" : `${Math.round(100 * zoom)} %`;
  shown.parentElement.setAttribute("aria-label", `Fit; the zoom is ${Math.round(100 * zoom)} %`);
  moved.forEach((fn) => fn());
  paint();
  ask();
}

export function fit() {
  fitted = true;
  const z = snap(fitZoom());
  const free = size.h - (margin.top + margin.bottom) * dpr - sheet.h * z;
  place(z, (size.w - sheet.w * z) / 2, margin.top * dpr + Math.max(free / 2, 0));
}

// zoomTo keeps the point of the stage at (cx, cy), in client pixels, in place.
export function zoomTo(z, cx, cy) {
  const r = stage.getBoundingClientRect();
  const px = ((cx ?? r.left + r.width / 2) - r.left) * dpr;
  const py = ((cy ?? r.top + r.height / 2) - r.top) * dpr;
  z = snap(Math.min(Math.max(z, fitZoom() / 2), 16));
  fitted = false;
  place(z, px - ((px - origin.x) / zoom) * z, py - ((py - origin.y) / zoom) * z);
}

// lookAt brings a place of the photo to the middle of the screen, at 1:1.
export function lookAt(x, y) {
  if (zoom !== 1) zoomTo(1);
  const [sx, sy] = toScreen(x, y);
  pan(size.w / dpr / 2 - sx, size.h / dpr / 2 - sy);
}

export const zoomBy = (k, cx, cy) => zoomTo(zoom * k, cx, cy);

export function pan(dx, dy) {
  fitted = false;
  place(zoom, origin.x + dx * dpr, origin.y + dy * dpr);
}

function resize() {
  dpr = window.devicePixelRatio || 1;
  const r = stage.getBoundingClientRect();
  size = { w: Math.max(Math.round(r.width * dpr), 1), h: Math.max(Math.round(r.height * dpr), 1) };
  canvas.width = size.w;
  canvas.height = size.h;
  if (fitted) fit();
  else place(zoom, origin.x, origin.y);
  placeDivider();
}

// sizeAt gives the size of the whole source with a long edge, as the engine works
// it out.
const sizeAt = (l) =>
  [sheet.source.w, sheet.source.h].map((v) => Math.max(1, Math.round((v * l) / sheet.source.long)));

// part returns the piece of the source that is seen, in its pixels at this zoom (or of the photo, when it is shown larger
// than it is).
function part() {
  const k = Math.max(zoom, 1);
  const l = Math.round(sheet.source.long * Math.min(zoom, 1));
  const [W, H] = sizeAt(l);
  // What is seen of it, from its corner: of a turned one what holds that.
  let seen = [-origin.x / k, -origin.y / k, (size.w - origin.x) / k, (size.h - origin.y) / k];
  if (sheet.turned) {
    const at = [0, 1, 2, 3].map((i) =>
      through(
        sheet.from,
        ((i % 2 ? size.w : 0) - origin.x) / zoom,
        ((i < 2 ? 0 : size.h) - origin.y) / zoom,
      ).map((v) => (v * zoom) / k),
    );
    const of = (fn, i) => fn(...at.map((p) => p[i]));
    seen = [of(Math.min, 0), of(Math.min, 1), of(Math.max, 0), of(Math.max, 1)];
  }
  const x = Math.max(0, Math.floor(seen[0]));
  const y = Math.max(0, Math.floor(seen[1]));
  const x1 = Math.min(W, Math.ceil(seen[2]));
  const y1 = Math.min(H, Math.ceil(seen[3]));
  const whole = x === 0 && y === 0 && x1 === W && y1 === H;
  return { long: l, x, y, w: x1 - x, h: y1 - y, whole, key: sheet.key, all: sheet.source.all };
}

const sameRect = (a, b) =>
  a && a.key === b.key && a.long === b.long && a.x === b.x && a.y === b.y && a.w === b.w && a.h === b.h;

// pace is how much of its size the picture has while a value is in the hand: less
// than all where this machine would otherwise fall behind. A frame that takes
// longer than `slow` milliseconds makes it smaller, one under `quick` larger.
const paces = [1, 0.7, 0.5, 0.35];
const slow = 42;
const quick = 16;
let pace = Number(sessionStorage.getItem("pace") ?? 1); // what this machine needed last

let behind = 0; // how many frames running were slow: one may be by chance
let begun = 0; // frames of this drag at this size: the first ones work out what the others share
const first = 3;

// keepPace chooses the size of the next frame by how long one took. A size for which nothing is made ready would be
// slower than what it is to replace.
function keepPace({ took, at, version }) {
  begun++;
  if (begun <= first) return;
  behind = took > slow ? behind + 1 : 0;
  const to = behind > 1 ? Math.min(pace + 1, paces.length - 1) : took < quick ? Math.max(pace - 1, 0) : pace;
  if (to === pace || (to && nearby && !warmed.has(warmKey(at, to, version)))) return;
  pace = to;
  behind = 0;
  begun = 0;
  sessionStorage.setItem("pace", pace);
}

// coarser gives a part of the picture at a smaller size, grown to whole pixels.
function coarser(p, k) {
  const l = Math.max(1, Math.round(p.long * k));
  const s = l / p.long;
  const [W, H] = sizeAt(l);
  const x = Math.floor(p.x * s);
  const y = Math.floor(p.y * s);
  const x1 = Math.min(W, Math.ceil((p.x + p.w) * s));
  const y1 = Math.min(H, Math.ceil((p.y + p.h) * s));
  return { ...p, long: l, x, y, w: Math.max(x1 - x, 1), h: Math.max(y1 - y, 1) };
}

// later asks again in a moment and says that there is nothing to ask for now.
function later() {
  clearTimeout(later.timer);
  later.timer = setTimeout(() => frames.look(), 150);
  return null;
}

// done says that all that was asked for is on the screen.
function done() {
  stage.setAttribute("aria-busy", "false");
  return null;
}

// ready asks for frames of the sizes that one has while a value is in the hand, the next smaller one as well, so that what
// they take is there when the hand comes. They are not shown, and give way to all else.
const warmed = new Set();
const warmKey = (p, level, version) => JSON.stringify([coarser(p, paces[level]), version]);
function ready(need, p) {
  if (!nearby) return null;
  for (let level = Math.max(pace, 1); level < Math.min(pace + 2, paces.length); level++) {
    const key = warmKey(p, level, need.version);
    if (!warmed.has(key))
      return { ...need, ...coarser(p, paces[level]), final: true, quick: true, warm: key };
  }
  return null;
}

// compared tells whether what the picture is compared with has come for a part; what is of a revision changes with the crop.
function compared(p) {
  const had = has.plain.part;
  return sameRect(had?.at, p) && (had.of ?? "plain") === otherKey();
}

// wish says which frame is missing, the most pressing first. at is the part of
// the picture that it is for. Frames of bare pixels are without loss at once;
// others are asked for again when the hand rests.
function wish() {
  const p = part();
  if (p.w < 1 || p.h < 1) return null;
  const lit = has.lit.part;
  const newest = lit && lit.drawn === drawn && sameRect(lit.at, p);
  const need = { ...p, at: p, drawn, version: shot.version };
  const rests = performance.now() - idle >= 140;
  if (inHand()) {
    const hand = { ...need, patch: inHand(), final: false, quick: !rests };
    if (!newest) return pace && !rests ? { ...hand, ...coarser(p, paces[pace]), coarse: true } : hand;
    if (!lit.coarse && !lit.rough) return done();
    return rests ? hand : later();
  }
  if (showing() !== "lit" && !compared(p)) return { ...need, plain: true, of: other?.of, final: nearby };
  // What is not ready is shown roughly first, and then as it is.
  if (!newest || lit.coarse) return { ...need, final: nearby, quick: true };
  if (lit.rough) return { ...need, final: nearby };
  if (lit.final && compared(p) && has.plain.part.final) return done() ?? ready(need, p);
  if (!rests) return later();
  return lit.final ? { ...need, plain: true, of: other?.of, final: true } : { ...need, final: true };
}

function got(frame) {
  setBusy(false);
  if (frame.warm) {
    if (warmed.size > 8) warmed.clear();
    warmed.add(frame.warm);
    frame.image.close();
    return;
  }
  if (!frame.patch) begun = 0;
  else if (frame.coarse || !pace) keepPace(frame);
  if (frame.rough) frame.final = false;
  if (frame.plain && (frame.of ?? "plain") !== otherKey()) {
    frame.image.close();
    return;
  }
  const to = has[frame.plain ? "plain" : "lit"];
  const old = [to.part, to.base];
  to.part = frame;
  if (frame.whole) to.base = frame;
  // Pictures are too large to wait for the collector.
  for (const f of new Set(old)) if (f && f !== to.part && f !== to.base) f.image.close();
  if (!frame.plain)
    stage.dataset.drawn = `${frame.version}:${frame.patch ? "draft" : frame.final ? "final" : "quick"}`;
  if (frame.clipped !== null) stage.dataset.clipped = frame.clipped;
  paint();
  readout();
  stage.dispatchEvent(new CustomEvent("frame", { detail: frame.drawn })); // for those who measure
}

const frames = new Frames(wish, got, (error, w) => {
  setBusy(false);
  // What was asked for before a change may not be there after it: a part of a picture that has another frame by now.
  if (w.version !== shot.version || w.key !== sheet.key) {
    frames.look();
    return;
  }
  // A change that could not be saved matters more than the picture of it.
  if (!document.getElementById("notice").hidden) return;
  notice("No picture", error, [["Try again", () => frames.look()]]);
});

function ask(urgent = false) {
  idle = performance.now();
  if (stage.getAttribute("aria-busy") !== "true") stage.setAttribute("aria-busy", "true");
  frames.look(urgent);
  setBusy(true);
}

let busyTimer = 0;
function setBusy(yes) {
  clearTimeout(busyTimer);
  if (!yes) {
    busy.hidden = true;
    busy.firstElementChild.textContent = "Rendering…";
    return;
  }
  busyTimer = setTimeout(() => {
    if (!frames.now || frames.now.plain || (frames.now.final && !nearby)) return;
    busy.hidden = false;
  }, 500);
}

// How far the photo itself is read, where that is what is waited for.
onEvent("job", (j) => {
  if (j.kind !== "reading" || j.subject !== shot.photo) return;
  const far = j.share > 0 ? `, ${Math.round(100 * j.share)} %` : "";
  busy.firstElementChild.textContent = j.state === "working" ? j.stage + far : "Rendering…";
});
busy.querySelector("button").addEventListener("click", () => {
  frames.cancel();
  setBusy(false);
});

function drawLayer(layer, x0, x1) {
  ctx.save();
  ctx.beginPath();
  ctx.rect(x0, 0, x1 - x0, size.h);
  ctx.clip();
  // The whole at fit shows round what has not come yet of the part that is seen.
  for (const f of layer.part?.whole ? [layer.part] : [layer.base, layer.part]) {
    if (f?.key !== sheet.key) continue;
    const k = (zoom * sheet.source.long) / f.long;
    ctx.imageSmoothingEnabled = f.coarse || k < 1 || zoom < 1 || sheet.turned;
    if (sheet.turned) {
      const [a, b, c, d, e, g] = sheet.to;
      ctx.setTransform(a, d, b, e, c * zoom + origin.x, g * zoom + origin.y);
      ctx.imageSmoothingQuality = "high";
      ctx.drawImage(f.image, f.x * k, f.y * k, f.w * k, f.h * k);
      ctx.setTransform(1, 0, 0, 1, 0, 0);
    } else ctx.drawImage(f.image, origin.x + f.x * k, origin.y + f.y * k, f.w * k, f.h * k);
  }
  ctx.restore();
}

function paint() {
  ctx.fillStyle = "#0f0f0e";
  ctx.fillRect(0, 0, size.w, size.h);
  if (showing() === "split") {
    const at = Math.round(split * size.w);
    drawLayer(has.lit, 0, at);
    drawLayer(has.plain, at, size.w);
  } else drawLayer(has[showing()], 0, size.w);
}

// placeDivider puts what stands at the line of the split.
function placeDivider() {
  const splitting = showing() === "split";
  const at = Math.round(split * size.w) / dpr;
  divider.hidden = !splitting;
  divider.style.left = `${at}px`;
  divider.setAttribute("aria-valuenow", Math.round(100 * split));
  const tag = document.getElementById("tag-other");
  tag.textContent = other?.name ?? "plain";
  stage.querySelector(".tag-lit").textContent = other ? "now" : "lit";
  for (const [sel, x] of [
    [".tag-lit", at - 44],
    [".tag-plain", at + 10],
  ]) {
    const el = stage.querySelector(sel);
    el.hidden = !splitting;
    el.style.left = `${x}px`;
  }
}

export function setShow(mode) {
  show = mode;
  for (const b of stage.querySelectorAll("[data-show]"))
    b.setAttribute("aria-checked", String(b.dataset.show === mode));
  placeDivider();
  paint();
  ask();
}

export function hold(yes) {
  if (held === yes) return;
  held = yes;
  placeDivider();
  paint();
  ask();
}

// The readout of the pixel under the pointer, now and before.
const probe = new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true });
let pointer = null;

function sample(layer, x, y) {
  for (const f of [layer.part, layer.base]) {
    if (f?.key !== sheet.key) continue;
    const k = f.long / sheet.source.long;
    const px = Math.floor(x * k) - f.x;
    const py = Math.floor(y * k) - f.y;
    if (px < 0 || py < 0 || px >= f.w || py >= f.h) continue;
    probe.drawImage(f.image, px, py, 1, 1, 0, 0, 1, 1);
    return [...probe.getImageData(0, 0, 1, 1).data.slice(0, 3)];
  }
  return null;
}

const three = (v) => v.map((n) => String(n).padStart(3)).join(" ");

// say sets a text where it is another one: setting the same anew would lay out
// the page anew.
function say(name, text) {
  const el = document.getElementById(`r-${name}`);
  if (el.textContent !== text) el.textContent = text;
}

function tellPixel() {
  // In pixels of the picture; while it is recomposed, of the photo.
  const of = sheet.key === "photo" ? toPhoto : toSheet;
  const p = pointer && of(pointer.x, pointer.y).map(Math.floor);
  const inside = p && p[0] >= 0 && p[1] >= 0 && p[0] < sheet.source.w && p[1] < sheet.source.h;
  const a = inside && sample(has.lit, p[0] + 0.5, p[1] + 0.5);
  const b = inside && sample(has.plain, p[0] + 0.5, p[1] + 0.5);
  say("at", inside ? `${p[0]}, ${p[1]}` : "");
  say("now", a ? three(a) : "");
  say("was", b ? `was ${three(b)}` : "");
  const share = 100 * Number(stage.dataset.clipped ?? 0);
  say("clip", has.lit.part && share >= 0.05 ? `${share.toFixed(1)} % of what is seen clips to white` : "");
}

// readout tells of the pixel at most once for each time the screen is drawn.
let telling = 0;
function readout() {
  telling ||= requestAnimationFrame(() => {
    telling = 0;
    tellPixel();
  });
}

stage.addEventListener("pointermove", (e) => {
  pointer = { x: e.clientX, y: e.clientY };
  readout();
});
stage.addEventListener("pointerleave", () => {
  pointer = null;
  readout();
});

// Zoom and pan by wheel, drag and pinch.
stage.addEventListener(
  "wheel",
  (e) => {
    e.preventDefault();
    const step = e.deltaMode === 1 ? 30 : 1;
    zoomBy(Math.exp(-e.deltaY * step * (e.ctrlKey ? 0.01 : 0.0016)), e.clientX, e.clientY);
  },
  { passive: false },
);

const fingers = new Map();
let dragging = null;
export const space = { down: false };

stage.addEventListener("pointerdown", (e) => {
  if (e.target.closest("button, #divider, #notice, #busy")) return;
  fingers.set(e.pointerId, { x: e.clientX, y: e.clientY });
  const free = !e.defaultPrevented && e.button === 0;
  if (e.button === 1 || space.down || free || fingers.size === 2) {
    e.preventDefault();
    stage.focus({ preventScroll: true });
    stage.setPointerCapture(e.pointerId);
    dragging = { x: e.clientX, y: e.clientY };
    stage.classList.add("panning");
  }
});
stage.addEventListener("pointermove", (e) => {
  if (!fingers.has(e.pointerId)) return;
  const old = [...fingers.values()];
  fingers.set(e.pointerId, { x: e.clientX, y: e.clientY });
  const now = [...fingers.values()];
  if (now.length === 2) {
    const gap = (p) => Math.hypot(p[0].x - p[1].x, p[0].y - p[1].y);
    const mid = (p) => ({ x: (p[0].x + p[1].x) / 2, y: (p[0].y + p[1].y) / 2 });
    pan(mid(now).x - mid(old).x, mid(now).y - mid(old).y);
    zoomBy(gap(now) / Math.max(gap(old), 1), mid(now).x, mid(now).y);
  } else if (dragging) {
    pan(e.clientX - dragging.x, e.clientY - dragging.y);
    dragging = { x: e.clientX, y: e.clientY };
  }
});
for (const kind of ["pointerup", "pointercancel"])
  stage.addEventListener(kind, (e) => {
    fingers.delete(e.pointerId);
    dragging = null;
    stage.classList.remove("panning");
  });

divider.addEventListener("pointerdown", (e) => {
  e.preventDefault();
  divider.setPointerCapture(e.pointerId);
});
divider.addEventListener("pointermove", (e) => {
  if (!divider.hasPointerCapture(e.pointerId)) return;
  const r = stage.getBoundingClientRect();
  split = Math.min(Math.max((e.clientX - r.left) / r.width, 0.02), 0.98);
  placeDivider();
  paint();
});
divider.addEventListener("keydown", (e) => {
  const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
  if (!by) return;
  e.preventDefault();
  e.stopPropagation();
  split = Math.min(Math.max(split + by, 0.02), 0.98);
  placeDivider();
  paint();
});

stage.addEventListener("click", (e) => {
  const b = e.target.closest("button");
  if (b?.dataset.show) setShow(b.dataset.show);
  else if (b?.dataset.zoom === "fit") fit();
  else if (b?.dataset.zoom === "one") zoomTo(1);
  else if (b?.dataset.zoom) zoomBy(b.dataset.zoom === "in" ? 1.5 : 1 / 1.5);
});

// relay lays the sheet anew, where it is another one: fitted it stays so, else the frame's middle stays where it is.
function relay() {
  const before = { ...sheet, seen: sheet.key };
  const crop = cropNow();
  const middle = crop.width > 0 ? [crop.x, crop.y] : [shot.width / 2, shot.height / 2];
  const old = toScreen(...middle);
  resheet();
  const same = sheet.to.every((v, i) => v === before.to[i]) && sheet.w === before.w && sheet.h === before.h;
  if (same && sheet.key === before.key) return;
  if (fitted || sheet.key !== before.key) {
    fit();
    return;
  }
  const now = toScreen(...middle);
  pan(old[0] - now[0], old[1] - now[1]);
}

on("draft", () => {
  relay();
  stage.dataset.asked = ++drawn;
  if (inHand() || !draft) ask(true);
  moved.forEach((fn) => fn());
});
on("change", () => {
  relay();
  drawn++;
  ask();
});

new ResizeObserver(resize).observe(stage);
