// Moves, adds and removes points of any shape, turns corners to bends and back, and
// moves whole shapes.
import { isClosed, least, near, round, split, turned, withArm } from "../path.js";
import { show } from "../state.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { toScreen, within } from "../view.js";

let chosen = { shape: -1, node: -1 };
let drag = null; // { shape, node, end, from, id, by, value }
const stage = document.getElementById("stage");

const nodesOf = (j) => target.shapes()[j].nodes;

// rest gives the path of what is dragged below the target's.
const rest = (d) => (d.node === undefined ? `${d.shape}` : `${d.shape}/nodes/${d.node}`);

function doubled(at) {
  const hit = at.point(6);
  if (hit?.end) return;
  if (hit) {
    const k = Number(hit.node);
    target.commit(`${hit.shape}/nodes/${k}`, turned(nodesOf(hit.shape), k));
    return;
  }
  // Beside a point, as far as that is grabbed from, lies a side too.
  const d = at.hit;
  const j = d.side ?? d.inside ?? d.shape;
  if (j === undefined) return;
  const s = target.shapes()[j];
  const added = split(s.nodes, isClosed(s), at.photo);
  chosen = { shape: Number(j), node: added.at };
  target.commit(`${j}/nodes`, added.nodes);
}

// choose marks a shape, as its line on the bench does.
export function choose(shape) {
  chosen = { shape, node: -1 };
}
export const chosenShape = () => chosen.shape;

export const edit = {
  name: "edit",
  label: "Edit points",
  key: "Escape",
  hint: "Drag points, bends or whole outlines. Double-click a side to add a point, a point to turn corner to bend.",
  grabs: true,
  take() {
    drag = null;
    chosen = { shape: -1, node: -1 };
  },
  down(at) {
    if (at.twice) return doubled(at);
    const d = at.point() ?? at.hit;
    if (d.light !== undefined) {
      show("trace", Number(d.light));
      return;
    }
    const shape = Number(d.shape ?? d.side ?? d.inside ?? -1);
    const node = d.node === undefined ? undefined : Number(d.node);
    chosen = { shape, node: node ?? -1 };
    if (shape < 0) return false;
    drag = { shape, node, end: d.end, from: at.photo, id: at.id };
  },
  move(at) {
    if (!drag) return false;
    const [dx, dy] = [at.photo[0] - drag.from[0], at.photo[1] - drag.from[1]];
    if (!drag.value && near(at.screen, toScreen(...drag.from), 2.5)) return false;
    if (drag.node === undefined) {
      drag.value = bounded(nodesOf(drag.shape), dx, dy);
      drag.op = "shift";
    } else {
      const n = nodesOf(drag.shape)[drag.node];
      if (drag.end) {
        drag.value = withArm(n, drag.end, [at.photo[0] - n.x, at.photo[1] - n.y].map(round), at.alt);
      } else {
        const [x, y] = within([n.x + dx, n.y + dy]);
        drag.value = { ...n, x: round(x), y: round(y) };
      }
    }
    stage.classList.add("dragging-value");
    target.draft(rest(drag), drag.value, drag.op);
    return true;
  },
  async up(at) {
    if (drag?.id !== at.id) return;
    stage.classList.remove("dragging-value");
    if (drag.value) await target.commit(rest(drag), drag.value, drag.op);
    drag = null;
  },
  keydown(e) {
    if ((e.key !== "Backspace" && e.key !== "Delete") || chosen.shape < 0) return false;
    const s = target.shapes()[chosen.shape];
    if (chosen.node >= 0 && s.nodes.length > least(s.kind))
      target.remove(`${chosen.shape}/nodes/${chosen.node}`);
    else target.remove(`${chosen.shape}`);
    chosen = { shape: -1, node: -1 };
    return true;
  },
  cancel() {
    const was = chosen.shape >= 0;
    chosen = { shape: -1, node: -1 };
    return was;
  },
  // held gives the nodes of a shape as they are in the hand.
  held(j, nodes) {
    if (drag?.shape !== j || !drag.value) return nodes;
    if (drag.node !== undefined) return nodes.map((n, k) => (k === drag.node ? drag.value : n));
    return nodes.map((n) => ({ ...n, x: n.x + drag.value[0], y: n.y + drag.value[1] }));
  },
  overlay(layer) {
    target.shapes().forEach((s, j) => {
      edit.held(j, s.nodes).forEach((n, k, all) => drawNode(layer, j, n, k, all.length));
    });
  },
  // changed lets go of what is no longer there.
  changed() {
    const s = target.shapes()[chosen.shape];
    if (!s || chosen.node >= s.nodes.length) chosen = { shape: s ? chosen.shape : -1, node: -1 };
  },
};

// bounded gives how far a shape moves with all its points kept where they may lie.
function bounded(nodes, dx, dy) {
  const by = [dx, dy];
  for (const n of nodes) {
    const [x, y] = within([n.x + by[0], n.y + by[1]]);
    by[0] = x - n.x;
    by[1] = y - n.y;
  }
  return by.map(round);
}

function drawNode(layer, j, n, k, count) {
  const [x, y] = toScreen(n.x, n.y);
  const isChosen = chosen.shape === j && chosen.node === k;
  if (isChosen || (chosen.shape === j && count <= 12)) {
    for (const end of ["in", "out"]) {
      const h = n[end];
      if (!h || (!h[0] && !h[1])) continue;
      const [hx, hy] = toScreen(n.x + h[0], n.y + h[1]);
      make("line", { x1: x, y1: y, x2: hx, y2: hy, class: "arm" }, layer);
      make("circle", { cx: hx, cy: hy, r: 3.5, class: "knob" }, layer);
      const hit = make("circle", { cx: hx, cy: hy, r: 12, class: "node-hit" }, layer);
      Object.assign(hit.dataset, { shape: j, node: k, end });
    }
  }
  const r = isChosen ? 4.5 : 3.5;
  make(
    "rect",
    { x: x - r, y: y - r, width: 2 * r, height: 2 * r, class: `node${isChosen ? " chosen" : ""}` },
    layer,
  );
  const hit = make("circle", { cx: x, cy: y, r: 12, class: "node-hit" }, layer);
  Object.assign(hit.dataset, { shape: j, node: k });
}
