// Moves, adds and removes points of any shape, turns corners to bends and back, and
// moves whole shapes.
import { arrow } from "../bindings.js";
import { bare, forms, moved } from "../forms.js";
import {
  along,
  bentSide,
  isClosed,
  least,
  near,
  round,
  sideAt,
  split,
  turned,
  withArm,
  withNodes,
} from "../path.js";
import { commit, openArea, openPart, set, setDraft, shot, show } from "../store.js";
import { make } from "../svg.js";
import { snapped } from "../snap.js";
import { target } from "../target.js";
import { bulbsOf, saggedBy } from "../string.js";
import { lookAt, onScreen, toScreen, within } from "../view.js";
import * as bulbs from "./bulbs.js";

const none = { shape: -1, node: -1, bulb: -1 };
let chosen = none;
let many = new Set(); // "shape/node" of each of several points that go together
let frame = null; // { from, to, screen, id }: the box by which points are chosen
let drag = null; // { shape, node, end, from, id, value }, change where all of the shape becomes another
const stage = document.getElementById("stage");

const nodesOf = (j) => target.shapes()[j].nodes;

const isForm = (j) => Boolean(forms[target.shapes()[j]?.kind]);
// rest gives the path of what is dragged below the shape's.
const rest = (d) => (d.node === undefined || isForm(d.shape) ? "" : `/nodes/${d.node}`);

function doubled(at) {
  const hit = at.point(6);
  if (hit?.end || hit?.bulb) return;
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
  if (s.kind === "string" && d.side === undefined) return; // in a bulb there is no cord
  const added = split(s.nodes, isClosed(s), at.photo);
  // A cord that hangs is held where it was taken.
  if (s.sag) added.nodes[added.at] = { x: round(at.photo[0]), y: round(at.photo[1]) };
  chosen = { shape: Number(j), node: added.at };
  const from = added.nodes.map((_, i) => (i === added.at ? undefined : i < added.at ? i : i - 1));
  put(j, added.nodes, from);
}

// asStands gives a shape as it stands in the recipe.
const asStands = (s) => ({ ...bare(s), ...(s.away && !openArea() && { away: true }) });
// op gives the operation that gives a shape other points.
function op(j, nodes, from) {
  const s = target.shapes()[j];
  return s.widths?.length ? set(s.path, asStands(withNodes(s, nodes, from))) : set(`${s.path}/nodes`, nodes);
}
const put = (...what) => commit([op(...what)]);

// choose marks a shape, as its line on the bench does.
export function choose(shape) {
  chosen = { shape, node: -1 };
}
export const chosenShape = () => chosen.shape;

// changeBulb saves the chosen bulb of a string as made of the string.
function changeBulb(to) {
  const s = target.shapes()[chosen.shape];
  commit([set(s.path, asStands(to(s)))]);
}

// nudgeBy moves what is chosen by a key.
function nudgeBy(e) {
  const by = arrow(e);
  const k = e.shiftKey ? 10 : 1;
  if (chosen.bulb >= 0) changeBulb((s) => bulbs.nudged(s, chosen.bulb, by[0] * k, by[1] * k));
  else nudge(by[0] * k, by[1] * k);
}

// removeNodes deletes the nodes that are chosen; a shape with too few left goes as a whole.
function removeNodes() {
  const left = new Map();
  for (const name of many) {
    const [j, n] = name.split("/").map(Number);
    left.set(
      j,
      (left.get(j) ?? nodesOf(j).map((_, i) => i)).filter((i) => i !== n),
    );
  }
  const fits = ([j, list]) => list.length >= least(target.shapes()[j].kind);
  const ops = [...left]
    .sort((a, b) => b[0] - a[0])
    .map((one) => {
      const [j, list] = one;
      const { nodes } = target.shapes()[j];
      const kept = list.map((i) => nodes[i]);
      return fits(one) ? op(j, kept, list) : target.removal(j);
    });
  many = new Set();
  chosen = none;
  commit(ops);
}

// removeChosen deletes the chosen bulb, nodes, node or shape.
function removeChosen() {
  if (chosen.bulb >= 0) return changeBulb((s) => bulbs.dropped(s, chosen.bulb));
  if (many.size) return removeNodes();
  const s = target.shapes()[chosen.shape];
  if (!isForm(chosen.shape) && chosen.node >= 0 && s.nodes.length > least(s.kind)) {
    const left = s.nodes.map((_, i) => i).filter((i) => i !== chosen.node);
    if (s.widths?.length)
      put(
        chosen.shape,
        left.map((i) => s.nodes[i]),
        left,
      );
    else target.remove(chosen.shape, `/nodes/${chosen.node}`);
  } else target.remove(chosen.shape);
  chosen = none;
}

export const edit = {
  name: "edit",
  label: "Nodes",
  key: "Escape",
  hint: "Drag nodes and handles. Double-click adds or converts a node.",
  mods: [
    ["Shift", "choose several"],
    ["Alt", "one handle, or bend a side"],
    ["Ctrl", "no snapping"],
  ],
  keys: [
    {
      keys: "n N",
      label: "Next node at 1:1; with Shift the one before",
      run: (e) => step(e.shiftKey ? -1 : 1),
    },
    {
      keys: "arrows",
      yields: true,
      label: "Move what is chosen by 1 px; with Shift by 10",
      when: () => chosen.bulb >= 0 || many.size > 0 || chosen.shape >= 0,
      run: nudgeBy,
    },
    {
      keys: "Backspace Delete",
      label: "Delete what is chosen",
      when: () => chosen.bulb >= 0 || many.size > 0 || Boolean(target.shapes()[chosen.shape]),
      run: removeChosen,
    },
  ],
  grabs: true,
  take() {
    drag = frame = null;
    many = new Set();
    chosen = none;
  },
  down(at) {
    if (at.twice) return doubled(at);
    const d = at.point() ?? at.hit;
    const named = d.node === undefined || d.end || isForm(d.shape) ? null : `${d.shape}/${d.node}`;
    if (at.shift && named) {
      // A point more, or one less.
      if (chosen.node >= 0 && !many.size) many.add(`${chosen.shape}/${chosen.node}`);
      if (many.has(named)) many.delete(named);
      else many.add(named);
      chosen = { shape: Number(d.shape), node: Number(d.node) };
      return;
    }
    if (at.shift && d.node === undefined) {
      frame = { from: at.photo, to: at.photo, screen: at.screen, id: at.id };
      return;
    }
    if (!named || !many.has(named)) many = new Set();
    if (d.light !== undefined) {
      show("trace", Number(d.light));
      return;
    }
    if (d.stroke !== undefined) {
      const [part, stroke] = d.stroke.split(" ");
      show(shot.step, shot.light, { part, stroke });
      return;
    }
    const shape = Number(d.shape ?? d.side ?? d.inside ?? -1);
    const node = d.node === undefined ? undefined : Number(d.node);
    chosen = { shape, node: node ?? -1, bulb: Number(d.bulb ?? -1) };
    if (shape < 0) return false;
    target.open(shape);
    drag = { shape, node, end: d.end, from: at.photo, id: at.id };
    if (named && many.has(named)) drag.many = new Set(many);
    const held = { bulb: Number(d.bulb), size: d.size, from: at.photo };
    if (d.wide !== undefined) drag.change = (s, to) => widened(s, Number(d.wide), to);
    else if (d.bulb !== undefined && !at.alt) drag.change = (s, to) => bulbs.changed(s, held, to);
    else if (at.alt && (d.side ?? d.bulb) !== undefined && nodesOf(shape)) {
      const s = target.shapes()[shape];
      const side = sideAt(s, at.photo);
      const hangs = s.kind === "string";
      drag.change = (old, to) => (hangs ? saggedBy : bentSide)(old, side, to.photo);
    }
  },
  move(at) {
    if (frame) {
      frame.to = at.photo;
      many = within4(frame);
      return true;
    }
    if (!drag) return false;
    let [dx, dy] = [at.photo[0] - drag.from[0], at.photo[1] - drag.from[1]];
    if (!drag.value && near(at.screen, toScreen(...drag.from), 2.5)) return false;
    if (drag.node !== undefined && !drag.end && !isForm(drag.shape)) {
      // The point that is held lands on one that is there already.
      const n = nodesOf(drag.shape)[drag.node];
      const names = drag.many ?? new Set([`${drag.shape}/${drag.node}`]);
      const [x, y] = snapped(at, [n.x + dx, n.y + dy], names);
      [dx, dy] = [x - n.x, y - n.y];
    }
    if (drag.many) {
      drag.nodes = shiftedPoints(drag.many, dx, dy);
      stage.classList.add("dragging-value");
      drag.value = true;
      setDraft(opsOf(drag.nodes));
      return true;
    }
    if (drag.change) {
      const s = target.shapes()[drag.shape];
      drag.whole = drag.change(s, at);
      drag.value = asStands(drag.whole);
      stage.classList.add("dragging-value");
      setDraft([set(s.path, drag.value)]);
      return true;
    }
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
    if (frame?.id === at.id) frame = null;
    if (drag?.id !== at.id) return;
    stage.classList.remove("dragging-value");
    if (drag.many && drag.value) await commit(opsOf(drag.nodes));
    else if (drag.whole) await commit([set(target.shapes()[drag.shape].path, drag.value)]);
    else if (drag.value) await target.commit(drag.shape, rest(drag), drag.value, drag.op);
    drag = null;
  },
  cancel() {
    const was = chosen.shape >= 0 || many.size > 0;
    many = new Set();
    chosen = none;
    return was;
  },
  // held gives a shape as it is in the hand.
  held(j, s) {
    if (drag?.many) return drag.nodes?.get(j) ? { ...s, nodes: drag.nodes.get(j) } : s;
    if (drag?.whole) return drag.shape === j ? drag.whole : s;
    if (drag?.shape !== j || !drag.value) return s;
    if (drag.op === "shift") {
      return moved(s, ...drag.value);
    }
    if (forms[s.kind]) return { ...s, ...drag.value };
    return { ...s, nodes: s.nodes.map((n, k) => (k === drag.node ? drag.value : n)) };
  },
  overlay(layer) {
    drawStrokes(layer);
    if (frame) {
      const [a, b] = [toScreen(...frame.from), toScreen(...frame.to)];
      const box = { x: Math.min(a[0], b[0]), y: Math.min(a[1], b[1]) };
      const size = { width: Math.abs(a[0] - b[0]), height: Math.abs(a[1] - b[1]) };
      for (const c of ["under", "over faint"]) make("rect", { ...box, ...size, class: c }, layer);
    }
    target.shapes().forEach((old, j) => {
      if (!old) return;
      const s = edit.held(j, old);
      const open = openArea() && openPart() !== j;
      if (open && chosen.shape !== j) return; // in an area one part at a time has handles
      if (forms[s.kind])
        forms[s.kind].handles(s).forEach((h, k) => drawNode(layer, j, { x: h.at[0], y: h.at[1] }, k, 1));
      else s.nodes.forEach((n, k, all) => drawNode(layer, j, n, k, all.length));
      if (s.kind === "tube" && s.nodes.length <= 60) s.nodes.forEach((_, k) => drawWide(layer, j, s, k));
      if (s.kind === "string") bulbs.drawBulbs(layer, j, s, chosen.shape === j ? chosen.bulb : -1);
    });
  },
  // changed lets go of what is no longer there.
  changed() {
    const s = target.shapes()[chosen.shape];
    many = new Set(
      [...many].filter((name) => {
        const [j, n] = name.split("/").map(Number);
        return n < (target.shapes()[j]?.nodes?.length ?? 0);
      }),
    );
    const bulb = s?.kind === "string" && chosen.bulb < bulbsOf(s).length ? chosen.bulb : -1;
    if (!s || (s.nodes && chosen.node >= s.nodes.length))
      chosen = { shape: s ? chosen.shape : -1, node: -1, bulb };
    else chosen = { ...chosen, bulb };
  },
};

// within4 names the points within the four sides of a box.
function within4({ from, to }) {
  const inside = (n) => (n.x - from[0]) * (n.x - to[0]) <= 0 && (n.y - from[1]) * (n.y - to[1]) <= 0;
  const out = new Set();
  target.shapes().forEach((s, j) => {
    if (openArea() && openPart() !== j) return;
    s?.nodes?.forEach((n, k) => inside(n) && out.add(`${j}/${k}`));
  });
  return out;
}

// shiftedPoints gives the points of shapes with those that are named moved, by shape.
function shiftedPoints(names, dx, dy) {
  const out = new Map();
  for (const name of names) {
    const [j, k] = name.split("/").map(Number);
    if (!out.has(j)) out.set(j, [...nodesOf(j)]);
    const n = out.get(j)[k];
    const [x, y] = within([n.x + dx, n.y + dy]);
    out.get(j)[k] = { ...n, x: round(x), y: round(y) };
  }
  return out;
}
const opsOf = (nodes) => [...nodes].map(([j, list]) => set(`${target.shapes()[j].path}/nodes`, list));

// step goes on along the edge of the chosen shape, or of the first, at 1:1, so that all of it
// can be checked.
let checked = { shape: -1, at: -1 };
function step(by) {
  const j = chosen.shape >= 0 ? chosen.shape : target.shapes().findIndex(Boolean);
  const s = target.shapes()[j];
  if (!s) return false;
  const form = forms[s.kind]?.lines(s)[0];
  const places =
    s.kind === "string"
      ? bulbsOf(s).map((b) => [b.x, b.y])
      : along(form?.nodes ?? s.nodes, form ? Boolean(form.closed) : isClosed(s), 240);
  const from = checked.shape === j ? checked.at : by > 0 ? -1 : 0;
  checked = { shape: j, at: (from + by + places.length) % places.length };
  lookAt(...places[checked.at]);
  return true;
}

// nudge moves the points that are chosen, or the whole shape where none is.
function nudge(dx, dy) {
  const names = many.size
    ? many
    : chosen.node >= 0 && !isForm(chosen.shape)
      ? [`${chosen.shape}/${chosen.node}`]
      : null;
  if (names) commit(opsOf(shiftedPoints(names, dx, dy)));
  else target.commit(chosen.shape, "", [dx, dy], "shift");
}

// The knob of a tube's width stands beside each of its points.
function wideAt(s, k) {
  const n = s.nodes[k];
  const [a, b] = [s.nodes[Math.max(k - 1, 0)], s.nodes[Math.min(k + 1, s.nodes.length - 1)]];
  const l = Math.max(Math.hypot(b.x - a.x, b.y - a.y), 1e-6);
  const half = (s.width * (s.widths?.[k]?.k ?? 1)) / 2;
  return [n.x + ((b.y - a.y) / l) * half, n.y - ((b.x - a.x) / l) * half];
}

// widened gives a tube as wide as the pointer is from a point: all of it, or with Alt there.
function widened(s, k, at) {
  const n = s.nodes[k];
  const width = Math.max(2 * Math.hypot(at.photo[0] - n.x, at.photo[1] - n.y), 0.2);
  const own = s.widths?.[k]?.k ?? 1;
  if (!at.alt) return { ...s, width: Math.max(round(width / Math.max(own, 0.01)), 0.1) };
  const widths = s.nodes.map((_, i) => s.widths?.[i] ?? { k: 1 });
  widths[k] = { k: Math.min(Number((width / s.width).toFixed(3)), 20) };
  return { ...s, widths };
}

function drawWide(layer, j, s, k) {
  const [cx, cy] = toScreen(...wideAt(s, k));
  make("circle", { cx, cy, r: 3, class: "knob" }, layer);
  const hit = make("circle", { cx, cy, r: 9, class: "node-hit" }, layer);
  Object.assign(hit.dataset, { shape: j, wide: k });
}

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
  a?.parts.forEach((part) => {
    if (part.of.kind !== "strokes") return;
    part.of.strokes.forEach((s) => {
      const all = s.points.map((p) =>
        toScreen(p.x, p.y)
          .map((v) => v.toFixed(1))
          .join(" "),
      );
      const d = `M${all.join("L")}${all.length === 1 ? "h0.1" : ""}`;
      const open = shot.focus.part === part.id && shot.focus.stroke === s.id;
      make("path", { d, class: "under" }, layer);
      make("path", { d, class: `over${open ? "" : " other"}${s.erase ? " away" : ""}` }, layer);
      if (open) {
        const w = onScreen(s.diameter);
        make("path", { d, class: "painted", "stroke-width": w, "stroke-opacity": 0.14 }, layer);
      }
      make("path", { d, class: "grab" }, layer).dataset.stroke = `${part.id} ${s.id}`;
    });
  });
}

function drawNode(layer, j, n, k, count) {
  const [x, y] = toScreen(n.x, n.y);
  const isChosen = (chosen.shape === j && chosen.node === k) || many.has(`${j}/${k}`);
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
