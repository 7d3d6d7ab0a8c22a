// The hands of the reference: two pairs of places that lay it on the photo, and clicks that read its light or take a gel of it.
import { ask } from "../ask.js";
import { notice } from "../notice.js";
import { round } from "../path.js";
import { act, commit, light, lightPath, set, shot } from "../store.js";
import { make } from "../svg.js";
import { beside, hold, toScreen } from "../view.js";

const stage = document.getElementById("stage");
const there = () => Boolean(shot.reference?.sum);
const reference = { of: "reference", name: "reference" };

// seeing shows the reference, or the picture again.
function seeing(yes) {
  if (yes) beside(reference);
  hold(yes);
  if (!yes) beside(null);
}

let pairs = []; // places: on the photo, on the reference, and so again
function drop() {
  const had = pairs.length > 0;
  pairs = [];
  seeing(false);
  return had;
}
const steps = [
  "Click a small, clear detail on the photo.",
  "Click the same detail on the reference.",
  "Click another detail, far away, on the photo.",
  "Click that detail on the reference.",
];

export const refPairs = {
  name: "ref-pairs",
  label: "Align by two points",
  key: "2",
  cursor: true,
  once: true,
  get hint() {
    return there() ? steps[pairs.length] : "Attach a reference first.";
  },
  take: drop,
  down: () => there(),
  move: () => false,
  async up(at) {
    if (!there()) return false;
    pairs.push(at.photo.map(round));
    seeing(pairs.length % 2 === 1);
    stage.dispatchEvent(new Event("redraw"));
    if (pairs.length < 4) return false;
    const points = JSON.stringify(pairs);
    drop();
    await act("pair-reference", { points });
    return true;
  },
  keys: [
    {
      keys: "Backspace",
      label: "Delete the last point",
      when: () => pairs.length > 0,
      run() {
        pairs.pop();
        seeing(pairs.length % 2 === 1);
      },
    },
  ],
  cancel: drop,
  overlay(layer) {
    pairs.forEach(([x, y], i) => {
      const [cx, cy] = toScreen(x, y);
      for (const c of ["under", "over"])
        make("path", { d: `M${cx - 9} ${cy}h18m-9 -9v18`, class: `${c}${i % 2 ? " other" : ""}` }, layer);
      const text = make("text", { x: cx + 11, y: cy - 7, class: "measure" }, layer);
      text.textContent = String(Math.floor(i / 2) + 1);
    });
  },
};

// reader makes a hand that shows the reference and asks for its light where it is clicked.
function reader(name, label, key, hint, got, of = () => "") {
  return {
    name,
    label,
    key,
    cursor: true,
    hint,
    take() {
      if (there()) seeing(true);
    },
    down: () => there(),
    move: () => false,
    async up(at) {
      if (!there()) return false;
      const [x, y] = at.photo;
      try {
        await got(await ask(`/shots/${shot.id}/reference/light?x=${x}&y=${y}${of()}`), at);
      } catch (err) {
        notice("Not measured", err.message, [], true);
      }
      return false;
    },
    cancel() {
      seeing(false);
      return false;
    },
    put: () => seeing(false),
    overlay() {},
  };
}

export const refRead = reader(
  "ref-read",
  "Measure light",
  "e",
  "Click where light falls in the reference.",
  (read) => {
    const el = document.getElementById("ref-reading");
    if (!el) return;
    const day = read.daylight < 0 ? `${-read.daylight} stops darker` : `${read.daylight} stops brighter`;
    el.hidden = false;
    const dot = document.createElementNS("http://www.w3.org/2000/svg", "svg");
    dot.setAttribute("viewBox", "0 0 12 12");
    dot.setAttribute("width", "12");
    make("circle", { cx: 6, cy: 6, r: 5, fill: read.hex }, dot);
    el.replaceChildren(
      dot,
      ` ${read.stops} stops above the reference's daylight, which is ${day} than the photo's.`,
    );
  },
);

export const refGel = reader(
  "ref-gel",
  "Pick from reference",
  "t",
  "Click a lamp on the reference; its rim gives the gel.",
  async (got) => {
    seeing(false);
    await commit([set(lightPath("gel"), got.gel)]);
    stage.dispatchEvent(new Event("putdown"));
  },
  () => `&light=${light()?.id ?? ""}`,
);
