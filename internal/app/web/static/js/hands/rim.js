// Makes an ellipse of five points that are set on its rim.
import { ask, post } from "../ask.js";
import { notice } from "../notice.js";
import { csrf, shot } from "../store.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { toScreen } from "../view.js";

const count = 5;
let points = [];
const drop = () => {
  const was = points.length;
  points = [];
  return was > 0;
};

export const rim = {
  name: "rim",
  label: "By its rim",
  key: "w",
  get hint() {
    return `Click five points all round the rim of an ellipse: ${points.length} of ${count}. Back: one less.`;
  },
  cursor: true,
  take: drop,
  async down(at) {
    points.push(at.photo);
    if (points.length < count) return;
    const all = points;
    points = [];
    try {
      const got = await ask(`/shots/${shot.id}/rim`, post({ points: all }, csrf()));
      await target.addAll(got.shapes, { away: at.alt });
    } catch (e) {
      notice("No ellipse", e.message, [], true);
    }
  },
  move: () => false,
  up: () => {},
  keydown(e) {
    const back = e.key === "Backspace" || e.key === "Delete" || (e.key === "z" && (e.ctrlKey || e.metaKey));
    if (!points.length || !back) return false;
    points.pop();
    return true;
  },
  cancel: drop,
  overlay(layer) {
    for (const p of points) {
      const [x, y] = toScreen(...p);
      make("rect", { x: x - 3, y: y - 3, width: 6, height: 6, class: "node" }, layer);
    }
  },
};
