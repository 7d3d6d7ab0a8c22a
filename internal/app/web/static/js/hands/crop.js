// The hands of the Photo step: the frame, by its corners and sides or the photo beneath it, and a line that should be level.
import { arrow } from "../bindings.js";
import { fit, inNumbers, inside, least, through, inverse, table } from "../crop.js";
import { local, onLocal } from "../local.js";
import { near } from "../path.js";
import { commit, draft, on, setDraft, shot } from "../store.js";
import { double, make } from "../svg.js";
import { cropNow, onScreen, toScreen } from "../view.js";

const stage = document.getElementById("stage");
const size = () => [shot.width, shot.height];
const guides = () => local("local:crop-guides") ?? "thirds";

// ratio is what the frame keeps while it is sized; 0 for none.
let ratio = 0;

// box gives the frame on the turned photo, in its pixels: left, top, right, bottom.
function box(crop) {
  const c = inNumbers(crop, ...size());
  const [x, y] = through(table(crop, ...size()).to, c.x, c.y);
  const [w, h] = c.turns % 2 ? [c.height, c.width] : [c.width, c.height];
  return [x - w / 2, y - h / 2, x + w / 2, y + h / 2];
}

// framed gives the crop whose frame on the turned photo is a box.
function framed(crop, [x0, y0, x1, y1]) {
  const [x, y] = through(inverse(table(crop, ...size()).to), (x0 + x1) / 2, (y0 + y1) / 2);
  const [w, h] = [x1 - x0, y1 - y0];
  return { ...crop, x, y, width: crop.turns % 2 ? h : w, height: crop.turns % 2 ? w : h };
}

// towards goes from a box that lies in the photo to another, as far as the photo goes.
function towards(crop, from, to) {
  const at = (t) => from.map((v, i) => v + (to[i] - v) * t);
  if (inside(framed(crop, to), ...size())) return to;
  let [lo, hi] = [0, 1];
  for (let i = 0; i < 24; i++) {
    const t = (lo + hi) / 2;
    if (inside(framed(crop, at(t)), ...size())) lo = t;
    else hi = t;
  }
  return at(lo);
}

// pulled gives a box with a corner or a side of it somewhere else.
function pulled(b, what, [dx, dy], keep, both) {
  const [n, s, w, e] = ["n", "s", "w", "e"].map((k) => what.includes(k));
  const to = [...b];
  if (w) to[0] = Math.min(b[0] + dx, b[2] - least);
  if (e) to[2] = Math.max(b[2] + dx, b[0] + least);
  if (n) to[1] = Math.min(b[1] + dy, b[3] - least);
  if (s) to[3] = Math.max(b[3] + dy, b[1] + least);
  if (both) {
    if (w || e) [to[0], to[2]] = w ? [to[0], b[2] + b[0] - to[0]] : [b[0] + b[2] - to[2], to[2]];
    if (n || s) [to[1], to[3]] = n ? [to[1], b[3] + b[1] - to[1]] : [b[1] + b[3] - to[3], to[3]];
  }
  if (!keep) return to;
  // By the side that went farther; what is opposite stays.
  let [wide, high] = [to[2] - to[0], to[3] - to[1]];
  const across = !(n || s) || ((w || e) && wide / (b[2] - b[0]) > high / (b[3] - b[1]));
  if (across) high = wide / keep;
  else wide = high * keep;
  const [mx, my] = [(b[0] + b[2]) / 2, (b[1] + b[3]) / 2];
  if (both || !(w || e)) [to[0], to[2]] = [mx - wide / 2, mx + wide / 2];
  else [to[0], to[2]] = w ? [to[2] - wide, to[2]] : [to[0], to[0] + wide];
  if (both || !(n || s)) [to[1], to[3]] = [my - high / 2, my + high / 2];
  else [to[1], to[3]] = n ? [to[3] - high, to[3]] : [to[1], to[1] + high];
  return to;
}

// ops sets a frame.
function ops(crop) {
  const c = fit(crop, ...size());
  return [{ op: "replace", path: "/crop", value: c }];
}

let held = null; // { what, from, box, crop, keep }
const letGo = () => {
  const was = held;
  held = null;
  stage.classList.remove("dragging-value", "show-lines");
  if (was) setDraft(null);
  return Boolean(was);
};

// onSheet gives how far a drag went, in pixels of the turned photo.
const onSheet = (at) => [0, 1].map((i) => (at.screen[i] - held.from.screen[i]) / onScreen(1));

function dragged(at) {
  const by = onSheet(at);
  const { box: b, crop, what } = held;
  if (what === "photo") {
    // The photo follows the hand beneath the frame; each way as far as it goes.
    let to = b;
    for (const d of [
      [-by[0], 0],
      [0, -by[1]],
    ])
      to = towards(
        crop,
        to,
        to.map((v, i) => v + d[i % 2]),
      );
    return framed(crop, to);
  }
  const keep = ratio || (at.shift ? (b[2] - b[0]) / (b[3] - b[1]) : 0);
  if (keep || at.alt) return framed(crop, towards(crop, b, pulled(b, what, by, keep, at.alt)));
  let to = towards(crop, b, pulled(b, what, [by[0], 0], 0, false));
  to = towards(crop, to, pulled(to, what, [0, by[1]], 0, false));
  return framed(crop, to);
}

const frameOnScreen = (crop) => {
  const c = inNumbers(crop, ...size());
  const [w, h] = c.turns % 2 ? [c.height, c.width] : [c.width, c.height];
  const [x, y] = toScreen(c.x, c.y);
  return [x - onScreen(w) / 2, y - onScreen(h) / 2, onScreen(w), onScreen(h)];
};

const corners = [
  ["nw", 0, 0],
  ["n", 0.5, 0],
  ["ne", 1, 0],
  ["e", 1, 0.5],
  ["se", 1, 1],
  ["s", 0.5, 1],
  ["sw", 0, 1],
  ["w", 0, 0.5],
];

// draw dims what is not of the picture, and draws the frame with its guides.
function drawFrame(layer, grips) {
  const [x, y, w, h] = frameOnScreen(cropNow());
  const { width, height } = stage.getBoundingClientRect();
  const round = `M0 0H${width}V${height}H0Z`;
  const d = `M${x} ${y}h${w}v${h}h${-w}Z`;
  make("path", { d: round + d, class: "beyond", "fill-rule": "evenodd" }, layer);
  double(layer, d);
  const line = (a, b, c, e) =>
    make("path", { d: `M${x + a * w} ${y + b * h}L${x + c * w} ${y + e * h}`, class: "guide" }, layer);
  const kind = held?.what === "level" ? "none" : guides();
  if (kind === "thirds")
    for (const t of [1 / 3, 2 / 3]) {
      line(t, 0, t, 1);
      line(0, t, 1, t);
    }
  if (kind === "middle") {
    line(0.5, 0, 0.5, 1);
    line(0, 0.5, 1, 0.5);
  }
  if (kind === "diagonals") {
    line(0, 0, 1, 1);
    line(1, 0, 0, 1);
  }
  if (!grips) return;
  for (const [name, u, v] of corners) {
    const [cx, cy] = [x + u * w, y + v * h];
    make("rect", { x: cx - 5, y: cy - 5, width: 10, height: 10, class: "node hollow" }, layer);
    make("circle", { cx, cy, r: 13, class: "node-hit", "data-held": name }, layer);
  }
}

// tellSize shows how large the picture would be.
function tellSize() {
  const el = document.getElementById("crop-size");
  if (!el || !draft) return;
  const c = inNumbers(cropNow(), ...size());
  const [w, h] = c.turns % 2 ? [c.height, c.width] : [c.width, c.height];
  el.textContent = `${w} × ${h} px, ${((w * h) / 1e6).toFixed(1)} MP`;
}

// nudge moves the crop by a key.
function nudge(e) {
  if (!(shot.crop.width > 0)) return false;
  const by = arrow(e);
  const k = e.shiftKey ? 100 : 10;
  const b = box(shot.crop);
  const to = towards(
    shot.crop,
    b,
    b.map((v, i) => v + by[i % 2] * k),
  );
  commit(ops(framed(shot.crop, to)));
  return true;
}

export const frame = {
  name: "frame",
  label: "Adjust crop",
  key: "Escape",
  grabs: true,
  hint: "Drag a corner or side; drag inside to move the photo.",
  mods: [
    ["Shift", "keep the ratio"],
    ["Alt", "from the centre"],
  ],
  keys: [{ keys: "Mod+arrows", label: "Move the crop by 10 px; with Shift by 100", run: nudge }],
  take: letGo,
  down(at) {
    const crop = inNumbers(shot.crop, ...size());
    const [x, y, w, h] = frameOnScreen(crop);
    const [px, py] = at.screen;
    const what = at.point(14)?.held ?? (px > x && px < x + w && py > y && py < y + h ? "photo" : null);
    // All of the photo does not move beneath its frame: the view does.
    if (!what || (what === "photo" && !(shot.crop.width > 0))) return false;
    held = { what, from: at, box: box(crop), crop };
    return true;
  },
  move(at) {
    if (!held) return false;
    stage.classList.add("dragging-value", "show-lines");
    setDraft(ops(dragged(at)));
    tellSize();
    return true;
  },
  async up(at) {
    if (held?.from.id !== at.id) return false;
    const still = near(at.screen, held.from.screen, 2);
    const patch = still ? null : ops(dragged(at));
    letGo();
    if (patch) {
      setDraft(patch);
      await commit(patch);
    }
    return false;
  },
  cancel: letGo,
  overlay: (layer) => drawFrame(layer, true),
};

let line = null; // { from, now }
const dropLine = () => {
  const had = Boolean(line);
  line = null;
  return had;
};
// angleOf gives by how much a line is off level, or off upright where that is nearer; in degrees, clockwise.
function angleOf([x0, y0], [x1, y1]) {
  const a = (Math.atan2(y1 - y0, x1 - x0) * 180) / Math.PI;
  return a - 90 * Math.round(a / 90);
}

export const level = {
  name: "level",
  label: "Straighten by a line",
  key: "l",
  once: true,
  cursor: true,
  hint: "Drag along a line that should be level or upright.",
  take: dropLine,
  down: (at) => void (line = { from: at, now: at }),
  move(at) {
    if (!line) return false;
    line.now = at;
    return true;
  },
  async up(at) {
    if (line?.from.id !== at.id) return false;
    const { from } = line;
    line = null;
    if (near(at.screen, from.screen, 12)) return false;
    // What is mirrored is turned the other way.
    const off = angleOf(from.screen, at.screen) * (shot.crop.flip ? -1 : 1);
    const angle = Number((shot.crop.angle - off).toFixed(2));
    await commit([{ op: "crop", path: "/crop", value: { angle } }]);
    return true;
  },
  cancel: dropLine,
  overlay(layer) {
    drawFrame(layer, false);
    if (!line) return;
    const [p, q] = [line.from.screen, line.now.screen];
    double(layer, `M${p}L${q}`);
    const text = make("text", { x: q[0] + 12, y: q[1] - 8, class: "measure" }, layer);
    text.textContent = `${Math.abs(angleOf(p, q)).toFixed(1)}°`;
  },
};

function fresh() {
  // The ratio that was chosen stays while the frame has it.
  const [, , w, h] = frameOnScreen(shot.crop);
  if (ratio && Math.abs(w / h / ratio - 1) > 0.02) ratio = 0;
  for (const b of document.querySelectorAll("[data-ratio]"))
    b.setAttribute("aria-pressed", String(Math.abs(Number(b.dataset.ratio) - ratio) < 1e-4));
}
document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-ratio]");
  if (!b) return;
  ratio = Number(b.dataset.ratio);
  for (const o of document.querySelectorAll("[data-ratio]")) o.setAttribute("aria-pressed", String(o === b));
});
on("change", fresh);
on("draft", () => shot.step === "photo" && tellSize());
onLocal((path) => path === "local:crop-guides" && stage.dispatchEvent(new Event("redraw")));
fresh();
