// Moves, scales, turns and skews whole shapes, or sets the corners of their box freely: of the
// shapes that were chosen, or of all of the light.
import { arrow } from "../bindings.js";
import { bare } from "../forms.js";
import { keep, kept } from "../local.js";
import { near } from "../path.js";
import { make } from "../svg.js";
import { about, boxOf, fourCorners, mapped, moving, turning } from "../transform.js";
import { target } from "../target.js";
import { toScreen } from "../view.js";
import { commit, set, setDraft } from "../store.js";

let chosen = new Set(); // indexes; none means all
let drag = null; // { grip, from, box, id, shapes, made }
const stage = document.getElementById("stage");

const all = () =>
  target
    .shapes()
    .map((s, j) => [j, s])
    .filter(([, s]) => s && (s.nodes || s.kind === "ellipse"));
const own = () => all().filter(([j]) => !chosen.size || chosen.has(j));
const box = () => boxOf(own().map(([, s]) => s));

// The grips: corners and middles of the sides, by where they lie in the box, and what turns it.
const spots = [0, 0.5, 1]
  .flatMap((v) => [0, 0.5, 1].map((u) => [u, v]))
  .filter(([u, v]) => u !== 0.5 || v !== 0.5);
const knob = (b) => {
  const [x, y] = toScreen(b.x + b.w / 2, b.y);
  // Outwards, wherever that is.
  const [dx, dy] = toScreen(b.x + b.w / 2, b.y - 1).map((v, i) => v - [x, y][i]);
  const k = 26 / Math.max(Math.hypot(dx, dy), 1e-9);
  return [x + dx * k, y + dy * k];
};

function gripAt(at, b) {
  if (near(at.screen, knob(b), 12)) return { turn: true };
  for (const [u, v] of spots)
    if (near(at.screen, toScreen(b.x + b.w * u, b.y + b.h * v), 11)) return { u, v };
  return null;
}

// matrix gives the map that a drag makes of the box.
function matrix(at) {
  const { grip, from, box: b } = drag;
  const [dx, dy] = [at.photo[0] - from[0], at.photo[1] - from[1]];
  const middle = [b.x + b.w / 2, b.y + b.h / 2];
  if (!grip)
    return moving(
      at.shift && Math.abs(dy) > Math.abs(dx) ? 0 : dx,
      at.shift && Math.abs(dx) >= Math.abs(dy) ? 0 : dy,
    );
  if (grip.turn) {
    const angle = (p) => Math.atan2(p[1] - middle[1], p[0] - middle[0]);
    let by = angle(at.photo) - angle(from);
    if (at.shift) by = (Math.round(by / (Math.PI / 12)) * Math.PI) / 12;
    return turning(middle, by);
  }
  const { u, v } = grip;
  if (at.alt) {
    if (u !== 0.5 && v !== 0.5) {
      // One corner by itself.
      const p = [
        [b.x, b.y],
        [b.x + b.w, b.y],
        [b.x + b.w, b.y + b.h],
        [b.x, b.y + b.h],
      ];
      const k = v ? (u ? 2 : 3) : u ? 1 : 0;
      p[k] = [p[k][0] + dx, p[k][1] + dy];
      return fourCorners(b, p);
    }
    // A side along itself.
    const fixed = [b.x + b.w * (1 - u), b.y + b.h * (1 - v)];
    return u === 0.5
      ? about(fixed, 1, (dx / b.h) * (v ? 1 : -1), 0, 1)
      : about(fixed, 1, 0, (dy / b.w) * (u ? 1 : -1), 1);
  }
  const fixed = [b.x + b.w * (1 - u), b.y + b.h * (1 - v)];
  let kx = u === 0.5 ? 1 : 1 + (dx / b.w) * (u ? 1 : -1);
  let ky = v === 0.5 ? 1 : 1 + (dy / b.h) * (v ? 1 : -1);
  // A corner keeps proportions, but with Shift.
  if (u !== 0.5 && v !== 0.5 && !at.shift) kx = ky = Math.abs(kx - 1) > Math.abs(ky - 1) ? kx : ky;
  return Math.abs(kx) > 1e-3 && Math.abs(ky) > 1e-3 ? about(fixed, kx, 0, 0, ky) : null;
}

// stands gives a shape as it stands in the recipe: in an area it is its part that takes away.
const stands = (s) => ({ ...bare(s), ...(s.away && !target.area() && { away: true }) });
const put = (list) => list.map(([j, s]) => set(target.shapes()[j].path, stands(s)));

// change maps the chosen shapes in one step; with copies it leaves them and adds what becomes
// of them.
async function change(m, copies = false) {
  const list = own().map(([j, s]) => [j, mapped(s, m)]);
  if (!list.length) return;
  if (!copies) return commit(put(list));
  const before = target.shapes().length;
  await target.addAll(list.map(([, s]) => stands(s)));
  chosen = new Set(list.map((_, k) => before + k));
}

export const transform = {
  name: "transform",
  label: "Transform",
  key: "m",
  hint: "Drag the shapes, a handle to scale, the knob to rotate.",
  mods: [
    ["Shift", "free proportions, steps of 15°"],
    ["Alt", "one corner, or skew a side"],
    ["Shift + click", "add a shape"],
  ],
  keys: [
    {
      keys: "arrows",
      yields: true,
      label: "Move the shapes by 1 px; with Shift by 10",
      when: () => own().length > 0,
      run(e) {
        const by = arrow(e);
        const k = e.shiftKey ? 10 : 1;
        change(moving(by[0] * k, by[1] * k));
      },
    },
    // Shapes go to other lights and other shots by the page's own clipboard.
    {
      keys: "Mod+c",
      label: "Copy the shapes",
      when: () => own().length > 0,
      run: () => keep(shelf, JSON.stringify(own().map(([, s]) => stands(s)))),
    },
    { keys: "Mod+v", label: "Paste shapes", when: () => Boolean(kept(shelf)), run: () => void paste() },
    {
      keys: "Backspace Delete",
      label: "Delete the shapes",
      when: () => chosen.size > 0,
      run() {
        // The last first, so that the others keep their places.
        const list = [...chosen].sort((a, b) => b - a).map((j) => target.removal(j));
        chosen = new Set();
        commit(list);
      },
    },
  ],
  grabs: true,
  take() {
    drag = null;
    chosen = new Set();
  },
  down(at) {
    const b = box();
    const grip = b && gripAt(at, b);
    const hit = at.hit.side ?? at.hit.inside;
    if (!grip) {
      if (hit === undefined) return false;
      const j = Number(hit);
      if (at.shift && chosen.size) {
        if (chosen.has(j)) chosen.delete(j);
        else chosen.add(j);
      } else if (!chosen.has(j) && chosen.size) chosen = new Set([j]);
    }
    drag = {
      grip,
      hit: hit === undefined ? -1 : Number(hit),
      from: at.photo,
      screen: at.screen,
      box: box(),
      shapes: own(),
      id: at.id,
    };
  },
  move(at) {
    if (!drag) return false;
    if (!drag.made && near(at.screen, drag.screen, 3)) return false;
    const m = matrix(at);
    if (!m) return false;
    drag.made = drag.shapes.map(([j, s]) => [j, mapped(s, m)]);
    stage.classList.add("dragging-value");
    setDraft(put(drag.made));
    return true;
  },
  async up(at) {
    if (drag?.id !== at.id) return;
    stage.classList.remove("dragging-value");
    const { made, grip, hit } = drag;
    if (made) await commit(put(made));
    else if (!grip && !at.shift && hit >= 0) chosen = new Set([hit]);
    drag = null;
  },
  cancel() {
    const was = chosen.size > 0;
    chosen = new Set();
    return was;
  },
  held: (j, s) => drag?.made?.find(([k]) => k === j)?.[1] ?? s,
  changed() {
    const n = target.shapes().length;
    chosen = new Set([...chosen].filter((j) => j < n && target.shapes()[j]));
  },
  overlay(layer) {
    const list = drag?.made ?? own();
    const b = boxOf(list.map(([, s]) => s));
    if (!b) return;
    const corner = (u, v) => toScreen(b.x + b.w * u, b.y + b.h * v);
    const d = `M${[corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)].map((p) => p.map((v) => v.toFixed(1)).join(" ")).join("L")}Z`;
    make("path", { d, class: "under" }, layer);
    make("path", { d, class: "over faint" }, layer);
    const [kx, ky] = knob(b);
    const [tx, ty] = corner(0.5, 0);
    make("line", { x1: tx, y1: ty, x2: kx, y2: ky, class: "arm" }, layer);
    make("circle", { cx: kx, cy: ky, r: 5, class: "knob" }, layer);
    for (const [u, v] of spots) {
      const [x, y] = corner(u, v);
      make("rect", { x: x - 4, y: y - 4, width: 8, height: 8, class: "node" }, layer);
    }
  },
};

const shelf = "pyrant shapes";
async function paste() {
  const before = target.shapes().length;
  const list = JSON.parse(kept(shelf));
  await target.addAll(list);
  chosen = new Set(list.map((_, k) => before + k));
}

// toLight moves the chosen shapes to another light, in one step.
function toLight(id) {
  const list = own();
  if (!list.length) return;
  const ops = list.map(([, s]) => set(`/lights/id:${id}/shapes/-`, stands(s), "add"));
  for (const [j] of [...list].reverse()) ops.push(target.removal(j));
  chosen = new Set();
  commit(ops);
}

// mirror turns the chosen shapes over, to and fro or up and down.
function mirror(upright) {
  const b = box();
  if (!b) return;
  const p = [b.x + b.w / 2, b.y + b.h / 2];
  change(upright ? about(p, 1, 0, 0, -1) : about(p, -1, 0, 0, 1));
}

const acts = {
  copy: () => change(moving(0, 0), true),
  across: () => mirror(false),
  upright: () => mirror(true),
};

document.addEventListener("click", (e) => acts[e.target.closest?.("[data-shapes]")?.dataset.shapes]?.());
document.addEventListener("change", (e) => {
  if (e.target.id !== "shapes-to" || e.target.value === "") return;
  toLight(e.target.value);
});
