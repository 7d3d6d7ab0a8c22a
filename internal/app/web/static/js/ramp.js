// The colour ramp of spill over the photo's histogram: how white the gel is in shadows and in highlights, by handles
// at both ends, and at which brightness it is the gel itself, by one between.
import { keptFocus } from "./focus.js";
import { at, commit, lightPath, on, set, setDraft } from "./store.js";
import { make } from "./svg.js";
import { bars, onTones, tones } from "./tones.js";

const W = 300;
const H = 104;
const box = { left: 12, right: 288, top: 8, bottom: 76 };
const svg = () => document.querySelector("[data-ramp]");
const path = () => svg().dataset.ramp;
const focusedEnd = keptFocus("rampEnd");
let drag = null; // { end, value }

const between = (v, a, b) => Math.min(Math.max(v, a), b);
const xOf = (v) => box.left + v * (box.right - box.left);
const yOf = (white) => box.bottom - white * (box.bottom - box.top);
const field = { dark: "dark/white", bright: "bright/white", middle: "middle" };
function ramp() {
  const r = structuredClone(at(path()));
  if (drag?.value === undefined) return r;
  if (drag.end === "middle") r.middle = drag.value;
  else r[drag.end].white = drag.value;
  return r;
}

// css is a tint of the gel as the core mixes it: in linear light.
function css({ white, hue }) {
  const g = at(lightPath("gel"));
  const own = `hsl(${g.hue + hue} ${100 * g.saturation}% ${100 * g.lightness}%)`;
  return `color-mix(in srgb-linear, white ${100 * white}%, ${own})`;
}
const even = (r) => ["dark", "bright"].every((k) => r[k].white === 0 && r[k].hue === 0);
const smooth = (t) => t * t * (3 - 2 * t);

function draw() {
  const el = svg();
  if (!el || !at(path())) return;
  const focused = focusedEnd(el);
  el.replaceChildren();
  const r = ramp();
  if (tones) make("path", { d: bars(tones.plain.luma, box), class: "bins" }, el);
  const fill = make("linearGradient", { id: "ramp-fill" }, make("defs", {}, el));
  let line = "";
  for (let i = 0; i <= 24; i++) {
    const v = i / 24;
    const below = v < r.middle;
    const share = below ? 1 - smooth(v / r.middle) : smooth((v - r.middle) / (1 - r.middle));
    const end = below ? r.dark : r.bright;
    make("stop", { offset: v }, fill).style.stopColor =
      `color-mix(in srgb-linear, ${css(end)} ${100 * share}%, ${css({ white: 0, hue: 0 })})`;
    line += `${i ? "L" : "M"}${xOf(v)},${yOf(end.white * share)}`;
  }
  make(
    "rect",
    { x: box.left, y: 86, width: box.right - box.left, height: 12, rx: 3, fill: "url(#ramp-fill)" },
    el,
  );
  make("path", { d: line, class: "curve" }, el);
  const middle = !even(r);
  if (middle)
    make(
      "line",
      { x1: xOf(r.middle), x2: xOf(r.middle), y1: box.top, y2: 98, class: "stem" },
      el,
    ).style.stroke = css({ white: 0, hue: 0 });
  for (const [end, x, y, tint, label] of [
    ["dark", 0, r.dark.white, r.dark, "White in shadows"],
    ["middle", r.middle, 0, { white: 0, hue: 0 }, "Brightness with the gel itself"],
    ["bright", 1, r.bright.white, r.bright, "White in highlights"],
  ]) {
    if (end === "middle" && !middle) continue;
    const value = end === "middle" ? x : y;
    const h = make(
      "circle",
      {
        cx: xOf(x),
        cy: yOf(y),
        r: 6,
        class: "handle",
        tabindex: 0,
        role: "slider",
        "aria-label": label,
        "aria-valuemin": 0,
        "aria-valuemax": 100,
        "aria-valuenow": Math.round(100 * value),
        "aria-valuetext": `${Math.round(100 * value)} %`,
      },
      el,
    );
    h.style.fill = css(tint);
    h.dataset.rampEnd = end;
    if (end === focused) h.focus({ preventScroll: true });
  }
}

const ops = (end, v) => [set(`${path()}/${field[end]}`, v)];
const limits = (end) => (end === "middle" ? [0.05, 0.95] : [0, 1]);

document.addEventListener("pointerdown", (e) => {
  const end = e.target.dataset?.rampEnd;
  if (!end) return;
  e.preventDefault();
  e.target.focus({ preventScroll: true });
  drag = { end };
  svg().setPointerCapture(e.pointerId);
});
document.addEventListener("pointermove", (e) => {
  if (!drag || drag.byKey) return;
  const r = svg().getBoundingClientRect();
  const x = ((e.clientX - r.left) * W) / r.width;
  const y = ((e.clientY - r.top) * H) / r.height;
  const raw =
    drag.end === "middle"
      ? (x - box.left) / (box.right - box.left)
      : (box.bottom - y) / (box.bottom - box.top);
  drag.value = Number(between(raw, ...limits(drag.end)).toFixed(2));
  setDraft(ops(drag.end, drag.value));
  draw();
});
async function release() {
  const d = drag;
  if (d?.value !== undefined) await commit(ops(d.end, d.value));
  if (drag === d) drag = null;
  draw();
}
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, () => drag && !drag.byKey && release());

let timer = 0;
document.addEventListener("keydown", (e) => {
  const end = e.target.dataset?.rampEnd;
  const by = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
  if (!end || !by) return;
  e.preventDefault();
  const r = ramp();
  const now = end === "middle" ? r.middle : r[end].white;
  const value = Number(between(now + ((e.shiftKey ? 10 : 1) * by) / 100, ...limits(end)).toFixed(2));
  drag = { end, value, byKey: true };
  setDraft(ops(end, value));
  draw();
  clearTimeout(timer);
  timer = setTimeout(release, 400);
});

on("change", draw);
onTones(draw);
draw();
