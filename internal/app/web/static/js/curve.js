// The curves of a pass, over the histogram: points are added by a click, dragged, typed,
// and removed by throwing them out. The line itself is worked out by the core.
import { ask, post } from "./ask.js";
import { at, commit, csrf, on, set, setDraft, shot } from "./store.js";
import { make } from "./svg.js";
import { bars, onTones, tones } from "./tones.js";

const W = 300;
const box = { left: 14, right: 286, top: 10, bottom: 180 };
const svg = () => document.getElementById("curve");
const path = () => svg().dataset.path;
let channel = "all";
let chosen = -1;
let drag = null; // { knots, index, out }
let lines = null;
let of = ""; // the pass that lines and the choice belong to

const xOf = (v) => box.left + v * (box.right - box.left);
const yOf = (v) => box.bottom - v * (box.bottom - box.top);
const gap = 0.004;
const straight = () => [
  { x: 0, y: 0 },
  { x: 1, y: 1 },
];
// knots gives the points of the channel; a curve without any is drawn from corner to
// corner, and gets these two when it is first touched.
const knots = () => at(path())?.[channel] ?? straight();
const shown = () => drag?.knots ?? knots();
const patch = (list) => [set(`${path()}/${channel}`, list)];
const fixed = (v) => Number(v.toFixed(3));

// fit keeps the order of the points when one is put at a place.
function fit(list, i, x, y) {
  const lo = i > 0 ? list[i - 1].x + gap : 0;
  const hi = i < list.length - 1 ? list[i + 1].x - gap : 1;
  return list.map((k, j) =>
    j === i ? { x: fixed(Math.min(Math.max(x, lo), hi)), y: fixed(Math.min(Math.max(y, 0), 1)) } : k,
  );
}

function draw() {
  const el = svg();
  if (!el) return;
  el.replaceChildren();
  const which = ["red", "green", "blue"].indexOf(channel);
  const h = tones?.before;
  if (h) make("path", { d: bars(which < 0 ? h.luma : h.rgb[which], box), class: "bins" }, el);
  for (const v of [0, 0.25, 0.5, 0.75, 1]) {
    make("line", { x1: xOf(v), x2: xOf(v), y1: box.top, y2: box.bottom, class: "grid-line" }, el);
    make("line", { y1: yOf(v), y2: yOf(v), x1: box.left, x2: box.right, class: "grid-line" }, el);
  }
  make("line", { x1: xOf(0), y1: yOf(0), x2: xOf(1), y2: yOf(1), class: "grid-line diagonal" }, el);
  const list = shown();
  for (const [name, v] of Object.entries(lines ?? {})) {
    if (name !== channel && !at(path())?.[name]?.length) continue;
    const d = `M${v.map((y, i) => `${xOf(i / (v.length - 1)).toFixed(1)} ${yOf(y).toFixed(1)}`).join("L")}`;
    make("path", { d, class: `curve ${name}${name === channel ? "" : " rest"}` }, el);
  }
  list.forEach((k, i) => {
    const c = make(
      "circle",
      {
        cx: xOf(k.x),
        cy: yOf(k.y),
        r: 4.5,
        class: `handle${i === chosen ? " chosen" : ""}${drag?.out && i === drag.index ? " out" : ""}`,
        tabindex: 0,
        role: "slider",
        "aria-label": `Point ${i + 1}`,
        "aria-valuenow": Math.round(100 * k.y),
        "aria-valuetext": `from ${(100 * k.x).toFixed(1)} to ${(100 * k.y).toFixed(1)} per cent`,
      },
      el,
    );
    c.dataset.knot = i;
  });
  tell();
}

function tell() {
  const k = shown()[chosen];
  for (const [id, v] of [
    ["knot-x", k?.x],
    ["knot-y", k?.y],
  ]) {
    const field = document.getElementById(id);
    field.disabled = !k;
    if (document.activeElement !== field) field.value = k ? (100 * v).toFixed(1) : "";
  }
  document.getElementById("knot-out").disabled = !k || shown().length <= 2;
  document.getElementById("knot-hint").textContent = k ? `Point ${chosen + 1}` : "Click to add a point";
  for (const b of document.querySelectorAll("[data-channel]"))
    b.setAttribute("aria-checked", String(b.dataset.channel === channel));
}

// load asks for the lines; the newest answer counts.
let turn = 0;
async function load(ops = []) {
  const mine = ++turn;
  try {
    const got = await ask(`/shots/${shot.id}/curve`, post({ patch: ops, path: path() }, csrf()));
    if (mine === turn && svg()) {
      lines = got;
      draw();
    }
  } catch {
    // The picture says what is wrong.
  }
}

const place = (e) => {
  const r = svg().getBoundingClientRect();
  const k = W / r.width;
  const [px, py] = [(e.clientX - r.left) * k, (e.clientY - r.top) * k];
  return {
    x: (px - box.left) / (box.right - box.left),
    y: (box.bottom - py) / (box.bottom - box.top),
    out: py < -28 || py > 190 + 28 || px < -28 || px > W + 28,
  };
};

function hold(list) {
  setDraft(patch(list));
  load(patch(list));
  draw();
}

document.addEventListener("pointerdown", (e) => {
  const el = svg();
  if (!el?.contains(e.target) || e.button !== 0) return;
  e.preventDefault();
  const p = place(e);
  let list = knots();
  let index = e.target.dataset.knot === undefined ? -1 : Number(e.target.dataset.knot);
  if (index < 0) {
    // The nearest point within reach, else a new one on the way.
    const near = (k) => Math.hypot(xOf(k.x) - xOf(p.x), yOf(k.y) - yOf(p.y));
    index = list.findIndex((k) => near(k) < 11);
  }
  const added = index < 0;
  if (added) {
    const x = Math.min(Math.max(p.x, 0), 1);
    index = list.findIndex((k) => k.x > x);
    if (index < 0) index = list.length;
    const lo = index > 0 ? list[index - 1].x + gap : 0;
    const hi = index < list.length ? list[index].x - gap : 1;
    if (lo > hi || list.length >= Number(el.dataset.most)) return;
    list = [
      ...list.slice(0, index),
      { x: fixed(Math.min(Math.max(x, lo), hi)), y: fixed(Math.min(Math.max(p.y, 0), 1)) },
      ...list.slice(index),
    ];
  }
  chosen = index;
  drag = { knots: list, all: list, index, moved: added, out: false };
  document.getElementById("stage").classList.add("dragging-value");
  el.setPointerCapture(e.pointerId);
  if (added) hold(list);
  else draw();
});
document.addEventListener("pointermove", (e) => {
  if (!drag) return;
  const p = place(e);
  drag.moved = true;
  drag.out = p.out && drag.all.length > 2;
  drag.knots = fit(drag.all, drag.index, p.x, p.y);
  hold(drag.out ? drag.all.filter((_, i) => i !== drag.index) : drag.knots);
});
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, async () => {
    if (!drag) return;
    document.getElementById("stage").classList.remove("dragging-value");
    const { knots: list, index, moved, out, all } = drag;
    if (moved) {
      if (out) chosen = -1;
      await commit(patch(out ? all.filter((_, i) => i !== index) : list));
    }
    drag = null;
    draw();
  });

function remove() {
  const list = knots();
  if (chosen < 0 || list.length <= 2) return;
  const rest = list.filter((_, i) => i !== chosen);
  chosen = -1;
  commit(patch(rest));
}

document.addEventListener("keydown", (e) => {
  if (e.key === "Enter" && /^knot-[xy]$/.test(e.target.id)) return e.target.blur();
  const index = e.target.dataset?.knot;
  if (index === undefined || !svg()?.contains(e.target)) return;
  chosen = Number(index);
  const k = knots()[chosen];
  const step = e.shiftKey ? 0.05 : 0.005;
  const by = { ArrowUp: [0, step], ArrowDown: [0, -step], ArrowLeft: [-step, 0], ArrowRight: [step, 0] }[
    e.key
  ];
  if (by) commit(patch(fit(knots(), chosen, k.x + by[0], k.y + by[1]))).then(focus);
  else if (e.key === "Delete" || e.key === "Backspace") remove();
  else return;
  e.preventDefault();
  e.stopPropagation();
});
const focus = () => svg()?.querySelector(`[data-knot="${chosen}"]`)?.focus();

document.addEventListener("change", (e) => {
  if (e.target.id !== "knot-x" && e.target.id !== "knot-y") return;
  const v = Number(e.target.value.replace(",", ".").replace("%", "")) / 100;
  const k = knots()[chosen];
  if (!k || !Number.isFinite(v)) return draw();
  commit(patch(fit(knots(), chosen, e.target.id === "knot-x" ? v : k.x, e.target.id === "knot-y" ? v : k.y)));
});

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-channel], #knot-out");
  if (!b || !svg()) return;
  if (b.id === "knot-out") return remove();
  channel = b.dataset.channel;
  chosen = -1;
  draw();
});

function fresh() {
  if (!svg()) return void (of = "");
  if (of !== path()) {
    of = path();
    lines = null;
    chosen = -1;
    channel = "all";
  }
  if (chosen >= knots().length) chosen = -1;
  draw();
  if (!drag) load();
}

on("change", fresh);
onTones(draw);
fresh();
