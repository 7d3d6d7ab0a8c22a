// The gel, picked on a colour area: hue on the ring; on the disc within it lightness upwards and saturation to
// the right, over what the disc is wide there, as white and black have none. Or from the photo, or from
// those that were used lately.
import { keptFocus } from "./focus.js";
import { keep, kept } from "./local.js";
import { onPhoto } from "./onphoto.js";
import { at, commit, on, savedAt, set, setDraft, shot } from "./store.js";
import { make } from "./svg.js";

const size = 124;
const mid = size / 2;
const ring = { inner: 48, outer: 60 };
const disc = 41;

// onDisc gives the place of a saturation and a lightness, fromDisc the other way.
const wide = (y) => disc * Math.sqrt(Math.max(1 - (y / disc) ** 2, 0));
function onDisc({ saturation, lightness }) {
  const y = disc * (1 - 2 * lightness);
  return [mid + (2 * saturation - 1) * wide(y), mid + y];
}
const hold = (v) => Number(Math.min(Math.max(v, 0), 1).toFixed(2));
function fromDisc([x, y]) {
  const lightness = hold(0.5 - (y - mid) / disc / 2);
  const w = wide(disc * (1 - 2 * lightness));
  return { lightness, saturation: w > 1 ? hold(((x - mid) / w + 1) / 2) : 0 };
}
let drag = null; // { what, gel }
const focusedPart = keptFocus("gelPart");

const box = () => document.getElementById("gel");
const gel = () => drag?.gel ?? at(box().dataset.path);
const css = ({ hue, saturation, lightness }) => `hsl(${hue} ${100 * saturation}% ${100 * lightness}%)`;
const same = (a, b) => ["hue", "saturation", "lightness"].every((k) => Math.abs(a[k] - b[k]) < 1e-6);

function paint() {
  const canvas = box().querySelector("canvas");
  const k = Math.max(devicePixelRatio, 1);
  canvas.width = canvas.height = Math.round(size * k);
  const c = canvas.getContext("2d");
  c.scale(k, k);
  const hues = c.createConicGradient(0, mid, mid);
  for (let i = 0; i <= 12; i++) hues.addColorStop(i / 12, `hsl(${30 * i} 100% 50%)`);
  c.lineWidth = ring.outer - ring.inner;
  c.strokeStyle = hues;
  c.beginPath();
  c.arc(mid, mid, (ring.outer + ring.inner) / 2, 0, 2 * Math.PI);
  c.stroke();
  const { hue } = gel();
  for (let y = -disc; y < disc; y++) {
    const l = 50 * (1 - (y + 0.5) / disc);
    const w = wide(y + 0.5);
    const row = c.createLinearGradient(mid - w, 0, mid + w, 0);
    row.addColorStop(0, `hsl(${hue} 0% ${l}%)`);
    row.addColorStop(1, `hsl(${hue} 100% ${l}%)`);
    c.fillStyle = row;
    c.fillRect(mid - w, mid + y, 2 * w, y < disc - 1 ? 1.5 : 1);
  }
}

function draw() {
  if (!box() || !at(box().dataset.path)) return;
  paint();
  const g = gel();
  const svg = box().querySelector("svg");
  const focused = focusedPart();
  svg.replaceChildren();
  const a = (g.hue * Math.PI) / 180;
  const r = (ring.outer + ring.inner) / 2;
  for (const [part, cx, cy, label, now] of [
    ["hue", mid + r * Math.cos(a), mid + r * Math.sin(a), "Hue on the ring", Math.round(g.hue)],
    ["disc", ...onDisc(g), "Saturation and lightness on the disc", Math.round(100 * g.saturation)],
  ]) {
    const h = make(
      "circle",
      {
        cx,
        cy,
        r: 5.5,
        fill: css(g),
        class: "handle",
        tabindex: 0,
        role: "slider",
        "aria-label": label,
        "aria-valuenow": now,
      },
      svg,
    );
    h.dataset.gelPart = part;
    if (part === focused) h.focus();
  }
  lately();
}

const place = (e) => {
  const r = box().getBoundingClientRect();
  return [((e.clientX - r.left) * size) / r.width, ((e.clientY - r.top) * size) / r.height];
};
const ops = (g) => [
  set(box().dataset.path, { hue: g.hue, saturation: g.saturation, lightness: g.lightness }),
];

function follow() {
  setDraft(ops(drag.gel));
  draw();
}

function to([x, y]) {
  if (drag.what === "hue")
    drag.gel.hue = (Math.round((Math.atan2(y - mid, x - mid) * 180) / Math.PI) + 360) % 360;
  else Object.assign(drag.gel, fromDisc([x, y]));
  follow();
}

document.addEventListener("pointerdown", (e) => {
  if (!box()?.contains(e.target)) return;
  const p = place(e);
  const far = Math.hypot(p[0] - mid, p[1] - mid);
  if (far > ring.outer + 4) return;
  e.preventDefault();
  clearTimeout(timer); // a run of keys goes on in the drag
  drag = { what: far > ring.inner - 2 ? "hue" : "disc", gel: { ...gel() } };
  box().setPointerCapture(e.pointerId);
  document.getElementById("stage").classList.add("dragging-value");
  to(p);
});
document.addEventListener("pointermove", (e) => drag && !drag.byKey && to(place(e)));
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, async () => {
    if (!drag || drag.byKey) return;
    document.getElementById("stage").classList.remove("dragging-value");
    await commit(ops(drag.gel));
    drag = null;
    draw();
  });

let timer = 0;
document.addEventListener("keydown", (e) => {
  const part = e.target.dataset?.gelPart;
  const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key];
  if (!part || !by) return;
  e.preventDefault();
  const k = e.shiftKey ? 10 : 1;
  drag ??= { what: part, gel: { ...gel() }, byKey: true };
  const g = drag.gel;
  if (part === "hue") g.hue = (Math.round(g.hue) + k * (by[0] + by[1]) + 360) % 360;
  else {
    g.saturation = hold(g.saturation + (by[0] * k) / 100);
    g.lightness = hold(g.lightness + (by[1] * k) / 100);
  }
  follow();
  // A run of keys is one revision.
  clearTimeout(timer);
  timer = setTimeout(async () => {
    await commit(ops(g));
    drag = null;
    draw();
  }, 450);
});

// Gels used lately, in this browser.
const store = "pyrant gels";
const used = () => {
  try {
    return JSON.parse(kept(store)) ?? [];
  } catch {
    return []; // not what this page wrote
  }
};
let last = null;

function lately() {
  const row = document.getElementById("recent-gels");
  if (!row) return;
  const now = savedAt(box().dataset.path);
  const which = `${shot.id} ${box().dataset.path}`;
  let list = used();
  if (last && last.which === which && !same(last.gel, now)) {
    list = [last.gel, ...list.filter((g) => !same(g, last.gel) && !same(g, now))].slice(0, 7);
    keep(store, JSON.stringify(list));
  }
  last = { which, gel: { ...now } };
  row.replaceChildren();
  for (const g of list) {
    const b = document.createElement("button");
    b.title = `Used lately: hue ${Math.round(g.hue)}°`;
    b.setAttribute("aria-label", b.title);
    b.dataset.try = JSON.stringify(ops(g));
    const svg = make("svg", { viewBox: "0 0 16 16", "aria-hidden": "true" }, b);
    make("circle", { cx: 8, cy: 8, r: 7, fill: css(g) }, svg);
    row.append(b);
  }
}

// From the photo: the next click takes the colour that is there, as bright as it can be.
const fromPhoto = onPhoto("pick-gel", box, async ({ gel: g }) => commit(ops(g)));

on("change", () => {
  fromPhoto.check();
  draw();
});
draw();
