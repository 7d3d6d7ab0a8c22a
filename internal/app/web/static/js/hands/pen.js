// What outline and tube have in common: points set by clicks, bends drawn by
// dragging from them.
import { least, line, near, tidy } from "../path.js";
import { notice } from "../notice.js";
import { make } from "../svg.js";
import { snapped } from "../snap.js";
import { target } from "../target.js";
import { toScreen } from "../view.js";

// pen makes a hand of what is particular to one: its name, label, key and hint, what it
// says of too few points, the shape that it makes of nodes, and what the photo makes of that.
export function pen({ name, label, key, hint, few, ends, shape, begin, measured = (s) => s }) {
  let path = null; // { nodes, hover, bend }
  const on = (n) => toScreen(n.x, n.y);

  async function finish(closed) {
    const nodes = path.nodes.map((n) => tidy(n.out ? { ...n, in: n.out.map((v) => -v) } : n));
    if (nodes.length < least(name)) {
      notice("Too few nodes", few, [], true);
      return;
    }
    const made = shape(nodes, closed);
    path = null;
    await target.add(await measured(made));
  }

  // drop deletes the last node, and says whether there was one.
  function drop() {
    if (!path) return false;
    path.nodes.pop();
    if (!path.nodes.length) path = null;
    else path.bend = null;
    return true;
  }

  return {
    name,
    label,
    key,
    hint,
    cursor: true,
    take() {
      path = null;
      begin?.();
    },
    down(at) {
      if (path && path.nodes.length >= 2) {
        if (path.nodes.length >= 3 && near(at.screen, on(path.nodes[0]), 11)) return finish(true);
        if (ends && near(at.screen, on(path.nodes.at(-1)), 4)) return finish(false);
      }
      path ??= { nodes: [] };
      const [x, y] = snapped(at, at.photo);
      path.nodes.push({ x, y });
      path.bend = { id: at.id, screen: at.screen };
    },
    move(at) {
      if (!path) return false;
      path.hover = path.bend ? at.photo : snapped(at, at.photo);
      if (path.bend && !near(at.screen, path.bend.screen, 4)) {
        const n = path.nodes.at(-1);
        n.out = [at.photo[0] - n.x, at.photo[1] - n.y];
      }
      return true;
    },
    up(at) {
      if (path?.bend?.id === at.id) path.bend = null;
    },
    keys: [
      { keys: "Enter", label: "Finish the shape", when: () => Boolean(path), run: () => void finish(false) },
      {
        keys: "Backspace Delete",
        label: "Delete the last node",
        when: () => Boolean(path),
        run: () => void drop(),
      },
    ],
    undo: drop,
    // A second finger takes the node back that the first one set.
    interrupt: drop,
    cancel() {
      const was = path;
      path = null;
      return Boolean(was);
    },
    overlay(layer) {
      if (!path) return;
      const nodes = [...path.nodes];
      if (path.hover && !path.bend) nodes.push({ x: path.hover[0], y: path.hover[1] });
      if (nodes.length > 1) {
        const d = line(nodes, false, toScreen);
        make("path", { d, class: "under" }, layer);
        make("path", { d, class: "over" }, layer);
      }
      for (const n of path.nodes) {
        const [x, y] = on(n);
        make("rect", { x: x - 3, y: y - 3, width: 6, height: 6, class: "node" }, layer);
      }
      if (path.nodes.length >= 3 && path.hover) {
        const first = on(path.nodes[0]);
        if (near(toScreen(...path.hover), first, 11))
          make("circle", { cx: first[0], cy: first[1], r: 9, class: "close-here" }, layer);
      }
      const last = path.nodes.at(-1);
      if (path.bend && last?.out) {
        const a = toScreen(last.x - last.out[0], last.y - last.out[1]);
        const b = toScreen(last.x + last.out[0], last.y + last.out[1]);
        make("line", { x1: a[0], y1: a[1], x2: b[0], y2: b[1], class: "arm" }, layer);
        for (const p of [a, b]) make("circle", { cx: p[0], cy: p[1], r: 3.5, class: "knob" }, layer);
      }
    },
  };
}
