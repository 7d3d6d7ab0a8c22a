// The histogram of the shot, plain as a line and lit as an area, with what is clipped at
// its ends, and how far the brightest light stands above what surrounds it.
import { ask, post } from "./ask.js";
import { csrf, draft, on, shot } from "./store.js";
import { make } from "./svg.js";

const page = Math.random().toString(36).slice(2);
export let tones = null; // { plain, lit, before, stops, light }, of the newest answer: before is what comes to the open pass
const listeners = [];
export const onTones = (fn) => listeners.push(fn);

let asked = false;
let wanted = false;

// load asks for the newest, one at a time, a little after the picture.
async function load() {
  if (!document.querySelector("#tones, #curve, #levels, .tone, [data-ramp]")) return;
  if (asked) {
    wanted = true;
    return;
  }
  asked = true;
  do {
    wanted = false;
    await new Promise((go) => setTimeout(go, draft ? 120 : 30));
    try {
      tones = await ask(
        `/shots/${shot.id}/tones`,
        post({ patch: draft ?? [], page, step: shot.step, pass: shot.focus.pass }, csrf()),
      );
      draw();
      listeners.forEach((fn) => fn());
    } catch {
      // A newer wish took its place, or the picture says what is wrong.
    }
  } while (wanted);
  asked = false;
}

// bars gives the outline of a histogram as SVG data, in a box.
export function bars(bins, { left, right, top, bottom }) {
  const w = (right - left) / bins.length;
  const y = (v) => (bottom - Math.sqrt(v) * (bottom - top)).toFixed(1);
  return `M${left} ${bottom}${bins.map((v, i) => `L${(left + (i + 0.5) * w).toFixed(1)} ${y(v)}`).join("")}L${right} ${bottom}Z`;
}

const box = { left: 14, right: 286, top: 6, bottom: 68 };
const share = (v) =>
  v < 0.0005 ? "" : v < 0.0995 ? `${(100 * v).toFixed(1)} %` : `${Math.round(100 * v)} %`;

function draw() {
  const el = document.getElementById("tones");
  if (!el || !tones) return;
  el.replaceChildren();
  make("path", { d: bars(tones.lit.luma, box), class: "bins" }, el);
  make("path", { d: bars(tones.plain.luma, box), class: "plain-bins" }, el);
  const { lit } = tones;
  // Ends that are clipped are marked, as high as they are full.
  for (const [v, x] of [
    [lit.black, 5],
    [lit.white, 289],
  ]) {
    make("rect", { x, y: box.top, width: 6, height: box.bottom - box.top, rx: 1.5, class: "end" }, el);
    if (v < 0.0005) continue;
    const h = Math.max(Math.min(Math.sqrt(v * 4), 1) * (box.bottom - box.top), 3);
    make("rect", { x, y: box.bottom - h, width: 6, height: h, rx: 1.5, class: "end full" }, el);
  }
  for (const [x, text, anchor] of [
    [16, share(lit.black) && `black ${share(lit.black)}`, "start"],
    [284, share(lit.white) && `clipped ${share(lit.white)}`, "end"],
  ]) {
    if (text) make("text", { x, y: 15, "text-anchor": anchor }, el).textContent = text;
  }
  const at = document.getElementById("reading");
  const by = tones.stops.toFixed(1).replace("-", "−");
  const text = tones.light
    ? `Brightest: ${tones.light}, ${by} stops above its surroundings`
    : "No lights yet";
  if (at && at.textContent !== text) at.textContent = text;
}

on("draft", load);
on("change", () => {
  draw();
  load();
});
load();
