// Cut-outs on the bench: making and removing them, having their pixels found on the photo itself while
// the hand rests, and walking along an edge at 1:1.
import { ask, post } from "./ask.js";
import { onEvent } from "./events.js";
import { notice } from "./notice.js";
import { act, csrf, on, openCut, shot } from "./store.js";
import { lookAt } from "./view.js";

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-cut], [data-walk]");
  if (b?.dataset.walk) walk(e.shiftKey ? -1 : 1);
  else if (b) act(b.dataset.cut, { of: b.dataset.of ?? "" });
});

// Rough cut-outs are refined when the hand has rested. A stroke that begins ends what is under way:
// both would take longer.
let busy = ""; // the job that does so
let ended = ""; // the last job that ended: its event may come before the answer that names it
let timer = 0;
async function refine() {
  try {
    const { id } = await ask(`/shots/${shot.id}/refine`, post({}, csrf()));
    if (id !== ended) busy = id;
  } catch (e) {
    notice("Outline not improved", e.message, [["Try again", rest]]);
  }
}

export function pause() {
  clearTimeout(timer);
  if (busy) ask(`/jobs/${busy}/cancel`, post({}, csrf()), () => {}).catch(() => {}); // it has ended by itself
  busy = "";
}

onEvent("job", (j) => {
  if (!["done", "failed", "cancelled"].includes(j.state)) return;
  ended = j.id;
  if (j.id !== busy) return;
  busy = "";
  if (j.state === "failed") notice("Outline not improved", j.problem, [["Try again", rest]]);
});

export function rest() {
  pause();
  if (shot.cutouts.some((c) => c.rough)) timer = setTimeout(refine, 700);
}

// The walk: places along all lines of the edge, one from the other as far as a screen shows.
let way = { cut: "", version: -1, places: [], at: -1 };
async function walk(by) {
  const cut = openCut();
  if (!cut || cut.empty) return;
  if (way.cut !== cut.id || way.version !== shot.version) {
    const { lines } = await ask(`/shots/${shot.id}/edge?cut=${cut.id}`);
    const stage = document.getElementById("stage").getBoundingClientRect();
    const stride = 0.6 * Math.min(stage.width, stage.height) * (window.devicePixelRatio || 1);
    const places = lines.flatMap((l) => spaced(l, stride));
    const at = way.cut === cut.id ? Math.min(way.at, places.length - 1) : -1;
    way = { cut: cut.id, version: shot.version, places, at };
  }
  const n = way.places.length;
  if (!n) return;
  way.at = way.at < 0 ? (by > 0 ? 0 : n - 1) : (way.at + by + n) % n;
  lookAt(...way.places[way.at]);
  const shown = document.getElementById("walked");
  if (shown) shown.textContent = `${way.at + 1} of ${n}`;
}

// spaced gives places along a closed line, one every so many pixels.
function spaced(l, stride) {
  const out = [l[0]];
  let gone = 0;
  for (let i = 1; i < l.length; i++) {
    gone += Math.hypot(l[i][0] - l[i - 1][0], l[i][1] - l[i - 1][1]);
    if (gone < stride) continue;
    out.push(l[i]);
    gone = 0;
  }
  return out;
}

export const bindings = [
  {
    keys: "n",
    label: "Next part of the edge at 1:1; with Shift the one before",
    group: "Cut-out",
    when: () => Boolean(openCut() && !openCut().empty),
    run: (e) => void walk(e.shiftKey ? -1 : 1),
  },
];

on("change", rest);
rest();
