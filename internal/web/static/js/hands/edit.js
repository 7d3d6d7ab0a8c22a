// Moves, adds and removes points of any shape, turns corners to bends and back, and
// moves whole shapes.
import { bare, forms, moved } from "../forms.js";
import { isClosed, least, near, round, split, turned, withArm } from "../path.js";
import { openArea, shot, show } from "../state.js";
import { make } from "../svg.js";
import { target } from "../target.js";
import { toScreen, within } from "../view.js";

let chosen = { shape: -1, node: -1 };
let drag = null; // { shape, node, end, from, id, by, value }
const stage = document.getElementById("stage");

const nodesOf = (j) => target.shapes()[j].nodes;

const isForm = (j) => Boolean(forms[target.shapes()[j]?.kind]);
// rest gives the path of what is dragged below the shape's.
const rest = (d) => (d.node === undefined || isForm(d.shape) ? "" : `/nodes/${d.node}`);

function doubled(at) {
  const hit = at.point(6);
  if (hit?.end) return;
  if (hit) {
    const k = Number(hit.node);
    if (!isForm(hit.shape)) target.commit(hit.shape, `/nodes/${k}`, turned(nodesOf(hit.shape), k));
    return;
  }
  // Beside a point, as far as that is grabbed from, lies a side too.
  const d = at.hit;
  const j = d.side ?? d.inside ?? d.shape;
  if (j === undefined || isForm(j)) return;
  const s = target.shapes()[j];
  const added = split(s.nodes, isClosed(s), at.photo);
  chosen = { shape: Number(j), node: added.at };
  target.commit(j, "/nodes", added.nodes);
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
  hint: "Click a shape or a stroke to choose it, drag its points and handles. Double-click: a new point on a side, corner or bend on a point.",
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
    if (d.stroke !== undefined) {
      const [part, stroke] = d.stroke.split(" ").map(Number);
      show(shot.step, shot.light, { part, stroke });
      return;
    }
    const shape = Number(d.shape ?? d.side ?? d.inside ?? -1);
    const node = d.node === undefined ? undefined : Number(d.node);
    chosen = { shape, node: node ?? -1 };
    if (shape < 0) return false;
    target.open(shape);
    drag = { shape, node, end: d.end, from: at.photo, id: at.id };
  },
  move(at) {
    if (!drag) return false;
    const [dx, dy] = [at.photo[0] - drag.from[0], at.photo[1] - drag.from[1]];
    if (!drag.value && near(at.screen, toScreen(...drag.from), 2.5)) return false;
    if (drag.node === undefined) {
      drag.value = isForm(drag.shape) ? [dx, dy].map(round) : bounded(nodesOf(drag.shape), dx, dy);
      drag.op = "shift";
    } else if (isForm(drag.shape)) {
      const s = target.shapes()[drag.shape];
      drag.value = bare(forms[s.kind].handles(s)[drag.node].to(at.photo, at.shift));
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
    target.draft(drag.shape, rest(drag), drag.value, drag.op);
    return true;
  },
  async up(at) {
    if (drag?.id !== at.id) return;
    stage.classList.remove("dragging-value");
    if (drag.value) await target.commit(drag.shape, rest(drag), drag.value, drag.op);
    drag = null;
  },
  keydown(e) {
    if ((e.key !== "Backspace" && e.key !== "Delete") || chosen.shape < 0) return false;
    const s = target.shapes()[chosen.shape];
    if (!s) return false;
    if (!isForm(chosen.shape) && chosen.node >= 0 && s.nodes.length > least(s.kind))
      target.remove(chosen.shape, `/nodes/${chosen.node}`);
    else target.remove(chosen.shape);
    chosen = { shape: -1, node: -1 };
    return true;
  },
  cancel() {
    const was = chosen.shape >= 0;
    chosen = { shape: -1, node: -1 };
    return was;
  },
  // held gives a shape as it is in the hand.
  held(j, s) {
    if (drag?.shape !== j || !drag.value) return s;
    if (drag.op === "shift") {
      return moved(s, ...drag.value);
    }
    if (forms[s.kind]) return { ...s, ...drag.value };
    return { ...s, nodes: s.nodes.map((n, k) => (k === drag.node ? drag.value : n)) };
  },
  overlay(layer) {
    drawStrokes(layer);
    target.shapes().forEach((old, j) => {
      if (!old) return;
      const s = edit.held(j, old);
      const open = openArea() && shot.focus.part !== j;
      if (open && chosen.shape !== j) return; // in an area one part at a time has handles
      if (forms[s.kind])
        forms[s.kind].handles(s).forEach((h, k) => drawNode(layer, j, { x: h.at[0], y: h.at[1] }, k, 1));
      else s.nodes.forEach((n, k, all) => drawNode(layer, j, n, k, all.length));
    });
  },
  // changed lets go of what is no longer there.
  changed() {
    const s = target.shapes()[chosen.shape];
    if (!s || (s.nodes && chosen.node >= s.nodes.length)) chosen = { shape: s ? chosen.shape : -1, node: -1 };
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

// drawStrokes draws the middle lines of an area's strokes, to be chosen by.
function drawStrokes(layer) {
  const a = openArea();
  a?.parts.forEach((part, j) => {
    if (part.of.kind !== "strokes") return;
    part.of.strokes.forEach((s, k) => {
      const all = s.points.map((p) =>
        toScreen(p.x, p.y)
          .map((v) => v.toFixed(1))
          .join(" "),
      );
      const d = `M${all.join("L")}${all.length === 1 ? "h0.1" : ""}`;
      const open = shot.focus.part === j && shot.focus.stroke === k;
      make("path", { d, class: "under" }, layer);
      make("path", { d, class: `over${open ? "" : " other"}${s.erase ? " away" : ""}` }, layer);
      if (open) {
        const w = Math.abs(toScreen(s.diameter, 0)[0] - toScreen(0, 0)[0]);
        make("path", { d, class: "painted", "stroke-width": w, "stroke-opacity": 0.14 }, layer);
      }
      make("path", { d, class: "grab" }, layer).dataset.stroke = `${j} ${k}`;
    });
  });
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
