// Tone windows: the photo's histogram with the range that spill, or an area, may touch.
import { at, commit, on, set, setDraft } from "./store.js";
import { make } from "./svg.js";
import { bars, onTones, tones } from "./tones.js";

const W = 300;
const H = 92;
const box = { left: 12, right: 288, top: 8, bottom: 84 };
const svg = () => document.querySelector(".tone[data-tone]");
const path = () => svg().dataset.tone;
let drag = null;

const xOf = (v) => box.left + v * (box.right - box.left);
const tone = () => ({ ...at(path()), ...drag?.value });

function draw() {
  const el = svg();
  if (!el || !at(path())) return;
  el.replaceChildren();
  const t = tone();
  if (tones) make("path", { d: bars(tones.plain.luma, box), class: "bins" }, el);
  const lo = t.low > 0 ? xOf(Math.max(t.low - t.soft, 0)) : xOf(0);
  const hi = t.high < 1 ? xOf(Math.min(t.high + t.soft, 1)) : xOf(1);
  make(
    "polygon",
    {
      points: `${lo},${box.bottom} ${xOf(t.low)},${box.top} ${xOf(t.high)},${box.top} ${hi},${box.bottom}`,
      class: "window",
    },
    el,
  );
  for (const end of ["low", "high"]) {
    make("line", { x1: xOf(t[end]), x2: xOf(t[end]), y1: box.top, y2: box.bottom, class: "edge" }, el);
    const hit = make("rect", { x: xOf(t[end]) - 12, y: 0, width: 24, height: H, class: "hit" }, el);
    hit.dataset.toneEnd = end;
  }
}

const value = (e) => {
  const r = svg().getBoundingClientRect();
  const v = (((e.clientX - r.left) * W) / r.width - box.left) / (box.right - box.left);
  return Number(Math.min(Math.max(v, 0), 1).toFixed(2));
};

document.addEventListener("pointerdown", (e) => {
  const end = e.target.dataset?.toneEnd;
  if (!end) return;
  e.preventDefault();
  drag = { end, value: {} };
  svg().setPointerCapture(e.pointerId);
});
document.addEventListener("pointermove", (e) => {
  if (!drag) return;
  const t = at(path());
  const v = drag.end === "low" ? Math.min(value(e), t.high) : Math.max(value(e), t.low);
  drag.value = { [drag.end]: v };
  setDraft([set(`${path()}/${drag.end}`, v)]);
  draw();
});
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, async () => {
    if (!drag) return;
    const [[end, v] = []] = Object.entries(drag.value);
    if (end) await commit([set(`${path()}/${end}`, v)]);
    drag = null;
    draw();
  });

on("change", draw);
onTones(draw);
draw();
