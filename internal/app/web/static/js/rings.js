// How far a place of the photo lies from the edge of the chosen light, and a ring on the photo at such a distance.
import { forms } from "./forms.js";
import { isClosed, line } from "./path.js";
import { light, on, shapesOf } from "./store.js";
import { discs } from "./string.js";
import { make } from "./svg.js";
import { onMove, onScreen, toScreen } from "./view.js";

const layer = document.getElementById("rings");
const samples = 600; // of the lines of a light

// edges gives the lines of a light's shapes as SVG data in some scale, each with how far its edge lies from the line:
// that of a tube lies to both sides of it. What is taken away and what is cut out has none.
function edges(to) {
  const out = [];
  for (const s of shapesOf(light()) ?? []) {
    if (!s || s.away || s.kind === "cut-out") continue;
    if (s.kind === "string") out.push({ d: discs(s, to), closed: true, half: 0 });
    else if (forms[s.kind]) {
      const [l] = forms[s.kind].lines(s);
      out.push({ d: line(l.nodes, true, to), closed: true, half: 0 });
    } else {
      const tube = s.kind === "tube";
      out.push({ d: line(s.nodes, isClosed(s), to), closed: !tube, half: tube ? s.width / 2 : 0 });
    }
  }
  return out.filter((e) => e.d);
}

let known = null; // points of the lines, in pixels of the photo
on("change", () => (known = null));

function points() {
  if (known) return known;
  known = edges((x, y) => [x, y]).map((e) => {
    const path = make("path", { d: e.d });
    const long = path.getTotalLength();
    const n = Math.max(Math.min(samples, Math.ceil(long)), 2);
    const at = Array.from({ length: n }, (_, i) => path.getPointAtLength((long * i) / (n - 1)));
    return { ...e, path, at };
  });
  return known;
}

// distanceAt tells how far a place of the photo lies outside of the light's edge, in its pixels; 0 inside, null where
// the light has no edge to measure from.
export function distanceAt(x, y) {
  if (!light()) return null;
  let best = null;
  for (const e of points()) {
    let d = Math.min(...e.at.map((p) => Math.hypot(p.x - x, p.y - y))) - e.half;
    if (e.closed && e.path.isPointInFill(new DOMPoint(x, y))) d = 0;
    best = Math.max(Math.min(best ?? d, d), 0);
  }
  return best;
}

let shown = null;

// ring shows a line round the light at a distance from its edge, in pixels of the photo; null takes it away.
export function ring(distance) {
  if (distance === shown) return;
  shown = distance;
  draw();
}

function draw() {
  layer.replaceChildren();
  if (shown === null || !light()) return;
  const k = onScreen(1);
  const all = edges(toScreen);
  if (!all.length || !Number.isFinite(k)) return;
  const mask = make("mask", { id: "ring-mask", maskUnits: "userSpaceOnUse" }, make("defs", {}, layer));
  const size = { x: 0, y: 0, width: "100%", height: "100%" };
  make("rect", { ...size, fill: "#000" }, mask);
  const round = { fill: "none", "stroke-linejoin": "round", "stroke-linecap": "round" };
  for (const [more, stroke] of [
    [1.4, "#fff"],
    [0, "#000"],
  ])
    for (const e of all) {
      const fill = e.closed ? stroke : "none";
      const width = 2 * (k * (shown + e.half) + more);
      make("path", { d: e.d, ...round, fill, stroke, "stroke-width": width }, mask);
    }
  make("rect", { ...size, class: "ring", mask: "url(#ring-mask)" }, layer);
}
onMove(draw);
