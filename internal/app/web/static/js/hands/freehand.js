// Draws a closed outline freehand; the server makes a few good points of it.
import { ask, post } from "../ask.js";
import { near } from "../path.js";
import { notice } from "../notice.js";
import { csrf, shot } from "../store.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { onScreen, toScreen } from "../view.js";

let path = null; // { id, points, last }

const drop = () => {
  const was = path;
  path = null;
  return Boolean(was);
};

export const freehand = {
  name: "freehand",
  label: "Freehand",
  key: "j",
  hint: "Draw round the shape; release to close.",
  cursor: true,
  take: drop,
  down: (at) => void (path = { id: at.id, points: [at.photo], last: at.screen }),
  move(at) {
    if (!path) return false;
    for (const p of at.all) {
      if (near(p.screen, path.last, 1.5)) continue;
      path.points.push(p.photo);
      path.last = p.screen;
    }
    return true;
  },
  async up(at) {
    if (path?.id !== at.id) return;
    const { points } = path;
    drop();
    if (points.length < 5) return;
    // What is a pixel on the screen is what the hand can mean.
    const tolerance = Math.max(1.5 / onScreen(1), 0.1);
    try {
      const { nodes } = await ask(`/shots/${shot.id}/fit`, post({ points, tolerance, closed: true }, csrf()));
      if (nodes.length >= 3) await target.add({ kind: "outline", nodes });
    } catch (e) {
      notice("No outline", e.message, [], true);
    }
  },
  cancel: drop,
  overlay(layer) {
    if (!path || path.points.length < 2) return;
    const points = path.points
      .map((p) =>
        toScreen(...p)
          .map((v) => v.toFixed(1))
          .join(","),
      )
      .join(" ");
    make("polyline", { points, class: "under" }, layer);
    make("polyline", { points, class: "over" }, layer);
  },
};
