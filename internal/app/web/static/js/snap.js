// Snapping to what is traced already: a place near a point of one of the light's shapes becomes
// that point, so that shapes meet without a gap. Ctrl holds it off.
import { near } from "./path.js";
import { make } from "./svg.js";
import { target } from "./target.js";
import { toScreen } from "./view.js";

const reach = 7; // of the screen

function* points() {
  for (const [j, s] of target.shapes().entries())
    if (s?.nodes) for (const [k, n] of s.nodes.entries()) yield [n, `${j}/${k}`];
}

let shown = null;

// snapped gives a place, or the point that it lies near: of all but those named "shape/node".
export function snapped(at, photo, but = new Set()) {
  shown = null;
  if (at.ctrl) return photo;
  const screen = toScreen(...photo);
  let best = reach;
  for (const [n, name] of points()) {
    const p = toScreen(n.x, n.y);
    if (!near(p, screen, best) || but.has(name)) continue;
    best = Math.hypot(p[0] - screen[0], p[1] - screen[1]);
    shown = [n.x, n.y];
  }
  return shown ?? photo;
}

export const unsnap = () => void (shown = null);

// drawSnap marks the point that was snapped to last.
export function drawSnap(layer) {
  if (!shown) return;
  const [cx, cy] = toScreen(...shown);
  make("circle", { cx, cy, r: 8, class: "close-here" }, layer);
}
