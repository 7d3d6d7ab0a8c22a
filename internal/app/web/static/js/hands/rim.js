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
  label: "Ellipse by 5 points",
  short: "5 points",
  key: "w",
  get hint() {
    return `Click five points on the edge of an ellipse: ${points.length} of ${count}.`;
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
  keys: [
    {
      keys: "Backspace Delete",
      label: "Delete the last point",
      when: () => points.length > 0,
      run: () => void points.pop(),
    },
  ],
  undo: () => Boolean(points.pop()),
  interrupt: () => Boolean(points.pop()),
  cancel: drop,
  overlay(layer) {
    for (const p of points) {
      const [x, y] = toScreen(...p);
      make("rect", { x: x - 3, y: y - 3, width: 6, height: 6, class: "node" }, layer);
    }
  },
};
