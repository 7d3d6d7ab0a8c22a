// What the frames are shown as: lit, plain, or both beside a line; the picture compared with another state; and the readout
// of the pixel under the pointer.
import { ask, has, onFrame, otherKey, showing, want } from "./requests.js";
import { sheet, stage, toPhoto, toSheet, viewport } from "./sheet.js";

const canvas = document.getElementById("picture");
const ctx = canvas.getContext("2d", { alpha: false });
const divider = document.getElementById("divider");
let split = 0.5;

// beside compares the picture with another state: null for plain, else { of, name } of a revision or a mark.
export const besides = () => want.other;
export function beside(what) {
  if ((what?.of ?? "plain") === otherKey()) return;
  want.other = what;
  document.getElementById("tag-other").textContent = want.other?.name ?? "plain";
  document.getElementById("other-name").textContent = want.other ? "Compared" : "Plain";
  has.plain = { base: null, part: null };
  paint();
  ask();
}

// At a zoom such as 137 % some pixels would be one wide and some two. A picture enlarged by the next whole
// number, then reduced smoothly, has crisp pixels of one width.
const maxEven = 4; // beyond it a pixel more or less no longer shows
const grown = new WeakMap(); // frame to { by, image }
function enlarged(f, by) {
  const old = grown.get(f);
  if (old?.by === by) return old.image;
  const image = new OffscreenCanvas(f.w * by, f.h * by);
  const to = image.getContext("2d", { alpha: false });
  to.imageSmoothingEnabled = false;
  to.drawImage(f.image, 0, 0, f.w * by, f.h * by);
  grown.set(f, { by, image });
  return image;
}

function drawLayer(layer, x0, x1) {
  const { size, zoom, origin } = viewport;
  ctx.save();
  ctx.beginPath();
  ctx.rect(x0, 0, x1 - x0, size.h);
  ctx.clip();
  // The whole at fit shows round what has not come yet of the part that is seen.
  for (const f of layer.part?.whole ? [layer.part] : [layer.base, layer.part]) {
    if (f?.key !== sheet.key) continue;
    const k = (zoom * sheet.source.long) / f.long;
    const smooth = f.coarse || k < 1 || zoom < 1 || sheet.turned;
    ctx.imageSmoothingEnabled = smooth;
    if (sheet.turned) {
      const [a, b, c, d, e, g] = sheet.to;
      ctx.setTransform(a, d, b, e, c * zoom + origin.x, g * zoom + origin.y);
      ctx.imageSmoothingQuality = "high";
      ctx.drawImage(f.image, f.x * k, f.y * k, f.w * k, f.h * k);
      ctx.setTransform(1, 0, 0, 1, 0, 0);
    } else {
      const even = smooth || Number.isInteger(k) || k > maxEven;
      ctx.imageSmoothingEnabled ||= !even;
      const image = even ? f.image : enlarged(f, Math.ceil(k));
      ctx.drawImage(image, origin.x + f.x * k, origin.y + f.y * k, f.w * k, f.h * k);
    }
  }
  ctx.restore();
}

export function paint() {
  const { size } = viewport;
  ctx.fillStyle = "#0f0f0e";
  ctx.fillRect(0, 0, size.w, size.h);
  if (showing() === "split") {
    const at = Math.round(split * size.w);
    drawLayer(has.lit, 0, at);
    drawLayer(has.plain, at, size.w);
  } else drawLayer(showing() === "lit" && !has.lit.part ? has.plain : has[showing()], 0, size.w);
}

// placeDivider puts what stands at the line of the split.
export function placeDivider() {
  const { size, dpr } = viewport;
  const splitting = showing() === "split";
  const at = Math.round(split * size.w) / dpr;
  divider.hidden = !splitting;
  divider.style.left = `${at}px`;
  divider.setAttribute("aria-valuenow", Math.round(100 * split));
  const tag = document.getElementById("tag-other");
  tag.textContent = want.other?.name ?? "plain";
  stage.querySelector(".tag-lit").textContent = want.other ? "now" : "lit";
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
  want.show = mode;
  for (const b of stage.querySelectorAll("[data-show]"))
    b.setAttribute("aria-checked", String(b.dataset.show === mode));
  placeDivider();
  paint();
  ask();
}

export function hold(yes) {
  if (want.held === yes) return;
  want.held = yes;
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
  say("clip", has.lit.part && share >= 0.05 ? `clipped ${share.toFixed(1)} %` : "");
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
  const mode = e.target.closest("button")?.dataset.show;
  if (mode) setShow(mode);
});

onFrame(() => {
  paint();
  readout();
});
