// The band of hue of an area's part, on a wheel: the band is dragged, and its two ends.
import { at, commit, on, set, setDraft } from "./store.js";
import { make } from "./svg.js";

const svg = () => document.getElementById("wheel");
let drag = null; // { what, value }

const now = () => ({ ...at(svg().dataset.path), ...drag?.value });
const on50 = (r, deg) => {
  const a = (deg * Math.PI) / 180;
  return [50 + r * Math.cos(a), 50 + r * Math.sin(a)].map((v) => v.toFixed(2));
};
function sector(r, from, to) {
  const big = to - from > 180 ? 1 : 0;
  if (to - from >= 359.9)
    return `M${on50(r, 0)}A${r} ${r} 0 1 1 ${on50(r, 180)}A${r} ${r} 0 1 1 ${on50(r, 0)}Z`;
  return `M50 50L${on50(r, from)}A${r} ${r} 0 ${big} 1 ${on50(r, to)}Z`;
}

function draw() {
  const el = svg();
  if (!el || !at(el.dataset.path)) return;
  el.querySelectorAll(".mine").forEach((n) => n.remove());
  const h = now();
  const half = h.width / 2;
  const soft = Math.min(half + h.soft, 180);
  make("path", { d: sector(35, h.hue - soft, h.hue + soft), class: "mine soft" }, el);
  make("path", { d: sector(35, h.hue - half, h.hue + half), class: "mine band" }, el).dataset.wheel = "hue";
  for (const side of [-1, 1]) {
    const [cx, cy] = on50(35, h.hue + side * half);
    make("circle", { cx, cy, r: 3.6, class: "mine end" }, el);
    make("circle", { cx, cy, r: 9, class: "mine hit" }, el).dataset.wheel = side < 0 ? "from" : "to";
  }
}

const angle = (e) => {
  const r = svg().getBoundingClientRect();
  return (Math.atan2(e.clientY - r.top - r.height / 2, e.clientX - r.left - r.width / 2) * 180) / Math.PI;
};
const turn = (v) => ((Math.round(v) % 360) + 360) % 360;

document.addEventListener("pointerdown", (e) => {
  const what = e.target.dataset?.wheel;
  if (!what) return;
  e.preventDefault();
  drag = { what, from: angle(e), was: at(svg().dataset.path), value: {} };
  svg().setPointerCapture(e.pointerId);
});
document.addEventListener("pointermove", (e) => {
  if (!drag) return;
  const { what, was } = drag;
  if (what === "hue") drag.value = { hue: turn(was.hue + angle(e) - drag.from) };
  else {
    let off = Math.abs(((angle(e) - was.hue + 540) % 360) - 180);
    if (off > 175) off = 180;
    drag.value = { width: Math.round(2 * off) };
  }
  const [[name, v]] = Object.entries(drag.value);
  setDraft([set(`${svg().dataset.path}/${name}`, v)]);
  draw();
});
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, async () => {
    if (!drag) return;
    const [[name, v] = []] = Object.entries(drag.value);
    if (name) await commit([set(`${svg().dataset.path}/${name}`, v)]);
    drag = null;
    draw();
  });

on("change", draw);
draw();
