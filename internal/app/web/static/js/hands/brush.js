// Paints strokes into the open area. What is under the pointer is drawn by the page at
// once; the picture follows as frames come.
import { isLocal, local, onLocal, setLocal } from "../local.js";
import { newID } from "../ids.js";
import { near, round } from "../path.js";
import { commit, openArea, set, setDraft, shot } from "../store.js";
import { make } from "../svg.js";
import { onScreen, toScreen } from "../view.js";

let pointer = null; // where it is
let stroke = null; // { id, points, last, erase, path }
let end = null; // where the last stroke ended, with its area

const zoom = () => onScreen(1);
const brush = () => ({
  diameter: local("local:diameter"),
  softness: local("local:softness"),
  flow: local("local:flow"),
  pen: local("local:pen"),
});

// home gives the part that strokes go to: the open one if it is of strokes, else the last
// that is; null where there is none yet.
function home() {
  const { parts, path } = openArea();
  const painted = parts.filter((part) => part.of.kind === "strokes");
  const part = painted.find((one) => one.id === shot.focus.part) ?? painted.at(-1);
  return part ? { part: part.id, path: `${path}/parts/id:${part.id}/of/strokes` } : null;
}

const value = () => ({
  ...brush(),
  id: stroke.name,
  points: stroke.points,
  ...(stroke.erase && { erase: true }),
});

function patch() {
  const to = home();
  if (to) return [set(`${to.path}/-`, value(), "add")];
  const part = { id: stroke.part, does: "add", of: { kind: "strokes", strokes: [value()] } };
  return [set(`${openArea().path}/parts/-`, part, "add")];
}

const dab = (p) => ({ x: round(p.photo[0]), y: round(p.photo[1]), p: p.pressure });

const drop = () => {
  const was = stroke;
  stroke = null;
  if (was) setDraft(null);
  return Boolean(was);
};

// change sets a setting of the brush, within the range that its row declares.
const change = (name, by) => {
  const { least, most, mul, digits } = document.querySelector(`.pf[data-path="local:${name}"]`).dataset;
  const v = Math.min(Math.max(by(local(`local:${name}`)), Number(least)), Number(most));
  setLocal(`local:${name}`, Number((v * mul).toFixed(digits)) / mul);
};

// resize makes the brush smaller or larger; with Shift harder or softer.
function resize(e, by) {
  if (e.shiftKey) change("softness", (v) => v + 0.1 * by);
  else change("diameter", (v) => v * 1.15 ** by);
}

export const brushHand = {
  name: "brush",
  label: "Brush",
  key: "b",
  hint: "Paint the area.",
  mods: [
    ["Alt", "erase"],
    ["Shift + click", "straight line from the last stroke"],
  ],
  keys: [
    { keys: ", < ;", label: "Smaller brush; with Shift harder", run: (e) => resize(e, -1) },
    { keys: ". > :", label: "Larger brush; with Shift softer", run: (e) => resize(e, 1) },
  ],
  cursor: true,
  take() {
    pointer = null;
    drop();
  },
  down(at) {
    pointer = at;
    const erase = at.alt;
    if (erase && !home()) return;
    const start = at.shift && end?.area === shot.focus.area ? [end.dab] : [];
    stroke = { id: at.id, name: newID(), part: newID(), points: [...start, dab(at)], last: at.screen, erase };
    setDraft(patch());
  },
  move(at) {
    pointer = at;
    if (!stroke) return true;
    for (const p of at.all) {
      if (near(p.screen, stroke.last, 0.75)) continue;
      stroke.points.push(dab(p));
      stroke.last = p.screen;
    }
    setDraft(patch());
    return true;
  },
  async up(at) {
    if (stroke?.id !== at.id) return;
    const to = home();
    const done = patch();
    end = { area: shot.focus.area, dab: stroke.points.at(-1) };
    try {
      await commit(done, { part: to?.part ?? stroke.part, stroke: stroke.name });
    } finally {
      stroke = null;
    }
  },
  cancel: drop,
  overlay(layer) {
    const { diameter, softness, flow } = brush();
    if (stroke) {
      const points = stroke.points
        .map((p) =>
          toScreen(p.x, p.y)
            .map((v) => v.toFixed(1))
            .join(","),
        )
        .join(" ");
      const look = {
        class: `painted${stroke.erase ? " erase" : ""}`,
        points: `${points} ${points.split(" ").at(-1)}`,
      };
      const w = diameter * zoom();
      make("polyline", { ...look, "stroke-width": w, "stroke-opacity": 0.14 + 0.16 * flow }, layer);
      make(
        "polyline",
        { ...look, "stroke-width": w * (1 - softness * 0.6), "stroke-opacity": 0.1 + 0.1 * flow },
        layer,
      );
    }
    if (!pointer) return;
    const [cx, cy] = pointer.screen;
    const r = Math.max((diameter * zoom()) / 2, 1);
    make("circle", { cx, cy, r, class: "under" }, layer);
    make("circle", { cx, cy, r, class: "over ring" }, layer);
    if (softness > 0.02 && softness < 0.98)
      make("circle", { cx, cy, r: r * (1 - softness), class: "over faint" }, layer);
    if (pointer.alt) make("path", { d: `M${cx - 5} ${cy}h10`, class: "over" }, layer);
  },
  leave() {
    if (!stroke) pointer = null;
  },
};

onLocal(
  (path) => isLocal(path) && pointer && document.getElementById("stage").dispatchEvent(new Event("redraw")),
);
