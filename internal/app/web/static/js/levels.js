// Black, middle and white of a pass, dragged under the histogram.
import { at, commit, on, set, setDraft } from "./store.js";
import { make } from "./svg.js";
import { bars, onTones, tones } from "./tones.js";

const W = 300;
const box = { left: 14, right: 286, top: 6, bottom: 74 };
const svg = () => document.getElementById("levels");
let drag = null; // { name, value }

const xOf = (v) => box.left + v * (box.right - box.left);
const now = () => ({ ...at(svg().dataset.path), ...(drag && { [drag.name]: drag.value }) });
// The middle is drawn where display values come out at a half.
const place = {
  black: (l) => l.black,
  middle: (l) => l.black + (l.white - l.black) * 0.5 ** l.middle,
  white: (l) => l.white,
};
const value = {
  black: (l, x) => Math.min(Math.max(x, 0), l.white - 0.01),
  white: (l, x) => Math.max(Math.min(x, 1), l.black + 0.01),
  middle(l, x) {
    const t = Math.min(Math.max((x - l.black) / (l.white - l.black), 0.03), 0.97);
    const { least, most } = document.querySelector(`.pf[data-path="${svg().dataset.path}/middle"]`).dataset;
    return Math.min(Math.max(Math.log(t) / Math.log(0.5), Number(least)), Number(most));
  },
};

function draw() {
  const el = svg();
  if (!el) return;
  el.replaceChildren();
  const h = tones?.before;
  if (h) make("path", { d: bars(h.luma, box), class: "bins" }, el);
  const l = now();
  for (const name of ["black", "middle", "white"]) {
    const x = xOf(place[name](l));
    make("line", { x1: x, x2: x, y1: box.top, y2: box.bottom, class: `edge ${name}` }, el);
    const fill = { black: "#161615", middle: "#85827b", white: "#efe9dc" }[name];
    make("rect", { x: x - 4.5, y: box.bottom + 1, width: 9, height: 13, rx: 2.5, fill, class: "tab" }, el);
    const hit = make("rect", { x: x - 11, y: box.top, width: 22, height: 86, class: "hit" }, el);
    hit.dataset.level = name;
  }
}

const xAt = (e) => {
  const r = svg().getBoundingClientRect();
  return (((e.clientX - r.left) * W) / r.width - box.left) / (box.right - box.left);
};

document.addEventListener("pointerdown", (e) => {
  const name = e.target.dataset?.level;
  if (!name) return;
  e.preventDefault();
  drag = { name, value: at(svg().dataset.path)[name], from: xAt(e) - place[name](at(svg().dataset.path)) };
  svg().setPointerCapture(e.pointerId);
});
document.addEventListener("pointermove", (e) => {
  if (!drag) return;
  drag.moved = true;
  const v = value[drag.name](at(svg().dataset.path), xAt(e) - drag.from);
  drag.value = Number(v.toFixed(drag.name === "middle" ? 2 : 3));
  setDraft([set(`${svg().dataset.path}/${drag.name}`, drag.value)]);
  draw();
});
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, async () => {
    if (!drag) return;
    if (drag.moved) await commit([set(`${svg().dataset.path}/${drag.name}`, drag.value)]);
    drag = null;
    draw();
  });

on("change", draw);
onTones(draw);
draw();
