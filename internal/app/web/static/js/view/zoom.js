// Zoom and pan: by keys, wheel, drag and pinch, and where the sheet lies when it or the stage is another one.
import { shot } from "../store.js";
import { paint, placeDivider } from "./compare.js";
import { ask } from "./requests.js";
import { cropNow, resheet, sheet, stage, tellMove, toScreen, viewport } from "./sheet.js";

const canvas = document.getElementById("picture");
const margin = { x: 14, top: 14, bottom: 46 };
let fitted = true;

function fitZoom() {
  const { size, dpr } = viewport;
  const w = size.w - 2 * margin.x * dpr;
  const h = size.h - (margin.top + margin.bottom) * dpr;
  return Math.max(Math.min(w / sheet.w, h / sheet.h, 16), 0.001);
}

// snap gives the zoom whose picture has a whole number of pixels.
const snap = (z) => {
  const { long } = sheet.source;
  return z >= 1 ? z : Math.max(Math.round(long * z), 1) / long;
};

function place(z, x, y) {
  const { size, dpr } = viewport;
  viewport.zoom = snap(z);
  // The photo may not be lost from sight.
  const w = sheet.w * viewport.zoom;
  const h = sheet.h * viewport.zoom;
  const keep = 60 * dpr;
  viewport.origin = {
    x: Math.round(Math.min(Math.max(x, keep - w), size.w - keep)),
    y: Math.round(Math.min(Math.max(y, keep - h), size.h - keep)),
  };
  const percent = `${Math.round(100 * viewport.zoom)} %`;
  const shown = document.getElementById("zoom");
  shown.textContent = fitted ? "Fit" : percent;
  shown.parentElement.setAttribute("aria-label", `Fit; the zoom is ${percent}`);
  tellMove();
  paint();
  ask();
}

export function fit() {
  const { size, dpr } = viewport;
  fitted = true;
  const z = snap(fitZoom());
  const free = size.h - (margin.top + margin.bottom) * dpr - sheet.h * z;
  place(z, (size.w - sheet.w * z) / 2, margin.top * dpr + Math.max(free / 2, 0));
}

// zoomTo keeps the point of the stage at (cx, cy), in client pixels, in place.
export function zoomTo(z, cx, cy) {
  const { dpr, origin, zoom } = viewport;
  const r = stage.getBoundingClientRect();
  const px = ((cx ?? r.left + r.width / 2) - r.left) * dpr;
  const py = ((cy ?? r.top + r.height / 2) - r.top) * dpr;
  z = snap(Math.min(Math.max(z, fitZoom() / 2), 16));
  fitted = false;
  place(z, px - ((px - origin.x) / zoom) * z, py - ((py - origin.y) / zoom) * z);
}

// lookAt brings a place of the photo to the middle of the screen, at 1:1.
export function lookAt(x, y) {
  if (viewport.zoom !== 1) zoomTo(1);
  const { size, dpr } = viewport;
  const [sx, sy] = toScreen(x, y);
  pan(size.w / dpr / 2 - sx, size.h / dpr / 2 - sy);
}

export const zoomBy = (k, cx, cy) => zoomTo(viewport.zoom * k, cx, cy);

export function pan(dx, dy) {
  fitted = false;
  const { zoom, origin, dpr } = viewport;
  place(zoom, origin.x + dx * dpr, origin.y + dy * dpr);
}

function resize() {
  const dpr = window.devicePixelRatio || 1;
  const r = stage.getBoundingClientRect();
  const size = { w: Math.max(Math.round(r.width * dpr), 1), h: Math.max(Math.round(r.height * dpr), 1) };
  Object.assign(viewport, { dpr, size });
  canvas.width = size.w;
  canvas.height = size.h;
  if (fitted) fit();
  else place(viewport.zoom, viewport.origin.x, viewport.origin.y);
  placeDivider();
}

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
  if (e.target.closest("button, #divider, #notice, #busy, #tour")) return;
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

stage.addEventListener("click", (e) => {
  const to = e.target.closest("button")?.dataset.zoom;
  if (to === "fit") fit();
  else if (to === "one") zoomTo(1);
  else if (to) zoomBy(to === "in" ? 1.5 : 1 / 1.5);
});

// relay lays the sheet anew, where it is another one: fitted it stays so, else the frame's middle stays where it is.
export function relay() {
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

new ResizeObserver(resize).observe(stage);
