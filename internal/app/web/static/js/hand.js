// Carries out the hand that is taken up: it turns the pointer's events into places on
// the photo, draws the shapes and what the hand has in the making over it, and says
// what the hand does. The overlay is SVG in screen pixels over the canvas, so that
// lines stay thin at every zoom.
import { byContext, context } from "./hands/index.js";
import { choose, chosenShape, edit } from "./hands/edit.js";
import { forms } from "./forms.js";
import { isClosed, line } from "./path.js";
import { cord, discs } from "./string.js";
import { last, shot, show } from "./store.js";
import { make } from "./svg.js";
import { drawSnap, unsnap } from "./snap.js";
import { draw as magnify, toggle as magnifier } from "./loupe.js";
import { target } from "./target.js";
import { onMove, onScreen, space, toPhoto, toScreen, within } from "./view.js";

const stage = document.getElementById("stage");
const overlay = document.getElementById("overlay");

let hand = edit;
let press = { time: 0, x: 0, y: 0 }; // the last press

const tracing = () => Boolean(context());
const usable = () => context()?.tools ?? [];

// drawShape draws a shape, and gives the lines that it is taken hold of by, and those whose inside
// is its own.
function drawShape(s, own) {
  if (forms[s.kind]) {
    let outer;
    for (const l of forms[s.kind].lines(s)) {
      const d = line(l.nodes, Boolean(l.closed), toScreen);
      const extra = `${own ? "" : " other"}${s.away ? " away" : ""}${l.faint ? " faint" : ""}`;
      make("path", { d, class: `under${extra}` }, overlay);
      make("path", { d, class: `over${extra}` }, overlay);
      outer ??= d;
    }
    return [outer, outer];
  }
  const extra = `${own ? "" : " other"}${s.away ? " away" : ""}`;
  if (s.kind === "string") {
    const hangs = line(cord(s), isClosed(s), toScreen);
    const round = discs(s, toScreen);
    for (const [d, faint] of [
      [hangs, " faint"],
      [round, ""],
    ]) {
      make("path", { d, class: `under${extra}${faint}` }, overlay);
      make("path", { d, class: `over${extra}${faint}` }, overlay);
    }
    return [hangs + round, round];
  }
  const d = line(s.nodes, isClosed(s), toScreen);
  if (s.kind === "tube" && own) {
    // The tube's own width, faintly, so that it can be judged.
    const w = onScreen(s.width);
    const look = { "stroke-opacity": 0.16, "stroke-linecap": "round", "stroke-linejoin": "round" };
    make("path", { d, fill: "none", stroke: "#fff", "stroke-width": w, ...look }, overlay);
  }
  make("path", { d, class: `under${extra}` }, overlay);
  make("path", { d, class: `over${extra}` }, overlay);
  return [d, s.kind === "outline" ? d : null];
}

function draw() {
  overlay.replaceChildren();
  if (!tracing()) return;
  if (!Number.isFinite(toScreen(0, 0)[0])) return;
  if (context().alone) {
    hand.overlay(overlay);
    return;
  }
  for (const s of target.others()) {
    const [d] = drawShape(s, false);
    if (hand.grabs) make("path", { d, class: "grab" }, overlay).dataset.light = s.index;
  }
  const own = target.shapes().map((s, j) => s && (hand.held?.(j, s) ?? s));
  const lines = own.map((s) => s && drawShape(s, true));
  if (hand.grabs)
    own.forEach((s, j) => {
      if (!s) return;
      const [d, inside] = lines[j];
      if (inside && s.kind !== "line")
        make("path", { d: inside, class: "inside" }, overlay).dataset.inside = j;
      make("path", { d, class: "grab" }, overlay).dataset.side = j;
    });
  hand.overlay(overlay);
  drawSnap(overlay);
  magnify();
}

const keyOf = (h) => (h.key === "Escape" ? "Esc" : h.key.toUpperCase());

// keyed lists the hands that have a key of their own, for the list of keys.
export const keyed = () =>
  [...byContext()]
    .filter(([h]) => h.key !== "Escape")
    .map(([h, name]) => ({ key: keyOf(h), label: `${name}: ${h.label.toLowerCase()}` }));

// offer fills the bench's row of hands.
function offer() {
  const row = document.getElementById("hands");
  if (!row || row.childElementCount) return;
  for (const h of usable()) {
    if (context().beside?.includes(h)) continue;
    const b = document.createElement("button");
    b.type = "button";
    b.className = "btn btn-quiet";
    b.dataset.hand = h.name;
    b.textContent = h.label;
    b.title = keyOf(h);
    row.append(b);
  }
}

function tell() {
  offer();
  for (const b of document.querySelectorAll("[data-hand]"))
    b.setAttribute("aria-pressed", String(b.dataset.hand === hand.name));
  const hint = document.getElementById("trace-hint");
  hint.hidden = !tracing() || !hand.hint;
  if (hint.textContent !== hand.hint)
    hint.replaceChildren(
      Object.assign(document.createElement("b"), { textContent: hand.label }),
      ` ${hand.hint}`,
    );
  for (const el of document.querySelectorAll("[data-for-hand]")) el.hidden = el.dataset.forHand !== hand.name;
  const brush = document.getElementById("brush");
  if (brush) brush.hidden = hand.name !== "brush";
  stage.classList.toggle("tracing", tracing() && Boolean(hand.cursor));
  const light = Boolean(context()?.grabs); // what is taken hold of is light, and no shape
  stage.classList.toggle("glow-hands", Boolean(light && hand.grabs));
  stage.classList.toggle("close-work", tracing() && !light);
  document.querySelectorAll("li[data-shape]").forEach((li) => {
    li.classList.toggle("chosen", hand.grabs && Number(li.dataset.shape) === chosenShape());
  });
}

function refresh() {
  tell();
  draw();
}

function take(to) {
  if (!usable().includes(to)) return;
  become(to);
  hand.take();
  refresh();
}

// become makes a hand the one that is taken up, and tells the one before.
function become(next) {
  if (next !== hand) hand.put?.();
  hand = next;
}

// pointAt returns the point or the end of an arm that lies nearest to a place
// on the screen. Points of small shapes lie closer than a finger is wide, so what
// the browser has on top says little.
function pointAt([x, y], reach = 12) {
  let best = null;
  for (const el of overlay.querySelectorAll(".node-hit")) {
    const gap = Math.hypot(el.getAttribute("cx") - x, el.getAttribute("cy") - y);
    if (gap <= reach && gap < (best?.gap ?? Infinity)) best = { gap, data: el.dataset };
  }
  return best?.data;
}

// place says where an event is, for a hand.
function place(e) {
  const r = stage.getBoundingClientRect();
  const screen = [e.clientX - r.left, e.clientY - r.top];
  const { altKey: alt, shiftKey: shift, pointerId: id } = e;
  const ctrl = e.ctrlKey || e.metaKey;
  const photo = within(toPhoto(e.clientX, e.clientY));
  // What is no pen presses with all it has.
  const pressure = e.pointerType === "pen" ? Number(e.pressure.toFixed(3)) : 1;
  return { photo, screen, pressure, alt, shift, ctrl, id, hit: {}, point: () => null };
}

// track gives all the places that a pointer has been at since its last event.
const track = (e) => (e.getCoalescedEvents?.().length ? e.getCoalescedEvents() : [e]).map(place);

stage.addEventListener(
  "pointerdown",
  (e) => {
    if (!tracing() || space.down || e.button !== 0) return;
    if (e.target.closest("button, .tools, #notice, #divider, #busy")) return;
    const at = place(e);
    if (hand.grabs) {
      at.hit = { ...e.target.dataset };
      at.point = (reach) => pointAt(at.screen, reach);
    }
    // The overlay is drawn anew at each press, so the browser sees no double
    // click on anything in it.
    at.twice = e.timeStamp - press.time < 400 && Math.hypot(e.clientX - press.x, e.clientY - press.y) < 5;
    press = { time: at.twice ? 0 : e.timeStamp, x: e.clientX, y: e.clientY };
    if (hand.down(at) !== false) {
      e.preventDefault();
      stage.focus({ preventScroll: true });
      stage.setPointerCapture(e.pointerId);
    }
    refresh();
  },
  true,
);

stage.addEventListener("pointermove", (e) => {
  if (tracing() && hand.move({ ...place(e), all: track(e) }) !== false) draw();
});
stage.addEventListener("pointerleave", () => {
  hand.leave?.();
  if (tracing()) draw();
});
stage.addEventListener("putdown", () => take(context()?.rest));
stage.addEventListener("redraw", () => {
  tell();
  draw();
});

for (const kind of ["pointerup", "pointercancel"])
  stage.addEventListener(kind, async (e) => {
    if (!tracing()) return;
    const used = hand;
    unsnap();
    const made = await hand.up(place(e));
    if (made && used.once && hand === used) take(context()?.rest);
    draw();
  });

// key handles the keys of the hand, and says whether it did.
export function key(e) {
  if (!tracing()) return false;
  const plain = !e.ctrlKey && !e.metaKey && !e.altKey;
  if (hand.keydown(e) || (e.key === "Escape" && hand.cancel())) {
    refresh();
    return true;
  }
  if (plain && e.key === "z") {
    magnifier();
    return true;
  }
  const other = plain && usable().find((h) => h.key === e.key && h !== hand);
  if (other) take(other);
  // With the hand put down, an area is left.
  else if (e.key === "Escape" && (target.area() || target.cut()))
    show(shot.step, shot.light, { cut: "", area: "", part: "", stroke: "" });
  else return false;
  return true;
}

document.addEventListener("click", (e) => {
  const b = e.target.closest("[data-hand], [data-pick]");
  if (b?.dataset.hand) {
    take(usable().find((h) => h.name === b.dataset.hand));
    stage.focus({ preventScroll: true });
  } else if (b) {
    choose(Number(b.dataset.pick));
    refresh();
  }
});

// first gives the hand to begin with.
const first = () => context().first?.() ?? context().rest;

let before = { step: "", light: shot.light, area: "" };
function fresh() {
  // What belongs to another list of hands is put down.
  if (tracing() && !usable().includes(hand)) become(first());
  else if (!tracing()) hand.put?.();
  const area = target.cut()?.id ?? target.area()?.id ?? "";
  const came = tracing() && (shot.step !== before.step || area !== before.area);
  const other = shot.light !== before.light;
  if (shot.step !== before.step || other || area !== before.area) {
    hand.take();
    // Undo takes back what the tool did, and not the tool.
    const undone = /^actions\/(undo|redo|go)/.test(last) && shot.step === before.step;
    if (!undone && (came || (tracing() && other && !target.any()))) become(first());
  }
  before = { step: shot.step, light: shot.light, area };
  hand.changed?.();
  refresh();
}

target.onChange(fresh);
onMove(draw);
fresh();
