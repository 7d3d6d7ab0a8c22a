// The hand that lays a pass's picture on the photo: dragged it moves, by its corners it is sized, by the knob it turns.
import { near } from "../path.js";
import { commit, set, setDraft, shot } from "../store.js";
import { double, make } from "../svg.js";
import { target } from "../target.js";
import { toPhoto, toScreen } from "../view.js";

const stage = document.getElementById("stage");
const path = () => `/${shot.step}/passes/id:${shot.focus.pass}/does`;

// around gives the corners of the picture as it lies, and where its knob is.
function around(p) {
  const a = (p.turn * Math.PI) / 180;
  const [w, h] = [p.size / 2, (p.size * p.height) / p.width / 2];
  const at = (u, v) => [p.x + u * Math.cos(a) - v * Math.sin(a), p.y + u * Math.sin(a) + v * Math.cos(a)];
  return {
    corners: [at(-w, -h), at(w, -h), at(w, h), at(-w, h)],
    knob: at(0, -h * 0.82),
  };
}

let held = null; // { what, from, was }
const letGo = () => {
  const had = held;
  held = null;
  stage.classList.remove("dragging-value", "show-lines");
  if (had) setDraft(null);
  return Boolean(had);
};

// after gives the picture after a drag.
function after(at) {
  const { what, from, was } = held;
  const [x, y] = at.exact;
  if (what === "move")
    return { ...was, x: Math.round(was.x + x - from.exact[0]), y: Math.round(was.y + y - from.exact[1]) };
  if (what === "turn") {
    const angle = ([px, py]) => (Math.atan2(py - was.y, px - was.x) * 180) / Math.PI;
    let turn = was.turn + angle(at.exact) - angle(from.exact);
    if (at.shift) turn = 15 * Math.round(turn / 15);
    turn = ((((turn + 180) % 360) + 360) % 360) - 180;
    return { ...was, turn: Number(turn.toFixed(1)) };
  }
  const far = ([px, py]) => Math.hypot(px - was.x, py - was.y);
  // Over the middle to the other side it is mirrored.
  const a = (was.turn * Math.PI) / 180;
  const side = ([px, py]) => Math.sign((px - was.x) * Math.cos(a) + (py - was.y) * Math.sin(a));
  const flip = side(at.exact) * side(from.exact) < 0 ? !was.flip : was.flip;
  return {
    ...was,
    flip,
    size: Math.max(Math.round((was.size * far(at.exact)) / Math.max(far(from.exact), 1)), 1),
  };
}

const ops = (p) => ["x", "y", "size", "turn", "flip"].map((k) => set(`${path()}/${k}`, p[k]));
// The picture may lie far beyond the photo, where other hands do not go.
const exact = (at) => {
  const r = stage.getBoundingClientRect();
  return { ...at, exact: toPhoto(at.screen[0] + r.left, at.screen[1] + r.top) };
};

export const lay = {
  name: "lay",
  label: "Place on photo",
  key: "l",
  grabs: true,
  hint: "Drag the picture, a corner to scale, the handle to rotate.",
  mods: [["Shift", "steps of 15°"]],
  take: letGo,
  down(at) {
    const was = target.picture();
    if (!was) return false;
    held = { what: at.point(14)?.held ?? "move", from: exact(at), was };
    return true;
  },
  move(at) {
    if (!held) return false;
    stage.classList.add("dragging-value", "show-lines");
    setDraft(ops(after(exact(at))));
    return true;
  },
  async up(at) {
    if (held?.from.id !== at.id) return false;
    const patch = near(at.screen, held.from.screen, 2) ? null : ops(after(exact(at)));
    letGo();
    if (patch) {
      setDraft(patch);
      await commit(patch);
    }
    return false;
  },
  cancel: letGo,
  overlay(layer) {
    const p = target.picture();
    if (!p) return;
    const { corners, knob } = around(p);
    const on = corners.map((c) => toScreen(...c));
    double(layer, `M${on.join("L")}Z`);
    for (const [cx, cy] of on) {
      make("circle", { cx, cy, r: 5, class: "node hollow" }, layer);
      make("circle", { cx, cy, r: 13, class: "node-hit", "data-held": "size" }, layer);
    }
    const [cx, cy] = toScreen(...knob);
    make("circle", { cx, cy, r: 5, class: "node" }, layer);
    make("circle", { cx, cy, r: 13, class: "node-hit", "data-held": "turn" }, layer);
  },
};
