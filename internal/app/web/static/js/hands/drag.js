// Hands that make a shape by one drag: from down to up, with what the drag makes drawn
// on the way.
import { forms } from "../forms.js";
import { line, near, round, tidy } from "../path.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { toScreen } from "../view.js";

// dragged makes a hand of what is particular to one: shape makes a shape of the ends of
// the drag, and of whether Shift and Alt are held. turned takes the arrows up (1) and down (-1) while
// it is dragged; of names what they change.
function dragged({ shape, turned, of, hint, ...hand }) {
  let from = null;
  let made = null;
  let last = null;
  const drop = () => {
    const was = from;
    from = made = last = null;
    return Boolean(was);
  };
  // step changes what the arrows change, while a drag is under way.
  const step = (by) => {
    if (!last) return false;
    turned(by);
    made = drawn(last);
    return true;
  };
  const drawn = (at) => (near(at.screen, from.screen, 3) ? null : shape(from.photo, at.photo, at));
  return {
    ...hand,
    get hint() {
      return typeof hint === "function" ? hint() : hint;
    },
    cursor: true,
    take: drop,
    down: (at) => void (from = at),
    move(at) {
      if (!from) return false;
      last = at;
      made = drawn(at);
      return true;
    },
    async up(at) {
      if (from?.id !== at.id) return;
      const s = made;
      drop();
      if (s) await target.add(s);
      return Boolean(s);
    },
    keys: turned
      ? [
          { keys: "ArrowUp", label: `While dragging: more ${of}`, run: () => step(1) },
          { keys: "ArrowDown", label: `While dragging: less ${of}`, run: () => step(-1) },
        ]
      : [],
    cancel: drop,
    overlay(layer) {
      if (!made) return;
      for (const l of forms[made.kind]?.lines(made) ?? [{ nodes: made.nodes, closed: true }]) {
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
  hint: "Drag from edge to edge.",
  mods: [
    ["Shift", "circle"],
    ["Alt", "from the centre"],
  ],
  shape: (a, b, at) => ({ kind: "ellipse", ...box(a, b, at) }),
});

// The rounding of boxes and the number of a polygon's corners are kept from one to the next.
let rounding = 0; // of half the shorter side, in tenths
let corners = 6;

export const boxed = dragged({
  name: "box",
  label: "Box",
  key: "x",
  hint: () => `Drag from corner to corner. Corner radius ${10 * rounding} %.`,
  mods: [
    ["Shift", "square"],
    ["Alt", "from the centre"],
    ["↑ ↓", "corner radius"],
  ],
  of: "corner radius",
  turned: (by) => (rounding = Math.min(Math.max(rounding + by, 0), 10)),
  shape(a, b, at) {
    const { x, y, width, height } = box(a, b, at);
    const r = (rounding / 20) * Math.min(width, height);
    const [w, h] = [width / 2, height / 2];
    const nodes = [];
    // Clockwise from the upper left corner: where each begins to bend and where it ends to.
    for (const [u, v] of [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ]) {
      const corner = [x + u * w, y + v * h];
      const before = u === v ? [0, -v] : [-u, 0];
      const after = u === v ? [-u, 0] : [0, -v];
      const along = ([dx, dy]) => [corner[0] + dx * r, corner[1] + dy * r];
      if (r < 0.05) {
        nodes.push({ x: corner[0], y: corner[1] });
        continue;
      }
      const k = 0.5522847498 * r;
      const [p, q] = [along(before), along(after)];
      nodes.push({ x: p[0], y: p[1], out: before.map((d) => -d * k) });
      nodes.push({ x: q[0], y: q[1], in: after.map((d) => -d * k) });
    }
    return { kind: "outline", nodes: nodes.map(tidy) };
  },
});

export const polygon = dragged({
  name: "polygon",
  label: "Polygon",
  key: "y",
  hint: () => `Drag from the centre to a corner. ${corners} corners.`,
  mods: [
    ["Shift", "steps of 15°"],
    ["↑ ↓", "corners"],
  ],
  of: "corners",
  turned: (by) => (corners = Math.min(Math.max(corners + by, 3), 24)),
  shape([x0, y0], [x, y], { shift }) {
    const r = Math.max(Math.hypot(x - x0, y - y0), 0.5);
    let turn = Math.atan2(y - y0, x - x0);
    if (shift) turn = (Math.round(turn / (Math.PI / 12)) * Math.PI) / 12;
    const nodes = Array.from({ length: corners }, (_, i) => {
      const a = turn + (2 * Math.PI * i) / corners;
      return tidy({ x: x0 + r * Math.cos(a), y: y0 + r * Math.sin(a) });
    });
    return { kind: "outline", nodes };
  },
});

export const gradient = dragged({
  name: "line",
  label: "Linear gradient",
  short: "Linear",
  key: "l",
  once: true,
  hint: "Drag from full to none.",
  mods: [["Shift", "level or upright"]],
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
  label: "Radial gradient",
  short: "Radial",
  key: "v",
  once: true,
  hint: "Drag outwards from the centre.",
  mods: [["Shift", "circle"]],
  shape: (a, b, at) => ({ kind: "ring", ...box(a, b, { shift: at.shift, alt: true }), inner: 0.5 }),
});
