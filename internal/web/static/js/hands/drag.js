// Hands that make a shape by one drag: from down to up, with what the drag makes drawn
// on the way.
import { forms } from "../forms.js";
import { line, near, round } from "../path.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { toScreen } from "../view.js";

// dragged makes a hand of what is particular to one: shape makes a shape of the ends of
// the drag, and of whether Shift and Alt are held.
function dragged({ shape, ...hand }) {
  let from = null;
  let made = null;
  const drop = () => {
    const was = from;
    from = made = null;
    return Boolean(was);
  };
  return {
    ...hand,
    cursor: true,
    take: drop,
    down: (at) => void (from = at),
    move(at) {
      if (!from) return false;
      made = near(at.screen, from.screen, 3) ? null : shape(from.photo, at.photo, at);
      return true;
    },
    async up(at) {
      if (from?.id !== at.id) return;
      const s = made;
      drop();
      if (s) await target.add(s);
      return Boolean(s);
    },
    keydown: () => false,
    cancel: drop,
    overlay(layer) {
      if (!made) return;
      for (const l of forms[made.kind].lines(made)) {
        const d = line(l.nodes, Boolean(l.closed), toScreen);
        make("path", { d, class: "under" }, layer);
        make("path", { d, class: `over${l.faint ? " faint" : ""}` }, layer);
      }
    },
  };
}

// box gives middle and size of an ellipse that fills the box of a drag: Shift makes it
// round, Alt lets it grow from its middle.
function box([x0, y0], [x1, y1], { shift, alt }) {
  let [w, h] = [x1 - x0, y1 - y0];
  if (shift) {
    const d = Math.max(Math.abs(w), Math.abs(h));
    [w, h] = [Math.sign(w || 1) * d, Math.sign(h || 1) * d];
  }
  const size = { width: Math.max(Math.abs(w), 1), height: Math.max(Math.abs(h), 1) };
  const k = alt ? 2 : 1;
  return {
    x: round(alt ? x0 : x0 + w / 2),
    y: round(alt ? y0 : y0 + h / 2),
    width: round(size.width * k),
    height: round(size.height * k),
  };
}

export const ellipse = dragged({
  name: "ellipse",
  label: "Ellipse",
  key: "e",
  hint: "Drag across it. Shift: round. Alt: from its middle.",
  shape: (a, b, at) => ({ kind: "ellipse", ...box(a, b, at) }),
});

export const gradient = dragged({
  name: "line",
  label: "Line",
  key: "l",
  areas: true,
  once: true,
  hint: "Drag from where the area is full to where it has ended. Shift: level or upright.",
  shape([x1, y1], [x, y], { shift }) {
    const flat = Math.abs(x - x1) > Math.abs(y - y1);
    return {
      kind: "line",
      x1: round(x1),
      y1: round(y1),
      x2: round(shift && !flat ? x1 : x),
      y2: round(shift && flat ? y1 : y),
    };
  },
});

export const ring = dragged({
  name: "ring",
  label: "Ring",
  key: "r",
  areas: true,
  once: true,
  hint: "Drag from the middle outwards: full inside, ended at the outer ring. Shift: round.",
  shape: (a, b, at) => ({ kind: "ring", ...box(a, b, { shift: at.shift, alt: true }), inner: 0.5 }),
});
