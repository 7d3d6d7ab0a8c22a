// The falloff chart: each shell a handle at its radius and strength, over the
// summed profile and its colours, which the core computes. A double click adds a
// shell, one that is dragged out of the chart goes, and with Shift several are chosen
// and dragged as one. The pointer's distance from the light on the photo is marked,
// and a shell that the pointer is over shows its radius there.
import { keptFocus } from "./focus.js";
import { ask, post } from "./ask.js";
import { add, commit, csrf, draft, light, lightPath, on, set, setDraft, shot } from "./store.js";
import { distanceAt, ring } from "./rings.js";
import { make } from "./svg.js";
import { toPhoto } from "./view.js";

const W = 300;
const H = 150;
const box = { left: 12, right: 290, top: 12, bottom: 118 };
let chosen = 0;
let also = new Set(); // further shells that are dragged with the chosen one
const focusedShell = keptFocus("shellHandle");
let drag = null; // { index, others, value, going, … }
let pointer = null; // distance of the pointer on the photo from the light's edge
let curve = null;
const count = 72; // points of the curve

const svg = () => document.getElementById("falloff");
const range = () => {
  const l = light();
  const widest = Math.max(...l.shells.map((s) => s.radius), Math.max(shot.width, shot.height) / 60);
  return { from: Math.max(0.3, Math.max(shot.width, shot.height) / 12000), to: widest * 2.2 };
};
let span = { from: 0.5, to: 400 };

const xOf = (r) =>
  box.left +
  (Math.log(Math.max(r, span.from) / span.from) / Math.log(span.to / span.from)) * (box.right - box.left);
const rOf = (x) => span.from * (span.to / span.from) ** ((x - box.left) / (box.right - box.left));
// The chart ends where the recipe's strength does. It is drawn by its square root:
// most of a stack lies below a half.
const most = () => Number(svg().dataset.strengthMost);
const yOf = (s) => box.bottom - Math.sqrt(Math.min(s / most(), 1)) * (box.bottom - box.top);
const sOf = (y) => most() * Math.min(Math.max((box.bottom - y) / (box.bottom - box.top), 0), 1) ** 2;

const tidy = (v) => Number(v.toPrecision(3));

function shells() {
  const list = light().shells.map((s) => ({ ...s }));
  if (drag) for (const [i, v] of Object.entries(values())) Object.assign(list[i], v);
  return list;
}

function draw() {
  const el = svg();
  if (!el) return;
  const focused = focusedShell();
  el.replaceChildren();
  for (const r of [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000]) {
    if (r < span.from * 1.1 || r > span.to * 0.95) continue;
    make("line", { x1: xOf(r), x2: xOf(r), y1: box.top - 4, y2: box.bottom, class: "grid-line" }, el);
    make("text", { x: xOf(r), y: 146, "text-anchor": "middle" }, el).textContent = r;
  }
  // Above, the same in parts of a thousand of the long edge.
  const long = Math.max(shot.width, shot.height);
  for (const v of [0.1, 0.5, 2, 10, 50]) {
    const x = xOf((v * long) / 1000);
    if (x < box.left + 8 || x > box.right - 8) continue;
    make("line", { x1: x, x2: x, y1: box.top - 4, y2: box.top - 1, class: "grid-line" }, el);
    make("text", { x, y: 9, "text-anchor": "middle", class: "share" }, el).textContent = `${v} ‰`;
  }
  const fill = make("linearGradient", { id: "falloff-colours" }, make("defs", {}, el));
  for (let i = 0; i < count; i++) make("stop", { offset: i / (count - 1) }, fill);
  const strip = { x: box.left, y: 124, width: box.right - box.left, height: 8 };
  make("rect", { ...strip, fill: "url(#falloff-colours)" }, el);
  make("polyline", { class: "curve" }, el);
  shells().forEach((s, i) => {
    const x = xOf(s.radius);
    const y = yOf(s.strength);
    make("line", { x1: x, x2: x, y1: y, y2: box.bottom, class: "stem" }, el);
    const hit = make("circle", { cx: x, cy: y, r: 12, class: "hit" }, el);
    hit.dataset.shellHit = i;
    const h = make(
      "circle",
      {
        cx: x,
        cy: y,
        r: i === chosen ? 6.5 : 5,
        class: `handle${i === chosen ? " chosen" : also.has(i) ? " also" : ""}${drag?.going && drag.index === i ? " going" : ""}`,
        fill: curve?.tints[i] ?? "#bbb",
        tabindex: 0,
        role: "slider",
        "aria-label": `Shell ${i + 1}`,
        "aria-valuenow": Math.round(100 * s.strength),
        "aria-valuetext": `radius ${tidy(s.radius)} px, strength ${Math.round(100 * s.strength)} %`,
      },
      el,
    );
    h.dataset.shellHandle = i;
    if (focused === String(i)) h.focus();
  });
  make("g", { class: "where" }, el);
  where();
  colour();
  mark();
}

// where marks the pointer's distance on the photo.
function where() {
  const el = svg()?.querySelector(".where");
  if (!el) return;
  el.replaceChildren();
  if (pointer !== null && pointer >= span.from && pointer <= span.to) {
    const x = xOf(pointer);
    make("line", { x1: x, x2: x, y1: box.top, y2: box.bottom, class: "pointer" }, el);
    const side = x > 240 ? { x: x - 4, "text-anchor": "end" } : { x: x + 4 };
    make("text", { ...side, y: box.top + 8, class: "at" }, el).textContent = `${tidy(pointer)} px`;
  }
}

// colour gives what draw made the curve and the colours that the core computed.
function colour() {
  const el = svg();
  if (!el || !curve) return;
  const step = (box.right - box.left) / (count - 1);
  const points = curve.line.map(
    (v, i) => `${box.left + i * step},${box.bottom - v * (box.bottom - box.top)}`,
  );
  el.querySelector(".curve")?.setAttribute("points", points.join(" "));
  el.querySelectorAll("stop").forEach((stop, i) => stop.setAttribute("stop-color", curve.strip[i]));
  el.querySelectorAll(".stem").forEach((stem, i) => stem.setAttribute("stroke", curve.tints[i] ?? "#ccc"));
  el.querySelectorAll(".handle").forEach((h, i) => h.setAttribute("fill", curve.tints[i] ?? "#ccc"));
}

// mark shows the chosen shell in the table, with its further settings.
function mark() {
  document.querySelectorAll("tr[data-shell]").forEach((tr) => {
    tr.classList.toggle("chosen", Number(tr.dataset.shell) === chosen);
  });
  document.querySelectorAll("tr[data-more]").forEach((tr) => {
    tr.hidden = Number(tr.dataset.more) !== chosen || !open;
  });
}
let open = false;

// load asks for the curve, one request at a time, the newest last.
let loading = false;
let again = false;
async function load() {
  if (!svg() || !light()) return;
  if (loading) {
    again = true;
    return;
  }
  loading = true;
  try {
    curve = await ask(
      `/shots/${shot.id}/falloff`,
      post({ patch: draft, light: light().id, count, from: span.from, to: span.to }, csrf()),
    );
  } catch {
    // The chart keeps its last curve; the next change asks again.
  }
  colour();
  // The picture comes first: while a value is dragged the chart takes its turn
  // ten times a second.
  setTimeout(() => {
    loading = false;
    if (again) {
      again = false;
      load();
    }
  }, 100);
}

function fresh() {
  if (!svg() || !light()) return;
  if (!drag) {
    span = range();
    chosen = Math.min(chosen, Math.max(light().shells.length - 1, 0));
  }
  draw();
  load();
}

const at = (e) => {
  const r = svg().getBoundingClientRect();
  return { x: ((e.clientX - r.left) * W) / r.width, y: ((e.clientY - r.top) * H) / r.height };
};

// values gives what the drag makes of each shell that it moves: the others go by the same
// ratios as the one in the hand.
function values() {
  const own = light().shells;
  const was = own[drag.index];
  const out = { [drag.index]: drag.value };
  const [r, k] = [
    drag.value.radius / Math.max(was.radius, 0.01),
    drag.value.strength / Math.max(was.strength, 0.01),
  ];
  for (const i of drag.others ?? [])
    out[i] = {
      radius: Math.min(tidy(own[i].radius * r), Number(svg().dataset.radiusMost)),
      strength: Math.min(Number((own[i].strength * k).toFixed(2)), most()),
    };
  return out;
}

const patch = () => {
  const path = (i) => lightPath(`shells/id:${light().shells[i].id}`);
  if (drag.going) return [{ op: "remove", path: path(drag.index) }];
  return Object.entries(values()).flatMap(([i, v]) => [
    set(`${path(i)}/radius`, v.radius),
    set(`${path(i)}/strength`, v.strength),
  ]);
};

function follow() {
  setDraft(patch());
  draw();
}

document.addEventListener("pointerdown", (e) => {
  const hit = e.target.dataset?.shellHit ?? e.target.dataset?.shellHandle;
  if (hit === undefined) return;
  e.preventDefault();
  const index = Number(hit);
  if (e.shiftKey) {
    // Into the choice, or out of it.
    if (index !== chosen && !also.delete(index)) also.add(index);
    draw();
    return;
  }
  if (index !== chosen && !also.has(index)) also = new Set();
  else if (also.delete(index)) also.add(chosen);
  chosen = index;
  const s = light().shells[chosen];
  const p = at(e);
  drag = {
    index: chosen,
    others: [...also],
    value: { radius: s.radius, strength: s.strength },
    dx: xOf(s.radius) - p.x,
    dy: yOf(s.strength) - p.y,
    moved: false,
  };
  svg().setPointerCapture(e.pointerId);
  document.getElementById("stage").classList.add("dragging-value");
  draw();
});
document.addEventListener("pointermove", (e) => {
  if (!drag) return;
  const p = at(e);
  drag.moved = true;
  // Well out of the chart, upwards or down, a shell is thrown away.
  drag.going = !drag.others.length && (p.y < -45 || p.y > H + 45);
  const r = rOf(Math.min(Math.max(p.x + drag.dx, box.left), box.right));
  drag.value = {
    radius: Math.min(tidy(r), Number(svg().dataset.radiusMost)),
    strength: Number(sOf(p.y + drag.dy).toFixed(2)),
  };
  follow();
});
for (const kind of ["pointerup", "pointercancel"])
  document.addEventListener(kind, async () => {
    if (!drag) return;
    document.getElementById("stage").classList.remove("dragging-value");
    const done = drag.moved ? patch() : null;
    if (done) await commit(done);
    drag = null;
    fresh();
  });

document.addEventListener("keydown", (e) => {
  const index = e.target.dataset?.shellHandle;
  if (index === undefined) return;
  const s = light().shells[Number(index)];
  const big = e.shiftKey ? 5 : 1;
  const value = { radius: s.radius, strength: s.strength };
  if (e.key === "ArrowUp" || e.key === "ArrowDown")
    value.strength = Math.min(Math.max(s.strength + (e.key === "ArrowUp" ? 0.01 : -0.01) * big, 0), most());
  else if (e.key === "ArrowLeft" || e.key === "ArrowRight")
    value.radius = Math.min(
      tidy(Math.max(s.radius, 0.1) * 1.03 ** (e.key === "ArrowRight" ? big : -big)),
      Number(svg().dataset.radiusMost),
    );
  else if (e.key === "Delete") {
    commit([{ op: "remove", path: lightPath(`shells/id:${s.id}`) }]);
    return;
  } else return;
  e.preventDefault();
  chosen = Number(index);
  value.strength = Number(value.strength.toFixed(4)); // of 0.07 + 0.01 a number is not 0.08
  drag = { index: chosen, value };
  const p = patch();
  drag = null;
  commit(p);
});

document.addEventListener("click", (e) => {
  const pick = e.target.closest("[data-shell-pick]")?.dataset.shellPick;
  if (pick === undefined) return;
  open = !(open && chosen === Number(pick));
  chosen = Number(pick);
  draw();
});

// A double click on the chart is a new shell there.
document.addEventListener("dblclick", (e) => {
  if (!svg()?.contains(e.target) || e.target.dataset.shellHit || e.target.dataset.shellHandle) return;
  const p = at(e);
  if (p.y > box.bottom) return;
  const path = lightPath("shells");
  const value = {
    radius: tidy(rOf(Math.min(Math.max(p.x, box.left), box.right))),
    strength: Number(sOf(p.y).toFixed(2)),
  };
  // The stack stays in order.
  commit([add(path, value), { op: "stack", path, value: {} }]);
});

// What the pointer is over: a shell here, or a place of the photo.
document.addEventListener("pointerover", (e) => {
  const index =
    e.target.dataset?.shellHit ??
    e.target.dataset?.shellHandle ??
    e.target.closest?.("tr[data-shell]")?.dataset.shell;
  ring(svg() && index !== undefined ? (shells()[index]?.radius ?? null) : null);
});
const stage = document.getElementById("stage");
function over(d) {
  if (pointer === d || !svg()) return;
  pointer = d;
  where();
}
stage.addEventListener("pointermove", (e) => {
  if (svg() && light() && !drag) over(distanceAt(...toPhoto(e.clientX, e.clientY)));
});
stage.addEventListener("pointerleave", () => over(null));

let stack = "";
on("change", () => {
  const stackNow = `${light()?.id} ${light()?.shells.length}`;
  if (stackNow !== stack) also = new Set();
  stack = stackNow;
  fresh();
});
on("draft", load);
fresh();
