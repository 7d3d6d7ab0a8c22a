// What hands share that draw strokes on a cut-out: the stroke in the hand, and how strokes look. What
// they say shows by the line: inside is drawn through, outside dashed, a soft edge dotted.
import { pause, rest } from "./cutouts.js";
import { local, setLocal } from "./local.js";
import { near, round } from "./path.js";
import { make } from "./svg.js";
import { onScreen, toScreen } from "./view.js";

const zoom = () => onScreen(1);

// pathOf gives a stroke's line on the screen.
export function pathOf({ points, says }) {
  const at = points.map((p) => toScreen(p.x, p.y).map((v) => v.toFixed(1)));
  const d = `M${at.map((p) => p.join(" ")).join("L")}`;
  return at.length === 1 ? `${d}h.1` : says === "loop" ? `${d}Z` : d;
}

// line draws a stroke.
export function line(layer, d, says, diameter) {
  const w = Math.max(diameter * zoom(), 2);
  if (says !== "loop") make("path", { d, class: `scribbled ${says}`, "stroke-width": w }, layer);
  make("path", { d, class: "under" }, layer);
  make("path", { d, class: `over scribble-${says}` }, layer);
}

// resize makes the brush smaller or larger, within the range that its row declares.
function resize(by, path) {
  const row = document.querySelector(`.pf[data-path="${path}"]`);
  if (!row) return;
  const { least, most, mul, digits } = row.dataset;
  const v = Math.min(Math.max(local(path) * 1.15 ** by, Number(least)), Number(most));
  setLocal(path, Number((v * mul).toFixed(digits)) / mul);
}

// strokes makes the entries of a hand that draws strokes. brush gives its settings, size is the path
// of its diameter, kind what a stroke says, and done saves one.
export function strokes({ brush, size, kind, done }) {
  let pointer = null;
  let stroke = null; // { id, points, last, alt }
  const dab = (p) => ({ x: round(p.photo[0]), y: round(p.photo[1]) });
  const drop = () => {
    const was = stroke;
    stroke = null;
    if (was) rest();
    return Boolean(was);
  };
  return {
    take() {
      pointer = null;
      drop();
    },
    down(at) {
      pointer = at;
      pause();
      stroke = { id: at.id, points: [dab(at)], last: at.screen, alt: at.alt };
    },
    move(at) {
      pointer = at;
      if (!stroke) return true;
      for (const p of at.all) {
        if (near(p.screen, stroke.last, 1.5)) continue;
        stroke.points.push(dab(p));
        stroke.last = p.screen;
      }
      return true;
    },
    async up(at) {
      if (stroke?.id !== at.id) return;
      const s = stroke;
      try {
        await done(s);
      } finally {
        if (stroke === s) stroke = null;
      }
    },
    leave() {
      if (!stroke) pointer = null;
    },
    keys: [
      { keys: ",", label: "Smaller brush", run: () => resize(-1, size) },
      { keys: ".", label: "Larger brush", run: () => resize(1, size) },
    ],
    cancel: drop,
    overlay(layer) {
      const { diameter } = brush();
      if (stroke) line(layer, pathOf({ points: stroke.points, says: kind(stroke) }), kind(stroke), diameter);
      if (!pointer) return;
      const [cx, cy] = pointer.screen;
      const r = Math.max((diameter * zoom()) / 2, 1);
      make("circle", { cx, cy, r, class: "under" }, layer);
      make("circle", { cx, cy, r, class: "over ring" }, layer);
    },
  };
}
