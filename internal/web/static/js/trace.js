// Tracing: outlines and tubes drawn on the photo, and their points moved,
// added and removed afterwards. The overlay is SVG in screen pixels over the
// canvas, so that lines stay thin at every zoom.
import { act, commit, light, on, set, setDraft, show, shot } from "./state.js";
import { onMove, space, toPhoto, toScreen } from "./view.js";
import { notice } from "./notice.js";

const stage = document.getElementById("stage");
const overlay = document.getElementById("overlay");

let tool = "edit"; // or outline, tube
let path = null; // the shape being drawn: { nodes, hover, bend }
let chosen = { shape: -1, node: -1 };
let drag = null;
let press = { time: 0, x: 0, y: 0 }; // the last press

const tracing = () => shot.step === "trace";
const round = (v) => Math.round(v * 100) / 100;
const tubeWidth = () => {
  const last = light()?.shapes.findLast((s) => s.kind === "tube");
  return last?.width ?? round(Math.max(shot.width, shot.height) / 150);
};

const make = (name, attrs, parent = overlay) => {
  const el = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [k, v] of Object.entries(attrs)) el.setAttribute(k, v);
  parent.append(el);
  return el;
};
const near = (a, b, d) => Math.hypot(a[0] - b[0], a[1] - b[1]) <= d;

// line gives the path's SVG data in screen pixels.
function line(nodes, closed) {
  const pt = (x, y) =>
    toScreen(x, y)
      .map((v) => v.toFixed(1))
      .join(" ");
  let d = `M${pt(nodes[0].x, nodes[0].y)}`;
  const count = closed ? nodes.length : nodes.length - 1;
  for (let i = 0; i < count; i++) {
    const a = nodes[i];
    const b = nodes[(i + 1) % nodes.length];
    const o = a.out ?? [0, 0];
    const n = b.in ?? [0, 0];
    if (o[0] || o[1] || n[0] || n[1])
      d += `C${pt(a.x + o[0], a.y + o[1])} ${pt(b.x + n[0], b.y + n[1])} ${pt(b.x, b.y)}`;
    else d += `L${pt(b.x, b.y)}`;
  }
  return closed ? `${d}Z` : d;
}

const isClosed = (s) => s.kind === "outline" || s.closed;

function drawShape(s, own, j) {
  const d = line(s.nodes, isClosed(s));
  const extra = `${own ? "" : " other"}${s.away ? " away" : ""}`;
  if (s.kind === "tube" && own) {
    // The tube's own width, faintly, so that it can be judged.
    const w = Math.hypot(...[0, 1].map((k) => toScreen(s.width, 0)[k] - toScreen(0, 0)[k]));
    make("path", {
      d,
      fill: "none",
      stroke: "#fff",
      "stroke-opacity": 0.16,
      "stroke-width": w,
      "stroke-linecap": "round",
      "stroke-linejoin": "round",
    });
  }
  make("path", { d, class: `under${extra}` });
  make("path", { d, class: `over${extra}` });
  return { d, j };
}

function nodesOf(j) {
  const s = light().shapes[j];
  return drag?.shape === j && drag.nodes ? drag.nodes : s.nodes;
}

function draw() {
  overlay.replaceChildren();
  if (!tracing()) return;
  const [ox, oy] = toScreen(0, 0);
  if (!Number.isFinite(ox + oy)) return;
  shot.lights.forEach((l, i) => {
    if (i === shot.light) return;
    for (const s of l.shapes) {
      const { d } = drawShape(s, false);
      if (tool === "edit") make("path", { d, class: "grab" }).dataset.light = i;
    }
  });
  const own = light()?.shapes ?? [];
  own.forEach((s, j) => drawShape({ ...s, nodes: nodesOf(j) }, true, j));
  if (tool === "edit") {
    own.forEach((s, j) => {
      const d = line(nodesOf(j), isClosed(s));
      if (s.kind === "outline") make("path", { d, class: "inside" }).dataset.inside = j;
      make("path", { d, class: "grab" }).dataset.side = j;
    });
    own.forEach((s, j) => drawNodes(nodesOf(j), j));
  }
  if (path) drawPath();
}

function drawNodes(nodes, j) {
  nodes.forEach((n, k) => {
    const [x, y] = toScreen(n.x, n.y);
    const isChosen = chosen.shape === j && chosen.node === k;
    if (isChosen || (chosen.shape === j && nodes.length <= 12)) {
      for (const end of ["in", "out"]) {
        const h = n[end];
        if (!h || (!h[0] && !h[1])) continue;
        const [hx, hy] = toScreen(n.x + h[0], n.y + h[1]);
        make("line", { x1: x, y1: y, x2: hx, y2: hy, class: "arm" });
        make("circle", { cx: hx, cy: hy, r: 3.5, class: "knob" });
        const hit = make("circle", { cx: hx, cy: hy, r: 12, class: "node-hit" });
        Object.assign(hit.dataset, { shape: j, node: k, end });
      }
    }
    const r = isChosen ? 4.5 : 3.5;
    make("rect", {
      x: x - r,
      y: y - r,
      width: 2 * r,
      height: 2 * r,
      class: `node${isChosen ? " chosen" : ""}`,
    });
    const hit = make("circle", { cx: x, cy: y, r: 12, class: "node-hit" });
    Object.assign(hit.dataset, { shape: j, node: k });
  });
}

function drawPath() {
  const nodes = [...path.nodes];
  if (path.hover && !path.bend) nodes.push({ x: path.hover[0], y: path.hover[1] });
  if (nodes.length > 1) {
    const d = line(nodes, false);
    make("path", { d, class: "under" });
    make("path", { d, class: "over" });
  }
  for (const n of path.nodes) {
    const [x, y] = toScreen(n.x, n.y);
    make("rect", { x: x - 3, y: y - 3, width: 6, height: 6, class: "node" });
  }
  if (path.nodes.length >= 3 && path.hover) {
    const first = toScreen(path.nodes[0].x, path.nodes[0].y);
    if (near(toScreen(...path.hover), first, 11))
      make("circle", { cx: first[0], cy: first[1], r: 9, class: "close-here" });
  }
  const last = path.nodes.at(-1);
  if (path.bend && last?.out) {
    const a = toScreen(last.x - last.out[0], last.y - last.out[1]);
    const b = toScreen(last.x + last.out[0], last.y + last.out[1]);
    make("line", { x1: a[0], y1: a[1], x2: b[0], y2: b[1], class: "arm" });
    for (const p of [a, b]) make("circle", { cx: p[0], cy: p[1], r: 3.5, class: "knob" });
  }
}

const hints = {
  outline: "Click for corners, drag for bends. Close it on the first point, or with Enter.",
  tube: "Click along the centre line, drag for bends. Enter ends it; the first point closes it.",
  edit: "Drag points, bends or whole outlines. Double-click a side to add a point, a point to turn corner to bend.",
};

function tell() {
  for (const b of document.querySelectorAll("[data-tool]"))
    b.setAttribute("aria-pressed", String(b.dataset.tool === tool));
  const hint = document.getElementById("trace-hint");
  if (hint) hint.textContent = hints[tool];
  stage.classList.toggle("tracing", tracing() && tool !== "edit");
  document.querySelectorAll("li[data-shape]").forEach((li) => {
    li.classList.toggle("chosen", Number(li.dataset.shape) === chosen.shape);
  });
}

export function setTool(name) {
  if (!tracing()) return;
  tool = name;
  path = null;
  tell();
  draw();
}

async function finish(closed) {
  const nodes = path.nodes.map((n) => {
    const out = { x: round(n.x), y: round(n.y) };
    if (n.out) Object.assign(out, { in: n.out.map((v) => round(-v)), out: n.out.map(round) });
    return out;
  });
  const least = tool === "outline" ? 3 : 2;
  if (nodes.length < least) {
    notice(
      "Too few points",
      tool === "outline" ? "An outline needs at least three points." : "A tube needs at least two points.",
      [],
      true,
    );
    return;
  }
  const shape = { kind: tool, nodes };
  if (tool === "tube") {
    shape.width = tubeWidth();
    if (closed) shape.closed = true;
  }
  if (document.getElementById("trace-away")?.checked && light()?.shapes.length) shape.away = true;
  path = null;
  chosen = { shape: light()?.shapes.length ?? 0, node: -1 };
  draw();
  const index = shot.light >= 0 ? shot.light : 0;
  await act("add-shape", { shape: JSON.stringify(shape), light: index });
}

const pointer = (e) => toPhoto(e.clientX, e.clientY);
// Points may lie outside of the photo, but not further than its own size away.
const within = ([x, y]) => [
  Math.min(Math.max(x, -shot.width), 2 * shot.width),
  Math.min(Math.max(y, -shot.height), 2 * shot.height),
];

stage.addEventListener(
  "pointerdown",
  (e) => {
    if (
      !tracing() ||
      space.down ||
      e.button !== 0 ||
      e.target.closest("button, .tools, #notice, #divider, #busy")
    )
      return;
    if (tool !== "edit") {
      startPoint(e);
      return;
    }
    // The overlay is drawn anew at each press, so the browser sees no double
    // click on anything in it.
    const twice = e.timeStamp - press.time < 400 && Math.hypot(e.clientX - press.x, e.clientY - press.y) < 5;
    press = { time: twice ? 0 : e.timeStamp, x: e.clientX, y: e.clientY };
    if (twice && light()) {
      e.preventDefault();
      doubled(e);
    } else startEdit(e);
  },
  true,
);

function startPoint(e) {
  e.preventDefault();
  stage.focus({ preventScroll: true });
  stage.setPointerCapture(e.pointerId);
  const p = within(pointer(e));
  if (path && path.nodes.length >= 2) {
    const first = path.nodes[0];
    const closes = near(toScreen(...p), toScreen(first.x, first.y), 11);
    if (closes && path.nodes.length >= 3) {
      finish(true);
      return;
    }
    const end = path.nodes.at(-1);
    if (tool === "tube" && near(toScreen(...p), toScreen(end.x, end.y), 4)) {
      finish(false); // a click on the last point ends a tube
      return;
    }
  }
  path ??= { nodes: [] };
  path.nodes.push({ x: p[0], y: p[1] });
  path.bend = { id: e.pointerId, x: e.clientX, y: e.clientY };
  draw();
}

// pointAt returns the point or the end of an arm that lies nearest to a place
// on the screen. Points of small shapes lie closer than a finger is wide, so what
// the browser has on top says little.
function pointAt(e, reach = 12) {
  const r = stage.getBoundingClientRect();
  const x = e.clientX - r.left;
  const y = e.clientY - r.top;
  let best = null;
  for (const el of overlay.querySelectorAll(".node-hit")) {
    const gap = Math.hypot(el.getAttribute("cx") - x, el.getAttribute("cy") - y);
    if (gap <= reach && gap < (best?.gap ?? Infinity)) best = { gap, data: el.dataset };
  }
  return best?.data;
}

function startEdit(e) {
  const d = pointAt(e) ?? e.target.dataset ?? {};
  const from = pointer(e);
  if (d.light !== undefined) {
    e.preventDefault();
    show("trace", Number(d.light));
    return;
  }
  const take = (shape, extra) => {
    e.preventDefault();
    stage.focus({ preventScroll: true });
    stage.setPointerCapture(e.pointerId);
    drag = { shape, from, id: e.pointerId, moved: false, start: light().shapes[shape].nodes, ...extra };
  };
  if (d.node !== undefined) {
    chosen = { shape: Number(d.shape), node: Number(d.node) };
    take(chosen.shape, { node: chosen.node, end: d.end });
  } else if (d.side !== undefined || d.inside !== undefined) {
    chosen = { shape: Number(d.side ?? d.inside), node: -1 };
    take(chosen.shape, { whole: true });
  } else {
    chosen = { shape: -1, node: -1 };
  }
  tell();
  draw();
}

stage.addEventListener("pointermove", (e) => {
  if (!tracing()) return;
  if (path) {
    path.hover = pointer(e);
    if (path.bend && Math.hypot(e.clientX - path.bend.x, e.clientY - path.bend.y) > 4) {
      const n = path.nodes.at(-1);
      n.out = [path.hover[0] - n.x, path.hover[1] - n.y];
    }
    draw();
  } else if (drag) {
    const p = pointer(e);
    if (!drag.moved && near(toScreen(...p), toScreen(...drag.from), 2.5)) return;
    drag.moved = true;
    moveNodes(p, e.altKey);
    stage.classList.add("dragging-value");
    setDraft([set(`/lights/${shot.light}/shapes/${drag.shape}/nodes`, drag.nodes)]);
    draw();
  }
});

function moveNodes(p, apart) {
  const dx = p[0] - drag.from[0];
  const dy = p[1] - drag.from[1];
  const shift = (n) => {
    const [x, y] = within([n.x + dx, n.y + dy]);
    return { ...n, x: round(x), y: round(y) };
  };
  drag.nodes = drag.start.map((n, k) => {
    if (drag.whole) return shift(n);
    if (k !== drag.node) return n;
    if (!drag.end) return shift(n);
    const h = [round(p[0] - n.x), round(p[1] - n.y)];
    const other = drag.end === "in" ? "out" : "in";
    const out = { ...n, [drag.end]: h };
    // A bend stays smooth: the other arm keeps its length and turns along.
    const o = n[other];
    if (!apart && o && (o[0] || o[1])) {
      const k2 = Math.hypot(...o) / Math.max(Math.hypot(...h), 1e-6);
      out[other] = [round(-h[0] * k2), round(-h[1] * k2)];
    }
    return out;
  });
}

for (const kind of ["pointerup", "pointercancel"])
  stage.addEventListener(kind, async (e) => {
    if (path?.bend?.id === e.pointerId) {
      path.bend = null;
      draw();
    }
    if (drag?.id === e.pointerId) {
      stage.classList.remove("dragging-value");
      const d = drag;
      if (d.moved) await commit([set(`/lights/${shot.light}/shapes/${d.shape}/nodes`, d.nodes)]);
      drag = null;
      draw();
    }
  });

// doubled does what a double click asks for: on a point it turns a corner into
// a bend and back, on a side it adds a point.
function doubled(e) {
  const hit = pointAt(e, 6);
  if (hit?.end) return;
  if (!hit) {
    // Beside a point, as far as that is grabbed from, lies a side too.
    const d = e.target.dataset ?? {};
    const j = d.side ?? d.inside ?? d.shape;
    if (j !== undefined) addNode(Number(j), pointer(e));
    return;
  }
  const s = light().shapes[hit.shape];
  const k = Number(hit.node);
  const n = s.nodes[k];
  const next = { x: n.x, y: n.y };
  if (!n.out?.[0] && !n.out?.[1]) {
    const from = s.nodes[(k + s.nodes.length - 1) % s.nodes.length];
    const to = s.nodes[(k + 1) % s.nodes.length];
    const t = [(to.x - from.x) / 6, (to.y - from.y) / 6];
    Object.assign(next, { in: t.map((v) => round(-v)), out: t.map(round) });
  }
  commit([set(`/lights/${shot.light}/shapes/${hit.shape}/nodes/${k}`, next)]);
}

// addNode splits the side nearest to p there (de Casteljau), so that the curve
// keeps its course.
function addNode(j, p) {
  const s = light().shapes[j];
  const count = isClosed(s) ? s.nodes.length : s.nodes.length - 1;
  let best = { d: Infinity };
  const mix = (a, b, t) => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t];
  for (let i = 0; i < count; i++) {
    const a = s.nodes[i];
    const b = s.nodes[(i + 1) % s.nodes.length];
    const c = [
      [a.x, a.y],
      [a.x + (a.out?.[0] ?? 0), a.y + (a.out?.[1] ?? 0)],
      [b.x + (b.in?.[0] ?? 0), b.y + (b.in?.[1] ?? 0)],
      [b.x, b.y],
    ];
    const straight = !(a.out?.[0] || a.out?.[1] || b.in?.[0] || b.in?.[1]);
    for (let k = 1; k < 60; k++) {
      const t = k / 60;
      const q = straight
        ? [mix(c[0], c[3], t)]
        : [mix(c[0], c[1], t), mix(c[1], c[2], t), mix(c[2], c[3], t)];
      const r = straight ? null : [mix(q[0], q[1], t), mix(q[1], q[2], t)];
      const m = straight ? q[0] : mix(r[0], r[1], t);
      const d = Math.hypot(m[0] - p[0], m[1] - p[1]);
      if (d < best.d) best = { d, i, m, q, r, straight, a, b };
    }
  }
  const nodes = s.nodes.map((n) => ({ ...n }));
  const at = best.i + 1;
  const off = (v, o) => [round(v[0] - o[0]), round(v[1] - o[1])];
  const mid = { x: round(best.m[0]), y: round(best.m[1]) };
  if (!best.straight) {
    nodes[best.i].out = off(best.q[0], [best.a.x, best.a.y]);
    nodes[at % nodes.length].in = off(best.q[2], [best.b.x, best.b.y]);
    Object.assign(mid, { in: off(best.r[0], best.m), out: off(best.r[1], best.m) });
  }
  nodes.splice(at, 0, mid);
  chosen = { shape: j, node: at };
  commit([set(`/lights/${shot.light}/shapes/${j}/nodes`, nodes)]);
}

// key handles the keys of tracing and says whether it did.
export function key(e) {
  if (!tracing()) return false;
  const back =
    e.key === "Backspace" || e.key === "Delete" || (e.key === "z" && (e.ctrlKey || e.metaKey) && path);
  if (path && e.key === "Escape") path = null;
  else if (path && e.key === "Enter") {
    finish(false);
    return true;
  } else if (path && back) {
    path.nodes.pop();
    if (!path.nodes.length) path = null;
  } else if (e.key === "Escape" && tool !== "edit") setTool("edit");
  else if (e.key === "Escape" && chosen.shape >= 0) chosen = { shape: -1, node: -1 };
  else if (back && e.key !== "z" && chosen.shape >= 0) removeChosen();
  else return false;
  tell();
  draw();
  return true;
}

function removeChosen() {
  const s = light().shapes[chosen.shape];
  const base = `/lights/${shot.light}/shapes/${chosen.shape}`;
  const least = s.kind === "outline" ? 3 : 2;
  if (chosen.node >= 0 && s.nodes.length > least)
    commit([{ op: "remove", path: `${base}/nodes/${chosen.node}` }]);
  else commit([{ op: "remove", path: base }]);
  chosen = { shape: -1, node: -1 };
}

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-tool], [data-pick]");
  if (b?.dataset.tool) {
    setTool(b.dataset.tool);
    stage.focus({ preventScroll: true });
  } else if (b) {
    chosen = { shape: Number(b.dataset.pick), node: -1 };
    tell();
    draw();
  }
});

let stepBefore = shot.step;
let lightBefore = shot.light;
function fresh() {
  if (shot.step !== stepBefore || shot.light !== lightBefore) {
    path = null;
    chosen = { shape: -1, node: -1 };
    // With nothing traced yet, tracing is what one comes for.
    if (shot.step === "trace" && shot.step !== stepBefore) tool = light()?.shapes.length ? "edit" : "outline";
    if (lightBefore !== shot.light && shot.step === "trace" && !light()?.shapes.length) tool = "outline";
  }
  stepBefore = shot.step;
  lightBefore = shot.light;
  const s = light()?.shapes[chosen.shape];
  if (!s || chosen.node >= s.nodes.length) chosen = { shape: s ? chosen.shape : -1, node: -1 };
  tell();
  draw();
}

on("change", fresh);
onMove(draw);
if (tracing() && !light()?.shapes.length) tool = "outline";
fresh();
